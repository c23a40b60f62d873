package io.wexrun.core.parse;

import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.field.Excerpt;
import io.wexrun.core.field.Field;
import io.wexrun.core.field.FieldParser;
import io.wexrun.core.field.JsonText;
import io.wexrun.core.field.Numbers;
import io.wexrun.core.field.Times;
import io.wexrun.core.field.YearlessTime;
import io.wexrun.core.field.Zone;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.ParseStep;
import io.wexrun.core.step.Rejects;
import java.nio.charset.StandardCharsets;
import java.time.LocalDateTime;
import java.time.MonthDay;
import java.time.ZoneOffset;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;

/**
 * Reads syslog messages: of RFC 5424, with structured data, and of RFC 3164, whose times have no
 * zone, so that it is written with the step, and no year, which may be.
 */
final class SyslogStep extends ParseStep {
  private static final List<String> FACILITIES =
      List.of(
          "kern",
          "user",
          "mail",
          "daemon",
          "auth",
          "syslog",
          "lpr",
          "news",
          "uucp",
          "cron",
          "authpriv",
          "ftp",
          "ntp",
          "audit",
          "alert",
          "clock",
          "local0",
          "local1",
          "local2",
          "local3",
          "local4",
          "local5",
          "local6",
          "local7");
  private static final List<String> SEVERITIES =
      List.of("emergency", "alert", "critical", "error", "warning", "notice", "info", "debug");
  private static final String MONTHS = "JanFebMarAprMayJunJulAugSepOctNovDec";

  /** The fields that every message gives. */
  static final Schema FIXED =
      Schema.of(
          Column.required("facility", Type.Scalar.TEXT),
          Column.required("severity", Type.Scalar.TEXT),
          Column.of("time", Type.Scalar.TIMESTAMP),
          Column.of("host", Type.Scalar.TEXT),
          Column.of("app", Type.Scalar.TEXT),
          Column.of("process", Type.Scalar.TEXT),
          Column.of("message_id", Type.Scalar.TEXT),
          Column.of("structured", Type.Scalar.JSON),
          Column.of("message", Type.Scalar.TEXT));

  /** The same, of messages whose priority may be missing. */
  static final Schema WITHOUT_PRIORITY =
      Schema.of(
          FIXED.columns().stream()
              .map(column -> Column.of(column.name(), column.type()))
              .toArray(Column[]::new));

  private static final int LEAP_YEAR = 2000;
  private static final int TIME = 2;
  private static final int STRUCTURED = 7;
  private static final int MESSAGE = 8;

  private final List<Field> fields;
  private final byte[][] parameters;
  private final int year;
  private final Zone zone;
  private final boolean mayLackPriority;

  SyslogStep(
      Schema input,
      Schema parsed,
      int from,
      List<FieldParser.Read> read,
      int year,
      Zone zone,
      boolean mayLackPriority) {
    super(input, parsed, from);
    this.fields = read.stream().map(FieldParser.Read::field).toList();
    this.parameters =
        read.stream()
            .map(r -> r.from().orElse(r.field().name()).getBytes(StandardCharsets.UTF_8))
            .toArray(byte[][]::new);
    this.year = year;
    this.zone = zone;
    this.mayLackPriority = mayLackPriority;
  }

  @Override
  protected Reading begin(Records records, List<Vector> columns, Rejects rejects) {
    return new Message(records, columns, rejects);
  }

  private final class Message implements Reading {
    private final Records records;
    private final List<Vector> columns;
    private final Rejects rejects;
    private byte[] data;
    private int at;
    private int to;
    private int record;
    private int rows;

    Message(Records records, List<Vector> columns, Rejects rejects) {
      this.records = records;
      this.columns = columns;
      this.rejects = rejects;
    }

    @Override
    public boolean read(byte[] bytes, int from, int end, int number) {
      data = bytes;
      at = from;
      to = end;
      record = number;
      rows = columns.get(0).size();
      boolean bare = mayLackPriority && at < to && data[at] != '<';
      boolean well = bare ? old() : priority() && (startsVersion() ? modern() : old());
      if (!well) {
        return false;
      }
      for (Vector column : columns) {
        if (column.size() == rows) {
          column.appendAbsent();
        }
      }
      return true;
    }

    private boolean reject(Reason reason, String field, String detail) {
      rejects.reject(record, reason, field, detail);
      return false;
    }

    private boolean priority() {
      int close = at;
      while (close < to && close < at + 5 && data[close] != '>') {
        close++;
      }
      boolean framed = at < to && data[at] == '<' && close < to && data[close] == '>';
      long value = framed ? Numbers.whole(data, at + 1, close) : Numbers.NONE;
      if (value < 0 || value > 191) {
        return reject(
            Reason.NO_MATCH, "", "a message begins with a priority from <0> to <191>: " + rest());
      }
      text(0, FACILITIES.get((int) value / 8));
      text(1, SEVERITIES.get((int) value % 8));
      at = close + 1;
      return true;
    }

