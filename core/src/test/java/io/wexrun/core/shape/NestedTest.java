package io.wexrun.core.shape;

import static io.wexrun.core.pipeline.StepDefinition.of;
import static io.wexrun.core.pipeline.StepDefinition.set;
import static io.wexrun.core.pipeline.StepDefinition.template;
import static io.wexrun.core.shape.Shaping.dead;
import static io.wexrun.core.shape.Shaping.rows;
import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.core.schema.Type.Scalar;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.Test;

/** Lists and structs from the text to the table's rows. */
class NestedTest {
  private static final StepDefinition CARS =
      of(
          "json",
          Map.of(
              "fields",
              Map.of(
                  "cars",
                  "list<{no: int from number, at: timestamp 'epoch ms', kwh: list<double>}>")));

  @Test
  void objectsAndArraysBecomeStructsAndLists() {
    Shaped shaped =
        Shaping.over(CARS)
            .lines(
                "{\"cars\": [{\"number\": 1, \"at\": 0, \"kwh\": [1.5, null, 2]}, null, {\"x\":"
                    + " {}}]}",
                "{\"cars\": []}",
                "{}");
    assertThat(rows(shaped, "all"))
        .containsExactly(
            "{cars=[{\"no\": 1, \"at\": \"1970-01-01T00:00:00Z\", \"kwh\": [1.5, null, 2.0]}, null,"
                + " {\"no\": null, \"at\": null, \"kwh\": null}]}",
            "{cars=[]}",
            "{}");
    assertThat(dead(shaped)).isEmpty();
  }

  @Test
  void whatDoesNotFitDiesWithThePathInsideAndLeavesNothingBehind() {
    Shaped shaped =
        Shaping.over(CARS)
            .lines(
                "{\"cars\": [{\"number\": 1}, {\"number\": \"one\"}]}",
                "{\"cars\": [{\"kwh\": [1, {}]}]}",
                "{\"cars\": {}}",
                "{\"cars\": [5]}",
                "{\"cars\": [{\"number\": 1, \"n\\u0075mber\": 2}]}",
                "{\"cars\": [{\"number\": 2}]}");
    assertThat(dead(shaped))
        .containsExactly(
            "bad-value shape[0].json cars number: \"one\" is not an int",
            "bad-value shape[0].json cars kwh: it is an object, not a double",
            "bad-value shape[0].json cars it is an object, not an array",
            "bad-value shape[0].json cars it is \"5\", not an object",
            "bad-value shape[0].json cars number: it stands there twice");
    assertThat(rows(shaped, "all"))
        .containsExactly("{cars=[{\"no\": 2, \"at\": null, \"kwh\": null}]}");
  }

  @Test
  void aMapOfSpecsIsAStructAndExpressionsNameWhatIsInside() {
    StepDefinition json =
        of("json", Map.of("fields", Map.of("position", Map.of("lat", "double", "lon", "double"))));
    Shaped shaped =
        Shaping.over(
                json,
                set("north", "position.lat > 51.0"),
                set("known", "has(position.lon)"),
                set("lon", "position.lon * 2.0"))
            .lines(
                "{\"position\": {\"lat\": 51.5}}",
                "{\"position\": {\"lat\": 1, \"lon\": 7.5}}",
                "{}");
    assertThat(rows(shaped, "all"))
        .extracting(row -> row.substring(row.indexOf("north")))
        .containsExactly("north=1, known=0}", "north=0, known=1, lon=15.0}", "north=0, known=0}");
    assertThat(new Shaping().shape(json, set("x", "position.lot > 1.0")).mistakes().get(0))
        .contains("there is no field 'position'");
  }

  @Test
  void listsAreUnfoldedTypedAndMeasuredInExpressions() {
    Shaped shaped =
        Shaping.over(CARS, set("many", "size(cars)"), of("unfold", "cars"), set("no", "cars.no"))
            .lines(
                "{\"cars\": [{\"number\": 1}, {\"number\": 2, \"kwh\": [7]}]}", "{\"cars\": []}");
    assertThat(rows(shaped, "all"))
        .containsExactly(
            "{many=2, cars={\"no\": 1, \"at\": null, \"kwh\": null}, no=1}",
            "{many=2, cars={\"no\": 2, \"at\": null, \"kwh\": [7.0]}, no=2}",
            "{many=0}");
    assertThat(shaped.unfolded()).isEqualTo(1);
    assertThat(
            new Shaping()
                .shape(CARS, of("unfold", Map.of("field", "cars", "fields", Map.of("a", "int"))))
                .mistakes()
                .get(0))
        .contains("type-clash shape[1].unfold");
  }

