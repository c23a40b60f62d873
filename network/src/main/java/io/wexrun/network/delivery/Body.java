package io.wexrun.network.delivery;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.field.ValueJson;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.util.Optional;
import java.util.Set;

/**
 * How rows of a table become the body of a request: what stands before them, between them and
 * behind them. Immutable.
 */
final class Body {
  /** The forms of bodies. */
  enum Form {
    /** A JSON object a line. */
    NDJSON("application/x-ndjson", "ndjson", ""),
    /** An array of JSON objects; an envelope takes its place. */
    ARRAY("application/json", "json", ","),
    /** RFC 4180, with a header. */
    CSV("text/csv; charset=utf-8; header=present", "csv", "");

    private final String type;
    private final String ending;
    private final String between;

    Form(String type, String ending, String between) {
      this.type = type;
      this.ending = ending;
      this.between = between;
    }

    /** The form of a name as settings have it. */
    static Form of(String name) {
      return valueOf(name.toUpperCase(java.util.Locale.ROOT));
    }

    /** The media type. */
    String type() {
      return type;
    }

    /** What names of files with such a body end with. */
    String ending() {
      return ending;
    }

    /** What stands between two rows; where that is nothing, each ends its line. */
    String between() {
      return between;
    }

    /** As it is written in settings. */
    @Override
    public String toString() {
      return name().toLowerCase(java.util.Locale.ROOT);
    }
  }

  /** The place in an envelope where the rows stand. */
  static final String ROWS = "rows";

  /** The place in a template of a row for all of its columns. */
  static final String ROW = "row";

  /** The other places in an envelope. */
  static final Set<String> FACTS = Set.of("count", "id", "table", "pipeline");

  /**
   * What an envelope may say of its rows.
   *
   * @param id of the post
   */
  record Facts(int count, String id, String table, String pipeline) implements Template.Values {
    @Override
    public void append(String name, boolean quoted, StringBuilder json) {
      String text =
          switch (name) {
            case "count" -> Integer.toString(count);
            case "id" -> id;
            case "table" -> table;
            default -> pipeline;
          };
      if (quoted) {
        ValueJson.inside(text, json);
      } else if (name.equals("count")) {
        json.append(count);
      } else {
        ValueJson.quoted(text, json);
      }
    }
  }

  private final Form form;
  private final Schema schema;
  private final Optional<Template> row;
  private final Optional<Template> envelope;
  private final String header;
  private final String[] names;

  /**
   * A way to make bodies.
   *
   * @param row how a row looks, if it is not an object of all columns
   * @param envelope what stands around the rows; has one place for them
   */
  Body(Form form, Schema schema, Optional<Template> row, Optional<Template> envelope) {
    this(form, schema, row, envelope, form == Form.CSV ? header(schema) : "");
  }

  private Body(
      Form form,
      Schema schema,
      Optional<Template> row,
      Optional<Template> envelope,
      String header) {
    this.form = form;
    this.schema = schema;
    this.row = row;
    this.envelope = envelope;
    this.header = header;
    this.names = new String[schema.size()];
    for (int c = 0; c < names.length; c++) {
      StringBuilder name = new StringBuilder(c == 0 ? "{" : ",");
      ValueJson.quoted(schema.column(c).name(), name);
      names[c] = name.append(':').toString();
    }
  }

  /**
   * A way to make bodies of rows that are texts already.
   *
   * @param header the first line of CSV; empty for other forms
   */
  static Body around(Form form, Optional<Template> envelope, String header) {
    return new Body(form, Schema.of(), Optional.empty(), envelope, header);
  }

  private static String header(Schema schema) {
    StringBuilder text = new StringBuilder();
    for (Column column : schema.columns()) {
      text.append(text.isEmpty() ? "" : ",");
      cell(column.name(), text);
    }
    return text.append('\n').toString();
  }

  Form form() {
    return form;
  }

  /** What separates two rows. */
  byte[] between() {
    return form.between().getBytes(java.nio.charset.StandardCharsets.US_ASCII);
  }

  /** What stands before the rows. */
  String before(Facts facts) {
    StringBuilder text = new StringBuilder();
    if (envelope.isPresent()) {
      envelope.get().append(0, rowsPlace(), facts, text);
      return text.append('[').toString();
    }
    return form == Form.ARRAY ? "[" : header;
  }

  /** What stands behind the rows. */
  String after(Facts facts) {
    if (envelope.isEmpty()) {
      return form == Form.ARRAY ? "]" : "";
    }
    StringBuilder text = new StringBuilder("]");
    Template around = envelope.get();
    around.append(rowsPlace() + 1, around.parts().size(), facts, text);
    return text.toString();
  }

  private int rowsPlace() {
    return envelope.orElseThrow().parts().indexOf(new Template.Part.Place(ROWS, false));
  }

  /** Adds a row, without what stands between rows. */
  void row(Batch batch, int at, StringBuilder text) {
    if (form == Form.CSV) {
      csv(batch, at, text);
    } else if (row.isPresent()) {
      row.get().append((name, quoted, json) -> place(batch, at, name, quoted, json), text);
    } else {
      object(batch, at, text);
    }
    if (form.between().isEmpty()) {
      text.append('\n');
    }
  }

  private void object(Batch batch, int at, StringBuilder text) {
    for (int c = 0; c < names.length; c++) {
      text.append(names[c]);
      ValueJson.append(schema.column(c).type(), batch.column(c), at, text);
    }
    text.append('}');
  }

  private void place(Batch batch, int at, String name, boolean quoted, StringBuilder json) {
    int place = schema.find(name).orElse(-1);
    if (place < 0) { // A column of this name would hide it.
      StringBuilder all = new StringBuilder();
      object(batch, at, all);
      if (quoted) {
        ValueJson.inside(all, json);
      } else {
        json.append(all);
      }
      return;
    }
    Type type = schema.column(place).type();
    if (!quoted) {
      ValueJson.append(type, batch.column(place), at, json);
    } else if (!batch.column(place).absent(at)) {
      ValueJson.inside(text(type, batch, place, at), json);
    }
  }

  private static String text(Type type, Batch batch, int column, int at) {
    if (type == Type.Scalar.BYTES) {
      return ValueJson.base64((TextVector) batch.column(column), at);
    }
    if (type.nested()) {
      StringBuilder json = new StringBuilder();
      ValueJson.append(type, batch.column(column), at, json);
      return json.toString();
    }
    return ValueText.text(type, batch.column(column), at);
  }

  private void csv(Batch batch, int at, StringBuilder text) {
    for (int c = 0; c < names.length; c++) {
      text.append(c == 0 ? "" : ",");
      if (!batch.column(c).absent(at)) {
        cell(text(schema.column(c).type(), batch, c, at), text);
      }
    }
  }

  /** What is absent is an empty value, and an empty text stands in quotes. */
  private static void cell(String value, StringBuilder text) {
    boolean plain = !value.isEmpty();
    for (int i = 0; i < value.length() && plain; i++) {
      char c = value.charAt(i);
      plain = c != ',' && c != '"' && c != '\n' && c != '\r';
    }
    if (plain) {
      text.append(value);
    } else {
      text.append('"').append(value.replace("\"", "\"\"")).append('"');
    }
  }
}