    private String rest() {
      return at >= to ? "it ends" : Excerpt.of(data, at, to);
    }

    private boolean startsVersion() {
      return at + 1 < to && data[at] == '1' && data[at + 1] == ' ';
    }

    private void text(int column, String value) {
      ((TextVector) columns.get(column)).append(value);
    }

    /** The end of the word at the current place. */
    private int word() {
      int end = at;
      while (end < to && data[end] != ' ') {
        end++;
      }
      return end;
    }

    /** RFC 5424, section 6, behind the priority. */
    private boolean modern() {
      at += 2;
      for (int column = TIME; column < STRUCTURED; column++) {
        int end = word();
        if (end == at || end == to) {
          String name = FIXED.column(column).name();
          return reject(Reason.NO_MATCH, name, "the header of RFC 5424 ends early: " + rest());
        }
        boolean nil = end == at + 1 && data[at] == '-';
        if (!nil && column == TIME && !time(Times.instant(data, at, end, null), end)) {
          return false;
        }
        if (!nil && column > TIME) {
          ((TextVector) columns.get(column)).append(data, at, end);
        }
        at = end + 1;
      }
      if (!structured()) {
        return false;
      }
      if (at < to && data[at] != ' ') {
        return reject(Reason.NO_MATCH, "message", "a blank precedes the message: " + rest());
      }
      if (at < to) {
        at++;
        boolean mark =
            to - at >= 3
                && data[at] == (byte) 0xEF
                && data[at + 1] == (byte) 0xBB
                && data[at + 2] == (byte) 0xBF;
        ((TextVector) columns.get(MESSAGE)).append(data, mark ? at + 3 : at, to);
      }
      return true;
    }

    private boolean time(long instant, int end) {
      if (instant == Numbers.NONE) {
        String shown = Excerpt.of(data, at, end);
        return reject(Reason.BAD_VALUE, "time", shown + " is not a timestamp");
      }
      ((LongVector) columns.get(TIME)).append(instant);
      return true;
    }

    /** RFC 5424, section 6.3: {@code -}, or one or more {@code [ID NAME="VALUE" ...]}. */
    private boolean structured() {
      if (at < to && data[at] == '-') {
        at++;
        return true;
      }
      JsonText all = new JsonText();
      while (at < to && data[at] == '[') {
        int idStart = ++at;
        while (at < to && data[at] != ' ' && data[at] != ']') {
          at++;
        }
        int idEnd = at;
        JsonText inside = new JsonText();
        while (at < to && data[at] == ' ') {
          at++;
          if (!parameter(idStart, idEnd, inside)) {
            return false;
          }
        }
        if (at >= to || data[at] != ']' || idEnd == idStart) {
          return reject(Reason.NO_MATCH, "structured", "structured data is not closed: " + rest());
        }
        at++;
        all.member(data, idStart, idEnd, inside);
      }
      if (all.isEmpty()) {
        return reject(Reason.NO_MATCH, "structured", "structured data is missing: " + rest());
      }
      all.appendTo((TextVector) columns.get(STRUCTURED));
      return true;
    }

    private boolean parameter(int idStart, int idEnd, JsonText inside) {
      int nameStart = at;
      while (at < to && data[at] != '=') {
        at++;
      }
      int nameEnd = at;
      if (at + 1 >= to || data[at + 1] != '"') {
        return reject(Reason.NO_MATCH, "structured", "a parameter lacks its value in quotes");
      }
      at += 2;
      int start = at;
      while (at < to && data[at] != '"') {
        at += data[at] == '\\' ? 2 : 1;
      }
      if (at >= to) {
        return reject(Reason.NO_MATCH, "structured", "a quote is open at the end");
      }
      byte[] value = plain(start, at);
      at++;
      inside.member(data, nameStart, nameEnd, value, 0, value.length);
      return take(idStart, idEnd, nameStart, nameEnd, value);
    }

    /** RFC 5424, section 6.3.3: only a quote, a backslash and a bracket are escaped. */
    private byte[] plain(int from, int end) {
      byte[] plain = new byte[end - from];
      int length = 0;
      for (int place = from; place < end; place++) {
        boolean escapes =
            data[place] == '\\' && place + 1 < end && "\"\\]".indexOf(data[place + 1]) >= 0;
        plain[length++] = escapes ? data[++place] : data[place];
      }
      return Arrays.copyOf(plain, length);
    }

