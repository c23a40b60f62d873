package io.wexrun.project;

import static com.tngtech.archunit.lang.syntax.ArchRuleDefinition.noClasses;
import static com.tngtech.archunit.library.dependencies.SlicesRuleDefinition.slices;

import com.tngtech.archunit.core.importer.ImportOption;
import com.tngtech.archunit.junit.AnalyzeClasses;
import com.tngtech.archunit.junit.ArchTest;
import com.tngtech.archunit.lang.ArchRule;

@AnalyzeClasses(
    packages = "io.wexrun.project",
    importOptions = ImportOption.DoNotIncludeTests.class)
class ArrowsTest {
  @ArchTest
  static final ArchRule importsRunOneWayDown =
      noClasses()
          .should()
          .dependOnClassesThat()
          .resideInAnyPackage("io.wexrun.files..", "io.wexrun.duckdb..", "io.wexrun.cli..");

  @ArchTest
  static final ArchRule packagesFormNoCircle =
      slices().matching("io.wexrun.project.(**)").should().beFreeOfCycles().allowEmptyShould(true);
}
