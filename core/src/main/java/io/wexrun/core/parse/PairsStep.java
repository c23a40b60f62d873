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
import java.util.Locale;
import java.util.Map;

/**
 * Reads texts of pairs: {@code gate=7 note="door stuck"}. A value may stand in double quotes, in
 * which a backslash makes the next character plain, or go on up to the next key. Pairs that no
 * field takes may be kept as JSON; text before the first pair may be kept, too.
 */
public final class PairsStep extends ParseStep {
  private static final byte[] TRUE = {'t', 'r', 'u', 'e'};

  private final List<Field> fields;
  private final byte[][] keys;
  private final boolean keepsRest;
  private final boolean keepsBefore;
  private final byte separator;
  private final String assign;
  private final Word words;
  private final boolean blanks;

  /** What becomes of a word that is no pair. */
  private enum Word {
    REJECT,
    IGNORE,
    TRUE
  }

  private PairsStep(
      Schema input,
      Schema parsed,
      int from,
      List<FieldParser.Read> read,
      Map<String, Written> entries) {
    super(input, parsed, from);
    this.fields = read.stream().map(FieldParser.Read::field).toList();
    this.keys =
        read.stream()
            .map(r -> r.from().orElse(r.field().name()).getBytes(StandardCharsets.UTF_8))
            .toArray(byte[][]::new);
    this.keepsRest = entries.containsKey("rest");
    this.keepsBefore = entries.containsKey("before");
    this.separator = Written.character(entries, "separator", ' ');
    this.assign = entries.containsKey("assign") ? entries.get("assign").text() : "=";
    this.words =
        entries.containsKey("words")
            ? Word.valueOf(entries.get("words").text().toUpperCase(Locale.ROOT))
            : Word.REJECT;
    this.blanks = entries.containsKey("blanks") && entries.get("blanks").text().equals("true");
  }

  /**
   * {@code pairs: {fields: {NAME: SPEC from KEY}, rest: NAME, before: NAME, separator: ' ', assign:
   * =, words: reject | ignore | true, blanks: false, from: FIELD}}.
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
                  "before", Form.text().about("a field for what stands before the first pair"),
                  "separator", Form.text(),
                  "assign", Form.text().about("the characters between key and value"),
                  "words", Form.word("reject", "ignore", "true"),
                  "blanks", Form.word("true", "false"),
                  "from", Form.text().about("the field to read, if it is not the raw record")))
          .about("key=value pairs");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      int before = written.diagnostics().errors();
      Map<String, Written> entries =
          written.entries(
              "pairs",
              List.of("fields", "rest", "before", "separator", "assign", "words", "blanks", FROM));
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
      Written kept = entries.get("before");
      if (kept != null) {
        parsed = parsed.with(Column.of(kept.text(), Type.Scalar.TEXT));
      }
      check(entries);
      return List.of(
          written.diagnostics().errors() > before
              ? new Unfinished(context.input(), parsed)
              : new PairsStep(context.input(), parsed, from, read, entries));
    }

    private static void check(Map<String, Written> entries) {
      if (entries.containsKey("separator")) {
        entries.get("separator").character();
      }
      Written assign = entries.get("assign");
      if (assign != null && !assign.text().matches("[\\x21-\\x7E]{1,8}")) {
        assign.error(
            "bad-value",
            "'" + assign.text() + "' does not part keys from values",
            "write one character, or several of which each does, such as '=:'");
      }
      if (entries.containsKey("words")) {
        entries.get("words").choice(List.of("reject", "ignore", "true"));
      }
      if (entries.containsKey("blanks")) {
        entries.get("blanks").choice(List.of("true", "false"));
      }
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
      if (keepsBefore) {
        at = before(at);
      }
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
      while (at < to && separates(at)) {
        at++;
      }
      return at;
    }

    private boolean separates(int place) {
      return data[place] == separator || separator == ' ' && data[place] == '\t';
    }

    private boolean assigns(int place) {
      return assign.indexOf(data[place]) >= 0;
    }

    /** The end of a word. */
    private int word(int from) {
      int at = from;
      while (at < to && !separates(at)) {
        at++;
      }
      return at;
    }

    /** Whether a key and what assigns begin at a place: letters, digits and {@code _.@/-}. */
    private boolean beginsPair(int place) {
      int at = place;
      while (at < to && !assigns(at) && isOfKey(data[at])) {
        at++;
      }
      return at > place && at < to && assigns(at) && !(data[place] >= '0' && data[place] <= '9');
    }

    private static boolean isOfKey(byte b) {
      return b >= '0' && b <= '9'
          || b >= 'A' && b <= 'Z'
          || b >= 'a' && b <= 'z'
          || "_.@/-".indexOf(b) >= 0;
    }

    /** Keeps what stands before the first pair; where that begins. */
    private int before(int from) {
      int at = from;
      int end = from;
      while (at < to && !beginsPair(at)) {
        end = word(at);
        at = gap(end);
      }
      if (end > from) {
        int column = fields.size() + (keepsRest ? 1 : 0);
        ((TextVector) columns.get(column)).append(data, from, end);
      }
      return at;
    }

    /** Where a value begins that blanks precede, if values may hold them. */
    private int behindBlanks(int from) {
      int next = blanks ? gap(from) : from;
      return next < to && !beginsPair(next) ? next : from;
    }

    /** The end of a value without quotes. */
    private int valueEnd(int from) {
      int end = word(from);
      int next = gap(end);
      while (blanks && next < to && !beginsPair(next)) {
        end = word(next);
        next = gap(end);
      }
      return end;
    }

    /** Reads one pair; the place of the next one, or -1 if it is none. */
    private int pair(int start) {
      int at = start;
      while (at < to && !assigns(at) && !separates(at)) {
        at++;
      }
      if (at == to || !assigns(at) || at == start) {
        if (words != Word.REJECT && at > start) {
          boolean well = words == Word.IGNORE || take(start, at, TRUE, 0, TRUE.length);
          return well ? gap(at) : -1;
        }
        String shown = Excerpt.of(data, start, at);
        return reject(
            Reason.NO_MATCH, "", shown + " is not a pair: " + assign.charAt(0) + " is missing");
      }
      int keyEnd = at++;
      at = behindBlanks(at);
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
        if (at < to && !separates(at)) {
          String shown = Excerpt.of(data, at, to);
          return reject(Reason.NO_MATCH, "", shown + " follows a closing quote");
        }
      } else {
        at = valueEnd(at);
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