  @Test
  void membersOfElementsAreTypedInMacros() {
    Shaped shaped =
        Shaping.over(
                CARS,
                set("numbers", "cars.filter(c, has(c.no) && c.no > 1).map(c, c.no)"),
                set("any", "cars.exists(c, c.kwh.exists(k, k > 6.0))"))
            .lines("{\"cars\": [{\"number\": 1, \"kwh\": [7]}, {\"number\": 2, \"kwh\": []}]}");
    assertThat(rows(shaped, "all").get(0)).endsWith("numbers=[2], any=1}");
    assertThat(new Shaping().shape(CARS, set("x", "cars.map(c, c.nr)")).mistakes().get(0))
        .contains("bad-expression", "nr");
    assertThat(
            new Shaping().shape(CARS, set("x", "cars.exists(c, c.no == \"1\")")).mistakes().get(0))
        .contains("type-clash", "'==' does not work on int and string");
  }

  @Test
  void aListFromAnExpressionOrACastIsAColumnLikeOthers() {
    Shaped shaped =
        Shaping.over(
                template("{words} {loads}"),
                set("parts", "words.split(',')"),
                set("words", "[words, 'x']"),
                of("cast", Map.of("loads", Map.of("to", "list<int>", "else", "absent"))))
            .lines("a,b [1,2]", "c [1,x]");
    assertThat(rows(shaped, "all"))
        .containsExactly(
            "{words=[\"a,b\", \"x\"], loads=[1, 2], parts=[\"a\", \"b\"]}",
            "{words=[\"c\", \"x\"], parts=[\"c\"]}");
  }

  @Test
  void aTableMayHaveWiderTypesInsideAndOtherOrderButNotOthers() {
    Type wide = Type.parse("list<{kwh: list<double>, at: timestamp, no: double}>").orElseThrow();
    Shaped shaped =
        new Shaping()
            .table(Table.in("store", "cars").column("cars", wide))
            .shape(CARS)
            .route(Route.to("cars"))
            .lines("{\"cars\": [{\"number\": 3, \"kwh\": [1]}]}");
    assertThat(rows(shaped, "cars"))
        .containsExactly("{cars=[{\"kwh\": [1.0], \"at\": null, \"no\": 3.0}]}");
    Type other = Type.parse("list<{no: text}>").orElseThrow();
    assertThat(
            new Shaping()
                .table(Table.in("store", "cars").column("cars", other))
                .shape(CARS)
                .route(Route.to("cars"))
                .mistakes())
        .hasSize(1)
        .first()
        .asString()
        .startsWith("type-clash route[0]: field 'cars' is a list<{no: int,");
  }

  @Test
  void mistakesInNestedSpecsAreToldAtTheirPlace() {
    for (Map.Entry<String, String> wrong :
        Map.of(
                "list<int", "is not a list or struct",
                "list<sint>", "there is no type 'sint'",
                "{a: int, a: text}", "distinct names",
                "{a}", "a struct's field is NAME: TYPE",
                "{}", "distinct names",
                "list<timestamp 'bb'>", "not a date pattern")
            .entrySet()) {
      StepDefinition json = of("json", Map.of("fields", Map.of("x", wrong.getKey())));
      assertThat(new Shaping().shape(json).mistakes())
          .as(wrong.getKey())
          .anyMatch(mistake -> mistake.contains(wrong.getValue()));
    }
  }

  @Test
  void spellingsOfTypesAreReadAndWritten() {
    Type type =
        new Type.ListOf(
            new Type.Struct(
                List.of(
                    Column.of("a", new Type.ListOf(Scalar.INT)),
                    Column.of("b", new Type.Decimal(7, 2)))));
    assertThat(Type.parse("list<{a:list< int >, b : decimal( 7,2)}>")).contains(type);
    assertThat(Type.parse(type.toString())).contains(type);
    for (String wrong : List.of("list<>", "list<x>", "{}", "{a: int, a: int}", "{a int}", "list")) {
      assertThat(Type.parse(wrong)).as(wrong).isEmpty();
    }
  }
}
