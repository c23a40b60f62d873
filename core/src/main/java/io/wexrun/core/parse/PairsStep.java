package io.wexrun.core.parse;

import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.field.Excerpt;
import io.wexrun.core.field.Field;
import io.wexrun.core.field.FieldParser;
import io.wexrun.core.field.JsonText;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.ParseStep;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.step.Unfinished;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.List;
import java.util.Map;

/**
 * Reads texts of pairs: {@code gate=7 note="door stuck"}. A value may stand in double quotes, in
 * which a backslash makes the next character plain. Pairs that no field takes may be kept as JSON.
 */
public final class PairsStep extends ParseStep {
  private final List<Field> fields;
  private final byte[][] keys;
  private final boolean keepsRest;
  private final byte separator;
  private final byte assign;

  private PairsStep(
      Schema input,
      Schema parsed,
      int from,
      List<FieldParser.Read> read,
      boolean keepsRest,
      byte separator,
      byte assign) {
    super(input, parsed, from);
    this.fields = read.stream().map(FieldParser.Read::field).toList();
    this.keys =
        read.stream()
            .map(r -> r.from().orElse(r.field().name()).getBytes(StandardCharsets.UTF_8))
            .toArray(byte[][]::new);
    this.keepsRest = keepsRest;
    this.separator = separator;
    this.assign = assign;
  }

  /**
   * {@code pairs: {fields: {NAME: SPEC from KEY}, rest: NAME, separator: ' ', assign: =, from:
   * FIELD}}.
   */
  public static final class Kind implements StepKind {
    @Override
    public String name() {
      return "pairs";
    }

    @Override
    public Form form() {
      return Form.keys(
              Form.with(
                  "fields", Form.specs(),
                  "rest", Form.text(),
                  "separator", Form.text(),
                  "assign", Form.text(),
                  "from", Form.text().about("the field to read, if it is not the raw record")))
          .about("key=value pairs");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      int before = written.diagnostics().errors();
      Map<String, Written> entries =
          written.entries("pairs", List.of("fields", "rest", "separator", "assign", FROM));
      int from = from(entries, written, context);
      List<FieldParser.Read> read =
          entries.containsKey("fields")
              ? FieldParser.fields(entries.get("fields"), context.patterns())
              : List.of();
      Schema parsed = FieldParser.schema(read.stream().map(FieldParser.Read::field).toList(), true);
      Written rest = entries.get("rest");
      if (rest != null) {
        parsed = parsed.with(Column.of(rest.text(), Type.Scalar.JSON));
      }
      if (parsed.size() == 0) {
        String hint = "add fields: {NAME: TYPE}, or rest: NAME for all of them";
        written.error("missing-key", "no field is read from the pairs", hint);
      }
      byte separator = Written.character(entries, "separator", ' ');
      byte assign = Written.character(entries, "assign", '=');
      return List.of(
          written.diagnostics().errors() > before
              ? new Unfinished(context.input(), parsed)
              : new PairsStep(
                  context.input(), parsed, from, read, rest != null, separator, assign));
    }
  }

  @Override
  protected Reading begin(Records records, List<Vector> columns, Rejects rejects) {
    return new Pairs(records, columns, rejects);
  }

  private final class Pairs implements Reading {
    private final Records records;
    private final List<Vector> columns;
    private final Rejects rejects;
    private final JsonText others = new JsonText();
    private byte[] data;
    private int to;
    private int rows;
    private int record;

    Pairs(Records records, List<Vector> columns, Rejects rejects) {
      this.records = records;
      this.columns = columns;
      this.rejects = rejects;
    }

    @Override
    public boolean read(byte[] bytes, int from, int end, int number) {
      data = bytes;
      to = end;
      record = number;
      rows = columns.get(0).size();
      others.clear();
      int at = gap(from);
      while (at < to && at >= 0) {
        at = pair(at);
      }
      if (at < 0) {
        return false;
      }
      if (keepsRest && !others.isEmpty()) {
        others.appendTo((TextVector) columns.get(fields.size()));
      }
      for (Vector column : columns) {
        if (column.size() == rows) {
          column.appendAbsent();
        }
      }
      return true;
    }

    /** The first place from {@code from} on that is no separator. */
    private int gap(int from) {
      int at = from;
      while (at < to && (data[at] == separator || separator == ' ' && data[at] == '\t')) {
        at++;
      }
      return at;
    }

    /** Reads one pair; the place of the next one, or -1 if it is none. */
    private int pair(int start) {
      int at = start;
      while (at < to && data[at] != assign && data[at] != separator) {
        at++;
      }
      if (at == to || data[at] != assign || at == start) {
        String shown = Excerpt.of(data, start, at);
        return reject(
            Reason.NO_MATCH, "", shown + " is not a pair: " + (char) assign + " is missing");
      }
      int keyEnd = at++;
      byte[] value = data;
      int valueStart = at;
      int valueEnd;
      if (at < to && data[at] == '"') {
        int close = at + 1;
        boolean escaped = false;
        while (close < to && data[close] != '"') {
          escaped |= data[close] == '\\';
          close += data[close] == '\\' ? 2 : 1;
        }
        if (close >= to) {
          return reject(Reason.NO_MATCH, "", "a quote is open at the end");
        }
        valueStart = at + 1;
        valueEnd = close;
        at = close + 1;
        if (escaped) {
          value = Layout.unescape(data, valueStart, valueEnd);
          valueStart = 0;
          valueEnd = value.length;
        }
        if (at < to && data[at] != separator && !(separator == ' ' && data[at] == '\t')) {
          String shown = Excerpt.of(data, at, to);
          return reject(Reason.NO_MATCH, "", shown + " follows a closing quote");
        }
      } else {
        while (at < to && data[at] != separator && !(separator == ' ' && data[at] == '\t')) {
          at++;
        }
        valueEnd = at;
      }
      return take(start, keyEnd, value, valueStart, valueEnd) ? gap(at) : -1;
    }

    private boolean take(int keyStart, int keyEnd, byte[] value, int from, int end) {
      for (int i = 0; i < keys.length; i++) {
        if (Arrays.equals(keys[i], 0, keys[i].length, data, keyStart, keyEnd)) {
          Field field = fields.get(i);
          if (columns.get(i).size() > rows) {
            reject(Reason.BAD_VALUE, field.name(), "it stands there twice");
            return false;
          }
          if (!field.append(value, from, end, columns.get(i), records.written(record))) {
            reject(Reason.BAD_VALUE, field.name(), field.fault(value, from, end));
            return false;
          }
          return true;
        }
      }
      if (keepsRest) {
        others.member(data, keyStart, keyEnd, value, from, end);
      }
      return true;
    }

    private int reject(Reason reason, String field, String detail) {
      rejects.reject(record, reason, field, detail);
      return -1;
    }
  }
}
