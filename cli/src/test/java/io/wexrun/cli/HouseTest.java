package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import com.tngtech.archunit.core.domain.Dependency;
import com.tngtech.archunit.core.domain.JavaClass;
import com.tngtech.archunit.core.domain.JavaClasses;
import com.tngtech.archunit.core.importer.ClassFileImporter;
import com.tngtech.archunit.core.importer.ImportOption;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;
import org.junit.jupiter.api.Test;

/**
 * The plan of the house: every room (package), and which others it may use. Imports run one way: a
 * room uses only rooms that stand above it in the plan, so there is no circle.
 */
class HouseTest {
  /** Each line: a room, and the rooms that it may use. */
  private static final String PLAN =
      """
      core.address      :
      core.diagnose     :
      core.identity     :
      core.secret       : core.diagnose
      core.schema       : core.diagnose
      core.reference    :
      core.pipeline     : core.schema
      core.written      : core.diagnose
      core.intake       : core.identity
      core.pattern      :
      core.framing      : core.intake core.pattern
      core.batch        : core.intake core.schema
      core.dead         : core.batch core.intake core.schema
      core.tally        : core.dead core.identity core.intake core.schema
      core.field        : core.batch core.diagnose core.pattern core.schema core.written
      core.expression   : core.address core.batch core.diagnose core.field core.intake core.pattern core.schema
      core.path         : core.batch core.diagnose core.expression core.field core.pipeline
                          core.schema core.written
      core.step         : core.batch core.dead core.diagnose core.field core.intake core.pattern core.pipeline
                          core.reference core.schema core.written
      core.parse        : core.batch core.dead core.diagnose core.field core.intake core.pattern core.pipeline
                          core.schema core.step core.written
      core.change       : core.address core.batch core.dead core.diagnose core.expression core.field
                          core.intake core.path core.pipeline core.reference core.schema core.step core.written
      core.rollup       : core.batch core.pipeline core.schema
      core.target       : core.batch core.identity core.intake core.pipeline core.schema
      core.shape        : core.batch core.change core.dead core.diagnose core.expression core.field core.intake
                          core.parse core.pattern core.pipeline core.reference core.schema core.step core.tally
                          core.target core.written
      core.look         : core.batch core.diagnose core.field core.framing core.intake core.pipeline
                          core.schema core.shape
      core.channel      : core.intake core.tally
      core.run          : core.batch core.channel core.dead core.diagnose core.intake core.pipeline
                          core.schema core.shape core.tally core.target
      core.connect      : core.batch core.channel core.diagnose core.intake core.pipeline core.reference
                          core.schema core.secret core.target core.written
      state             : core.dead core.diagnose core.identity core.intake core.schema core.tally
      queue.disk        :
      queue.log         : core.diagnose core.framing core.intake core.secret queue.disk
      queue             : core.diagnose core.identity core.intake core.secret queue.disk queue.log state
      queue.care        : core.diagnose queue queue.disk queue.log state
      queue.ends        : core.batch core.channel core.connect core.dead core.diagnose core.framing
                          core.identity core.intake core.pipeline core.schema core.secret core.tally
                          core.target core.written queue queue.log
      files.content     : core.connect core.diagnose core.framing core.intake core.path core.pipeline
                          core.schema
      files.whole       : core.connect core.diagnose core.framing core.identity core.intake core.look core.path
                          core.pipeline core.schema files.content
      files             : core.connect core.diagnose core.identity core.intake core.pipeline
                          core.reference core.schema files.content
      files.format      : core.batch core.connect core.diagnose core.field core.pipeline core.schema
                          core.secret core.target
      files.folder      : core.batch core.connect core.diagnose core.field core.identity core.intake
                          core.pipeline core.rollup core.schema core.secret core.target
      formats           : core.batch core.connect core.dead core.diagnose core.field core.intake core.pattern
                          core.pipeline core.reference core.schema core.step core.written
      network.access    : core.diagnose
      network.door      : core.connect core.diagnose core.framing core.intake core.pipeline core.written
                          queue queue.ends
      network.http      : core.connect core.diagnose core.framing core.intake core.pipeline core.written
                          network.access network.door queue
      network.delivery  : core.batch core.connect core.diagnose core.field core.identity core.intake
                          core.pipeline core.schema core.secret core.target core.written network.door queue.disk
      network.collector : network.door network.http
      network.otlp      : core.connect core.diagnose core.intake core.pipeline core.written
                          network.door network.http queue
      network.lines     : core.connect core.diagnose core.framing core.intake core.pipeline core.written
                          network.door queue
      sql               : core.batch core.diagnose core.field core.identity core.intake core.pipeline
                          core.rollup core.schema core.target
      duckdb.encrypted  : core.batch core.diagnose core.schema core.secret core.target
      duckdb            : core.batch core.connect core.diagnose core.identity core.intake
                          core.pipeline core.reference core.schema core.secret core.target
                          duckdb.encrypted sql
      postgres          : core.batch core.connect core.diagnose core.field core.identity core.intake
                          core.pipeline core.schema core.secret core.target sql
      project.yaml      : core.diagnose
      project.definition: core.intake core.pipeline core.shape
      project.time      : core.pipeline
      project.read      : core.connect core.diagnose core.pipeline core.schema project.definition
                          project.time project.yaml
      project.open      : core.channel core.connect core.diagnose core.identity core.intake core.pipeline
                          core.reference core.run core.secret core.shape core.tally core.target
                          project.definition queue queue.ends queue.log state
      project.check     : core.connect core.diagnose core.framing core.intake core.pipeline
                          core.reference core.run core.shape core.target core.written project.definition
                          project.open project.read project.time project.yaml
      project.draft     : core.diagnose core.look core.pipeline core.reference core.schema core.shape
                          project.definition project.open project.read project.yaml
      project.facts     : core.connect core.dead core.diagnose core.intake core.look core.run core.shape
                          core.tally project.read queue queue.ends queue.log state
      project.dead      : core.batch core.dead core.identity core.intake core.schema core.shape core.tally
                          project.facts queue queue.ends queue.log state
      project.figures   : core.connect core.dead core.intake core.run core.shape core.tally project.facts
      project.ask       : core.diagnose core.intake core.pipeline core.run core.schema core.shape core.target project.facts
      project.run       : core.channel core.dead core.diagnose core.identity core.intake core.pipeline core.run
                          core.shape core.tally core.target project.dead project.facts project.open
                          project.read project.time queue.log state
      project           : core.channel core.connect core.dead core.diagnose core.identity core.intake core.look
                          core.path core.pipeline core.run core.schema core.shape core.tally core.target
                          project.ask project.check project.dead project.definition project.draft project.facts
                          project.open project.read project.run project.time queue queue.care queue.ends
                          queue.log state
      cli.demo          : core.diagnose
      cli               : cli.demo files.content files.whole core.connect core.dead core.diagnose core.intake core.look core.pipeline
                          core.run core.schema core.shape core.tally core.target
                          network.access network.collector network.door network.http project project.check project.definition project.draft project.facts project.figures queue
                          queue.care queue.log
      """;

