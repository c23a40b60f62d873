package io.wexrun.core.schema;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.schema.Type.Scalar;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.EnumSource;
import org.junit.jupiter.params.provider.ValueSource;

class SchemaTest {
  @ParameterizedTest
  @EnumSource(Scalar.class)
  void everyTypeIsReadAsItIsWritten(Scalar type) {
    assertThat(Type.parse(type.toString())).contains(type);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {"", "Int", "string", "decimal", "decimal(19,2)", "decimal(2,3)", "decimal(0,0)"})
  void whatIsNoTypeIsNone(String text) {
    assertThat(Type.parse(text)).isEmpty();
  }

  @Test
  void decimalsKnowTheirDigits() {
    assertThat(Type.parse("decimal( 6 , 2 )")).contains(new Type.Decimal(6, 2));
    assertThat(new Type.Decimal(6, 2)).hasToString("decimal(6,2)");
    assertThatThrownBy(() -> new Type.Decimal(2, 3)).isInstanceOf(IllegalArgumentException.class);
  }

  @ParameterizedTest
  @CsvSource({
    "int, long, true, true", "int, double, true, true", "long, int, false, true",
    "text, int, false, false", "json, text, true, true", "text, json, false, false",
    "uuid, text, true, true", "date, timestamp, false, false", "bool, bool, true, true",
    "double, long, false, false"
  })
  void aValueFitsAColumnIfNothingIsLost(String value, String column, boolean fits, boolean mayFit) {
    Type from = Type.parse(value).orElseThrow();
    Type to = Type.parse(column).orElseThrow();
    assertThat(from.fits(to)).isEqualTo(fits);
    assertThat(from.mayFit(to)).isEqualTo(mayFit);
  }

  @Test
  void aColumnTakesThePlaceOfItsNamesake() {
    Schema schema = Schema.of(Column.of("a", Scalar.INT), Column.of("b", Scalar.TEXT));
    Schema changed =
        schema.with(Column.required("a", Scalar.LONG)).with(Column.of("c", Scalar.BOOL));
    assertThat(changed.columns())
        .containsExactly(
            Column.required("a", Scalar.LONG),
            Column.of("b", Scalar.TEXT),
            Column.of("c", Scalar.BOOL));
    assertThat(changed.find("c")).hasValue(2);
    assertThat(changed.find("d")).isEmpty();
    assertThat(schema.names()).containsExactly("a", "b");
    assertThatThrownBy(() -> Schema.of(Column.of("a", Scalar.INT), Column.of("a", Scalar.INT)))
        .hasMessage("two columns named a");
    assertThatThrownBy(() -> Column.of("", Scalar.INT)).hasMessage("a column needs a name");
  }

  @ParameterizedTest
  @CsvSource({"int, an int", "text, text", "uuid, a uuid", "timestamp, a timestamp"})
  void typesHaveTheirArticles(String type, String shown) {
    assertThat(Type.parse(type).orElseThrow().withArticle()).isEqualTo(shown);
  }
}
