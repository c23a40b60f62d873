package io.wexrun.core.parse;

import io.wexrun.core.batch.Vector;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.field.Excerpt;
import io.wexrun.core.field.Field;
import io.wexrun.core.field.FieldParser;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.step.ParseStep;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.step.Unfinished;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Reads records of separated values (RFC 4180). An empty value without quotes is absent, one in
 * quotes is an empty text.
 */
public final class CsvStep extends ParseStep {
  /** What to do about records that have another number of values. */
  private record Tolerance(boolean extra, boolean missing) {}

  private final List<Field> fields;
  private final List<String> names;
  private final Optional<List<String>> columns;
  private final byte separator;
  private final byte quote;
  private final byte escape;
  private final Tolerance tolerance;

  private CsvStep(
      Schema input,
      Schema parsed,
      int from,
      List<FieldParser.Read> read,
      Optional<List<String>> columns,
      byte separator,
      byte quote,
      byte escape,
      Tolerance tolerance) {
    super(input, parsed, from);
    this.fields = read.stream().map(FieldParser.Read::field).toList();
    this.names = read.stream().map(r -> r.from().orElse(r.field().name())).toList();
    this.columns = columns;
    this.separator = separator;
    this.quote = quote;
    this.escape = escape;
    this.tolerance = tolerance;
  }

  /**
   * {@code csv: {columns: [NAME, ...] | header, fields: {NAME: SPEC from COLUMN}, separator: ',',
   * quote: '"', escape: '\', extra: reject | ignore, missing: reject | absent, from: FIELD}}.
   */
  public static final class Kind implements StepKind {
    private static final String HEADER = "header";

    @Override
    public String name() {
      return "csv";
    }

    @Override
    public Form form() {
      return Form.keys(
              Form.with(
                  "columns", Form.list(Form.text()).about("names in order, or: header"),
                  "fields", Form.specs(),
                  "separator", Form.text(),
                  "quote", Form.text(),
                  "escape", Form.text().about("makes the next character plain"),
                  "extra", Form.word("reject", "ignore"),
                  "missing", Form.word("reject", "absent"),
                  "from", Form.text().about("the field to read, if it is not the raw record")),
              "columns")
          .about("separated values (RFC 4180)");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      int before = written.diagnostics().errors();
      Map<String, Written> entries =
          written.entries(
              "csv",
              List.of(
                  "columns", "fields", "separator", "quote", "escape", "extra", "missing", FROM));
      int from = from(entries, written, context);
      Optional<List<String>> columns = columns(entries.get("columns"), written, context);
      List<FieldParser.Read> read = new ArrayList<>();
      if (entries.containsKey("fields")) {
        read.addAll(FieldParser.fields(entries.get("fields"), context.patterns()));
      }
      if (columns.isPresent()) {
        checkNames(columns.get(), read, entries.get("fields"));
        addTexts(columns.get(), read, entries.get("columns"));
      }
      if (read.isEmpty()) {
        String hint = "add fields: {NAME: TYPE}, so that their types are known before the run";
        written.error("missing-key", "no field is read from the columns", hint);
      }
      byte separator = Written.character(entries, "separator", ',');
      byte quote = Written.character(entries, "quote", '"');
      byte escape = Written.character(entries, "escape", '\0');
      Tolerance tolerance =
          new Tolerance(
              chosen(entries, "extra", List.of("reject", "ignore")),
              chosen(entries, "missing", List.of("reject", "absent")));
      Schema parsed = FieldParser.schema(read.stream().map(FieldParser.Read::field).toList(), true);
      return List.of(
          written.diagnostics().errors() > before
              ? new Unfinished(context.input(), parsed)
              : new CsvStep(
                  context.input(),
                  parsed,
                  from,
                  read,
                  columns,
                  separator,
                  quote,
                  escape,
                  tolerance));
    }

    /** The declared columns; empty if they come from the header. */
    private static Optional<List<String>> columns(
        Written columns, Written written, StepContext context) {
      if (columns == null) {
        String hint = "write columns: [time, gate], or columns: header for the file's first line";
        written.error("missing-key", "csv needs 'columns'", hint);
        return Optional.of(List.of());
      }
      if (!columns.isText() || !columns.text().equals(HEADER)) {
        return Optional.of(columns.items().stream().map(Written::text).toList());
      }
      if (context.intake().text(HEADER).orElse("false").equals("false")) {
        String message = "the columns come from the header, but the intake keeps none apart";
        columns.error("missing-header", message, "add header: true to a files intake");
      }
      return Optional.empty();
    }

    private static boolean chosen(Map<String, Written> entries, String key, List<String> words) {
      return entries.containsKey(key) && !entries.get(key).choice(words).equals(words.get(0));
    }

    private static void checkNames(
        List<String> columns, List<FieldParser.Read> read, Written fields) {
      for (FieldParser.Read each : read) {
        String name = each.from().orElse(each.field().name());
        if (!columns.isEmpty() && !columns.contains(name)) { // Without any, that is said already.
          new Written("", fields.path().key(each.field().name()), fields.diagnostics())
              .error(
                  "unknown-column",
                  "there is no column '" + name + "'",
                  "the columns are " + String.join(", ", columns));
        }
      }
    }