  /** Each line: a floor or room, and the libraries beside plain Java that it may use. */
  private static final String LIBRARIES =
      """
      core.connect : java.io java.nio.file
      core.diagnose : java.io java.nio.file
      core.target  : java.nio.file
      core.rollup  : java.security org.apache.datasketches.hll
      core.secret  : java.io java.nio.file java.security javax.crypto
      core         : com.google.common.collect com.google.re2j dev.cel java.security
      state        : java.io java.nio.channels java.nio.file java.security java.sql org.sqlite
      queue.log    : com.google.crypto.tink io.airlift.compress java.io java.nio.file java.security
                     javax.crypto
      queue        : java.io java.nio.channels java.nio.file
      files.format : com.google.crypto.tink de.siegmar.fastcsv java.io java.nio.file java.security
                     tools.jackson
      files.folder : com.sun.jna java.io java.nio.channels java.nio.file tools.jackson
      files.content : com.github.luben.zstd java.io java.net java.nio.channels java.nio.file
                     org.apache.commons.compress
      files        : de.siegmar.fastcsv java.io java.nio.file java.security tools.jackson
      formats      : com.google.protobuf java.io java.nio.channels java.nio.file java.security
                     org.apache.arrow org.apache.avro
                     tools.jackson ua_parser
      network.access : java.io java.nio.file java.security tools.jackson
      network.door : io.netty java.io java.net java.nio.file javax.net.ssl tools.jackson
      network.delivery : io.netty.handler.ssl java.io java.net java.nio.channels java.nio.file
                     java.security javax.net.ssl tools.jackson
      network.collector : io.netty.handler.codec.http tools.jackson
      network.otlp : com.google.protobuf io.opentelemetry.proto java.io tools.jackson
      network.http : com.github.luben.zstd io.netty java.io java.net java.security tools.jackson
      network.lines : io.netty java.io java.net java.nio.file
      sql          : java.io java.nio.file java.sql
      postgres     : java.io java.sql org.postgresql
      duckdb.encrypted : com.github.luben.zstd java.io java.nio.file
                     org.apache.hadoop.conf org.apache.parquet org.xerial.snappy
      duckdb       : java.io java.nio.file java.sql org.apache.arrow org.duckdb tools.jackson
      project.yaml : org.snakeyaml
      project.time : com.cronutils
      project.figures : io.prometheus.metrics java.io
      project      : com.google.re2j java.io java.net java.nio.channels java.nio.file java.security
                     org.snakeyaml.engine.v2.common org.snakeyaml.engine.v2.nodes
      cli.demo     : com.google.protobuf io.zonky java.io java.net java.nio.file
      cli          : com.google.re2j com.sun.jna java.io java.nio.file org.jline picocli sun.misc
                     tools.jackson
      """;

  /** What every room may use. */
  private static final List<String> PLAIN =
      List.of("java.lang", "java.util", "java.time", "java.math", "java.text", "java.nio");

  private static final String HOUSE = "io.wexrun.";
  private static final JavaClasses CLASSES =
      new ClassFileImporter()
          .withImportOption(ImportOption.Predefined.DO_NOT_INCLUDE_TESTS)
          .importPackages("io.wexrun");

