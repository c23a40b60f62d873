package io.wexrun.core.shape;

import static io.wexrun.core.pipeline.StepDefinition.of;
import static io.wexrun.core.pipeline.StepDefinition.require;
import static io.wexrun.core.pipeline.StepDefinition.set;
import static io.wexrun.core.shape.Shaping.dead;
import static io.wexrun.core.shape.Shaping.rows;
import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Kind;
import io.wexrun.core.pipeline.Others;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Type.Scalar;
import java.util.Map;
import java.util.SplittableRandom;
import org.junit.jupiter.api.RepeatedTest;
import org.junit.jupiter.api.Test;

/** One stream of several kinds of records. */
class KindsTest {
  private static StepDefinition json(String... namesAndSpecs) {
    Map<String, Object> fields = new java.util.LinkedHashMap<>();
    for (int i = 0; i < namesAndSpecs.length; i += 2) {
      fields.put(namesAndSpecs[i], namesAndSpecs[i + 1]);
    }
    return of("json", Map.of("fields", fields));
  }

  private static final Kind DOOR =
      Kind.named("door").where("type", "door").shape(json("n", "int")).to("doors");
  private static final Kind FAULT =
      Kind.named("fault").has("code").shape(set("n", "size(code)")).to("doors", "faults");
  private static final Kind ENERGY =
      Kind.named("energy")
          .when("type.startsWith('energy')")
          .shape(json("kwh", "list<double>"), of("unfold", "kwh"), require("kwh"))
          .to("energy");

  private static Shaping shaping(Others others, Kind... kinds) {
    return new Shaping()
        .table(Table.in("s", "doors").column("type", Scalar.TEXT).column("n", Scalar.INT))
        .table(Table.in("s", "faults").column("code", Scalar.TEXT))
        .table(Table.in("s", "energy").column("kwh", Scalar.DOUBLE))
        .shape(json("type", "text", "code", "text"))
        .kinds(others, kinds);
  }

  @Test
  void eachKindHasStepsAndTargetsOfItsOwn() {
    Shaped shaped =
        shaping(Others.DEAD, DOOR, FAULT, ENERGY)
            .lines(
                "{\"type\": \"door\", \"n\": 1}",
                "{\"code\": \"E-7\"}",
                "{\"type\": \"energy/2\", \"kwh\": [1, 2.5]}",
                "{\"type\": \"door\", \"n\": 2}");
    assertThat(rows(shaped, "doors"))
        .as("rows of two kinds stand in the order of their records")
        .containsExactly("{type=door, n=1}", "{n=3}", "{type=door, n=2}");
    assertThat(rows(shaped, "faults")).containsExactly("{code=E-7}");
    assertThat(rows(shaped, "energy")).containsExactly("{kwh=1.0}", "{kwh=2.5}");
    assertThat(shaped.unfolded()).isEqualTo(1);
    assertThat(shaped.copied()).isEqualTo(1);
    assertThat(shaped.fitted())
        .isEqualTo(Map.of("kinds.door", 2L, "kinds.fault", 1L, "kinds.energy", 1L));
  }

  @Test
  void whatIsOfTwoKindsOrDiesInItsOwnStepsIsDeadWithThePlace() {
    Shaped shaped =
        shaping(Others.DEAD, DOOR, FAULT, ENERGY)
            .lines(
                "{\"type\": \"door\", \"code\": \"E-7\"}",
                "{\"type\": \"bell\"}",
                "{\"type\": \"door\", \"n\": \"one\"}",
                "{\"type\": \"energy\", \"kwh\": [1, null]}",
                "{}");
    assertThat(dead(shaped))
        .containsExactly(
            "ambiguous-kind kinds it is 'door' and 'fault': type is \"door\", code is \"E-7\"",
            "unknown-kind kinds no kind has its marks: type is \"bell\", code is absent",
            "bad-value kinds.door.shape[0].json n \"one\" is not an int",
            "missing-field kinds.energy.shape[2].require kwh 'kwh' is absent",
            "unknown-kind kinds no kind has its marks: type is absent, code is absent");
    assertThat(shaped.rows()).isEmpty();
  }

  @Test
  void otherRecordsAreDroppedAndCountedOrStopTheRun() {
    String[] lines = {"{\"type\": \"door\", \"n\": 1}", "{\"type\": \"bell\"}"};
    Shaped shaped = shaping(Others.DROP, DOOR).lines(lines);
    assertThat(shaped.dropped()).isEqualTo(1);
    assertThat(dead(shaped)).isEmpty();
    assertThatThrownBy(() -> shaping(Others.STOP, DOOR).lines(lines))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("position 25 of test.log is of no kind")
        .hasMessageContaining("type is \"bell\"");
  }

  @Test
  void marksThatCannotTellKindsApartAreToldBeforeTheRun() {
    Kind both = Kind.named("both").where("type", "door", "gate").to("doors");
    Kind unmarked = Kind.named("unmarked").to("doors");
    Kind unknown = Kind.named("unknown").has("cod").to("doors");
    assertThat(shaping(Others.DEAD, DOOR, both, unmarked, unknown).mistakes())
        .anyMatch(m -> m.startsWith("overlapping-kinds kinds.both"))
        .anyMatch(m -> m.startsWith("missing-key kinds.unmarked"))
        .anyMatch(m -> m.startsWith("unknown-field kinds.unknown: there is no field 'cod'"))
        .noneMatch(m -> m.startsWith("overlapping-kinds kinds.unknown"));
    assertThat(shaping(Others.DEAD, DOOR, FAULT, ENERGY).mistakes()).isEmpty();
  }

  /** Rows of one record may be of several kinds: the books balance all the same. */
  @RepeatedTest(20)
  void theBooksBalanceForAnyMixture() {
    long seed = System.nanoTime();
    SplittableRandom random = new SplittableRandom(seed);
    StringBuilder lines = new StringBuilder();
    int records = 200;
    for (int i = 0; i < records; i++) {
      StringBuilder array = new StringBuilder();
      for (int k = random.nextInt(4); k > 0; k--) {
        array
            .append(array.isEmpty() ? "" : ",")
            .append("{\"a\": ")
            .append(random.nextInt(6))
            .append('}');
      }
      lines.append("{\"rows\": [").append(array).append("]}\n");
    }
    Shaped shaped =
        new Shaping()
            .table(Table.in("s", "doors").required("a", Scalar.INT))
            .table(Table.in("s", "faults").column("a", Scalar.INT))
            .shape(
                json("rows", "json"),
                of("unfold", Map.of("field", "rows", "fields", Map.of("a", "int"))))
            .kinds(
                Others.DROP,
                Kind.named("low").when("a < 3").shape(set("x", "12 / a")).to("doors", "faults"),
                Kind.named("high")
                    .where("a", "4", "5")
                    .route(Route.when("a == 4").to("doors"), Route.otherwiseDrop()))
            .lines(lines.toString().getBytes(java.nio.charset.StandardCharsets.UTF_8));
    long loaded = shaped.rows().values().stream().mapToLong(r -> r.count()).sum();
    assertThat(shaped.taken() + shaped.unfolded() + shaped.copied())
        .as("seed %d", seed)
        .isEqualTo(loaded + shaped.dead().count() + shaped.dropped());
    assertThat(shaped.dead().count()).isPositive();
  }
}