    /** Columns without a field of their own are texts; those without a name are passed over. */
    private static void addTexts(
        List<String> columns, List<FieldParser.Read> read, Written written) {
      List<String> taken = read.stream().map(r -> r.from().orElse(r.field().name())).toList();
      List<String> seen = new ArrayList<>();
      for (String column : columns) {
        if (!column.isEmpty() && seen.contains(column)) {
          written.error("duplicate-name", "two columns are named '" + column + "'", "");
        } else if (!column.isEmpty() && !taken.contains(column)) {
          if (!FieldParser.NAME.matcher(column).matches()) {
            String hint = "give it a field: {NAME: text from " + column + "}";
            written.error("bad-name", "'" + column + "' is not a name", hint);
            continue;
          }
          read.add(new FieldParser.Read(Field.text(column), Optional.empty()));
        }
        seen.add(column);
      }
      read.sort(Comparator.comparingInt(r -> columns.indexOf(r.from().orElse(r.field().name()))));
    }
  }

  @Override
  protected Reading begin(Records records, List<Vector> vectors, Rejects rejects) {
    return new Row(records, vectors, rejects);
  }

  private final class Row implements Reading {
    private final List<Vector> vectors;
    private final Rejects rejects;
    private final List<String> header;
    private final String missing;

    /** For each column, the field that takes it; -1: none. */
    private final int[] fieldOf;

    private byte[] data;
    private int to;
    private int record;
    private byte[] plain;
    private final Records records;

    Row(Records records, List<Vector> vectors, Rejects rejects) {
      this.records = records;
      this.vectors = vectors;
      this.rejects = rejects;
      header = columns.orElseGet(() -> read(records.header()));
      fieldOf = header.stream().mapToInt(names::indexOf).toArray();
      missing =
          names.stream()
              .filter(n -> !header.contains(n) && !fields.get(names.indexOf(n)).optional())
              .filter(n -> !tolerance.missing || header.isEmpty())
              .findFirst()
              .orElse("");
    }

    /** The names in a header line. */
    private List<String> read(byte[] line) {
      List<String> found = new ArrayList<>();
      data = line;
      to = line.length;
      int at = 0;
      while (at >= 0 && at <= to && to > 0) {
        int end = end(at);
        if (end < 0) {
          break;
        }
        found.add(new String(value(at, end), StandardCharsets.UTF_8).strip());
        at = end + 1;
      }
      return found;
    }

    @Override
    public boolean read(byte[] bytes, int from, int end, int number) {
      data = bytes;
      to = end;
      record = number;
      if (!missing.isEmpty()) {
        String why = header.isEmpty() ? "no header came with the record" : "the header lacks it";
        String field = fields.get(names.indexOf(missing)).name();
        rejects.reject(record, Reason.MISSING_FIELD, field, "column '" + missing + "': " + why);
        return false;
      }
      int rows = vectors.get(0).size();
      int at = from;
      int count = 0;
      while (at <= to) {
        int valueEnd = end(at);
        if (valueEnd < 0 || count < fieldOf.length && !take(fieldOf[count], at, valueEnd)) {
          return false;
        }
        count++;
        at = valueEnd + 1;
      }
      boolean tooMany = count > fieldOf.length && !tolerance.extra;
      boolean tooFew = count < fieldOf.length && !tolerance.missing;
      if (tooMany || tooFew) {
        String detail = count + " values for " + fieldOf.length + " columns";
        rejects.reject(record, Reason.NOT_CSV, "", detail);
        return false;
      }
      for (Vector vector : vectors) {
        if (vector.size() == rows) {
          vector.appendAbsent();
        }
      }
      return true;
    }

    /** Where the value at a place ends: at a separator or the record's end; -1 if it is broken. */
    private int end(int at) {
      plain = null;
      if (at == to || data[at] != quote) {
        int place = at;
        boolean escaped = false;
        while (place < to && data[place] != separator) {
          boolean escapes = escapes(place);
          escaped |= escapes;
          place += escapes ? 2 : 1;
        }
        plain = escaped ? plain(at, place) : null;
        return place;
      }
      int place = at + 1;
      boolean doubled = false;
      while (place < to
          && (escapes(place)
              || data[place] != quote
              || place + 1 < to && data[place + 1] == quote)) {
        boolean two = escapes(place) || data[place] == quote;
        doubled |= two;
        place += two ? 2 : 1;
      }
      if (place >= to) {
        return broken(
            "a quote is open at the end (a record over several lines needs framing: csv)");
      }
      if (place + 1 < to && data[place + 1] != separator) {
        return broken(Excerpt.of(data, place + 1, to) + " follows a closing quote");
      }
      plain = doubled ? plain(at + 1, place) : Arrays.copyOfRange(data, at + 1, place);
      return place + 1;
    }

    private int broken(String detail) {
      rejects.reject(record, Reason.NOT_CSV, "", detail);
      return -1;
    }

    private boolean escapes(int place) {
      return escape != 0 && data[place] == escape && place + 1 < to;
    }

    /** A value without what only makes the next character plain. */
    private byte[] plain(int from, int end) {
      byte[] copy = new byte[end - from];
      int length = 0;
      for (int at = from; at < end; at++) {
        boolean two = escapes(at) || data[at] == quote && at + 1 < end && data[at + 1] == quote;
        at += two ? 1 : 0;
        copy[length++] = data[at];
      }
      return Arrays.copyOf(copy, length);
    }

    private byte[] value(int from, int end) {
      return plain != null ? plain : Arrays.copyOfRange(data, from, end);
    }

    private boolean take(int number, int from, int end) {
      if (number < 0) {
        return true;
      }
      Field field = fields.get(number);
      Vector vector = vectors.get(number);
      if (plain == null && from == end) {
        vector.appendAbsent();
        return true;
      }
      byte[] bytes = plain == null ? data : plain;
      int start = plain == null ? from : 0;
      int last = plain == null ? end : plain.length;
      if (field.append(bytes, start, last, vector, records.written(record))) {
        return true;
      }
      rejects.reject(record, Reason.BAD_VALUE, field.name(), field.fault(bytes, start, last));
      return false;
    }
  }
}