  private static Map<String, Set<String>> plan(String text) {
    Map<String, Set<String>> plan = new LinkedHashMap<>();
    String joined = text.replaceAll("\\n\\s+", " ");
    joined
        .lines()
        .forEach(
            line -> {
              String[] parts = line.split("\\s*:\\s*", 2);
              Set<String> uses = new TreeSet<>(Arrays.asList(parts[1].strip().split("\\s+")));
              uses.remove("");
              plan.put(parts[0], uses);
            });
    return plan;
  }

  private static String room(JavaClass type) {
    return type.getPackageName().substring(HOUSE.length());
  }

  private static boolean isOurs(JavaClass type) {
    return type.getPackageName().startsWith(HOUSE);
  }

  /**
   * The suites of the contracts stand beside the house, and a room's description is not a class.
   */
  private static boolean isOfTheHouse(JavaClass type) {
    return isOurs(type)
        && !type.getPackageName().startsWith(HOUSE + "contract")
        && !type.getSimpleName().equals("package-info");
  }

  private static Map<String, Set<String>> found() {
    Map<String, Set<String>> found = new TreeMap<>();
    for (JavaClass type : CLASSES) {
      if (!isOfTheHouse(type)) {
        continue;
      }
      Set<String> uses = found.computeIfAbsent(room(type), r -> new TreeSet<>());
      for (Dependency dependency : type.getDirectDependenciesFromSelf()) {
        JavaClass target = dependency.getTargetClass().getBaseComponentType();
        if (isOurs(target) && !room(target).equals(room(type))) {
          uses.add(room(target));
        }
      }
    }
    return found;
  }

  @Test
  void everyRoomUsesWhatThePlanSaysAndNothingElse() {
    Map<String, Set<String>> plan = plan(PLAN);
    Map<String, Set<String>> found = found();
    assertThat(found.keySet()).as("the rooms").containsExactlyInAnyOrderElementsOf(plan.keySet());
    assertThat(less(found, plan)).as("used, but not in the plan").isEmpty();
    assertThat(less(plan, found)).as("in the plan, but used by nothing").isEmpty();
  }

  /** What stands in the one and not in the other: the room, and what it uses. */
  private static Map<String, Set<String>> less(
      Map<String, Set<String>> one, Map<String, Set<String>> other) {
    Map<String, Set<String>> less = new TreeMap<>();
    one.forEach(
        (room, uses) -> {
          Set<String> rest = new TreeSet<>(uses);
          rest.removeAll(other.getOrDefault(room, Set.of()));
          if (!rest.isEmpty()) {
            less.put(room, rest);
          }
        });
    return less;
  }

  /** It builds the command anew when the sources of a floor have changed. */
  @Test
  void theLauncherKnowsEveryFloor() throws IOException {
    String launcher = Files.readString(Path.of("../wexrun"));
    for (String room : plan(PLAN).keySet()) {
      String floor = room.replaceFirst("\\..*", "");
      assertThat(launcher).containsPattern("[{,]" + floor + "[,}]");
    }
  }

  @Test
  void importsRunOneWay() {
    List<String> above = new ArrayList<>();
    plan(PLAN)
        .forEach(
            (room, uses) -> {
              assertThat(above).as("the rooms above %s", room).containsAll(uses);
              above.add(room);
            });
    assertThat(above).hasSizeGreaterThan(30);
  }

  @Test
  void everyFloorUsesTheLibrariesThatThePlanSays() {
    Map<String, Set<String>> plan = plan(LIBRARIES);
    Map<String, Set<String>> used = new TreeMap<>();
    for (JavaClass type : CLASSES) {
      if (!isOfTheHouse(type)) {
        continue;
      }
      String floor =
          plan.keySet().stream()
              .filter(f -> room(type).equals(f) || room(type).startsWith(f + "."))
              .findFirst()
              .orElseThrow(() -> new AssertionError("no floor for " + type.getName()));
      for (Dependency dependency : type.getDirectDependenciesFromSelf()) {
        String other = dependency.getTargetClass().getBaseComponentType().getPackageName();
        boolean plain = other.isEmpty() || PLAIN.stream().anyMatch(p -> isIn(other, p));
        if (!plain && !other.startsWith(HOUSE)) {
          Set<String> may = plan.get(floor);
          String found = may.stream().filter(p -> isIn(other, p)).findFirst().orElse("-" + other);
          assertThat(found).as("%s uses %s", type.getName(), other).doesNotStartWith("-");
          used.computeIfAbsent(floor, f -> new TreeSet<>()).add(found);
        }
      }
    }
    assertThat(less(plan, used)).as("in the plan, but used by nothing").isEmpty();
  }

  /** Plain Java has {@code java.nio} without its files and channels. */
  private static boolean isIn(String other, String prefix) {
    if (prefix.equals("java.nio")) {
      return other.equals(prefix) || other.equals("java.nio.charset");
    }
    return other.equals(prefix) || other.startsWith(prefix + ".");
  }
}
