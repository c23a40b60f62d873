package io.wexrun.formats;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;
import static com.tngtech.archunit.library.dependencies.SlicesRuleDefinition.slices;

import com.tngtech.archunit.core.importer.ImportOption;
import com.tngtech.archunit.junit.AnalyzeClasses;
import com.tngtech.archunit.junit.ArchTest;
import com.tngtech.archunit.lang.ArchRule;

@AnalyzeClasses(
    packages = "io.wexrun.formats",
    importOptions = ImportOption.DoNotIncludeTests.class)
class ArrowsTest {
  @ArchTest
  static final ArchRule importsRunOneWayDown =
      noClasses()
          .should()
          .dependOnClassesThat()
          .resideInAnyPackage(
              "io.wexrun.queue..",
              "io.wexrun.state..",
              "io.wexrun.files..",
              "io.wexrun.duckdb..",
              "io.wexrun.project..",
              "io.wexrun.cli..");

  @ArchTest
  static final ArchRule packagesFormNoCircle =
      slices().matching("io.wexrun.formats.(**)").should().beFreeOfCycles().allowEmptyShould(true);
}