    private boolean take(int idStart, int idEnd, int nameStart, int nameEnd, byte[] value) {
      for (int i = 0; i < parameters.length; i++) {
        byte[] wanted = parameters[i];
        int id = idEnd - idStart;
        boolean same =
            wanted.length == id + 1 + nameEnd - nameStart
                && wanted[id] == '.'
                && Arrays.equals(wanted, 0, id, data, idStart, idEnd)
                && Arrays.equals(wanted, id + 1, wanted.length, data, nameStart, nameEnd);
        Vector column = columns.get(MESSAGE + 1 + i);
        if (same && column.size() == rows) {
          Field field = fields.get(i);
          if (!field.append(value, 0, value.length, column, records.written(record))) {
            return reject(Reason.BAD_VALUE, field.name(), field.fault(value, 0, value.length));
          }
        }
      }
      return true;
    }

    private long instant(String iso, Zone in) {
      byte[] bytes = iso.getBytes(StandardCharsets.ISO_8859_1);
      return Times.instant(bytes, 0, bytes.length, in);
    }

    private long withoutYear(String iso) {
      long any = instant(LEAP_YEAR + iso, new Zone(ZoneOffset.UTC));
      if (any == Numbers.NONE) {
        return any;
      }
      LocalDateTime time = LocalDateTime.ofInstant(Instants.instant(any), ZoneOffset.UTC);
      return YearlessTime.instant(
          MonthDay.from(time), time.toLocalTime(), zone, records.written(record));
    }

    /** RFC 3164, section 4.1, behind the priority; its time may be one of RFC 3339 as well. */
    private boolean old() {
      boolean iso = at < to && data[at] >= '0' && data[at] <= '9';
      return (iso ? isoTime() : monthTime()) && behindTime();
    }

    private boolean isoTime() {
      int end = word();
      if (zone == null && Times.instant(data, at, end, null) == Numbers.NONE) {
        String detail = Excerpt.of(data, at, end) + " is not a time with a zone: write zone";
        return reject(Reason.BAD_VALUE, "time", detail);
      }
      if (!time(Times.instant(data, at, end, zone), end)) {
        return false;
      }
      at = end;
      return true;
    }

    private boolean monthTime() {
      int month = at + 15 <= to ? MONTHS.indexOf(ascii(at, at + 3)) : -1;
      if (month < 0 || month % 3 != 0) {
        String detail =
            mayLackPriority
                ? "a message begins with its priority or its time: " + rest()
                : "neither '1 ' nor a month follows the priority";
        return reject(Reason.NO_MATCH, "time", detail);
      }
      if (zone == null) {
        String detail = "a time of RFC 3164 has no zone: write zone";
        return reject(Reason.BAD_VALUE, "time", detail);
      }
      String day = ascii(at + 4, at + 6).replace(' ', '0');
      String number = month / 3 + 1 < 10 ? "0" + (month / 3 + 1) : "" + (month / 3 + 1);
      String iso = "-" + number + "-" + day + "T" + ascii(at + 7, at + 15);
      long instant = year == 0 ? withoutYear(iso) : instant(year + iso, zone);
      if (!time(instant, at + 15)) {
        return false;
      }
      at += 15;
      return true;
    }

    private boolean behindTime() {
      if (at < to && data[at] != ' ') {
        return reject(Reason.NO_MATCH, "host", "a blank follows the time: " + rest());
      }
      at = Math.min(to, at + 1);
      int hostEnd = word();
      ((TextVector) columns.get(TIME + 1)).append(data, at, hostEnd);
      at = Math.min(to, hostEnd + 1);
      int end = at;
      while (end < to && data[end] != ':' && data[end] != '[' && data[end] != ' ') {
        end++;
      }
      Optional<Integer> behind = tag(end);
      behind.ifPresent(next -> at = next);
      if (at < to && data[at] == ' ') {
        at++;
      }
      ((TextVector) columns.get(MESSAGE)).append(data, at, to);
      return true;
    }

    /** {@code TAG:} or {@code TAG[PROCESS]:}; where the text behind it begins, if there is one. */
    private Optional<Integer> tag(int end) {
      if (end >= to || data[end] == ' ' || end == at) {
        return Optional.empty();
      }
      int close = end;
      if (data[end] == '[') {
        while (close < to && data[close] != ']') {
          close++;
        }
        if (close + 1 >= to || data[close + 1] != ':') {
          return Optional.empty();
        }
        ((TextVector) columns.get(TIME + 3)).append(data, end + 1, close);
        close++;
      }
      ((TextVector) columns.get(TIME + 2)).append(data, at, end);
      return Optional.of(close + 1);
    }

    private String ascii(int from, int end) {
      return new String(data, from, end - from, StandardCharsets.ISO_8859_1);
    }
  }
}
