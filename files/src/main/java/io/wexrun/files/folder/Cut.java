package io.wexrun.files.folder;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Type;
import java.nio.charset.StandardCharsets;
import java.time.LocalDate;
import java.time.ZoneId;
import java.time.ZonedDateTime;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Cuts the rows of a table into folders {@code KEY=VALUE}: by a field, or by a part of a time.
 *
 * <pre>{@code
 * By --> Field | Part, "(", Field, ")"
 * Part --> "year" | "month" | "day" | "hour"
 * }</pre>
 */
record Cut(List<By> by, ZoneId zone) {
  /** What a value is called that is absent or empty. */
  static final String NONE = "_none_";

  /** The folder of all rows of a table that is not cut. */
  static final String ALL = "all";

  /** Into more folders at once nobody means to write: each file is forced onto the disk. */
  private static final int MOST = 10_000;

  /** So long may the name of a folder be; what is longer is cut, and its digest stands behind. */
  private static final int LONGEST = 120;

  private static final Pattern BY =
      Pattern.compile("(?:(year|month|day|hour)\\s*\\(\\s*(.+?)\\s*\\)|([^()]+))");

  private static final Map<String, DateTimeFormatter> PARTS =
      Map.of(
          "year", DateTimeFormatter.ofPattern("uuuu"),
          "month", DateTimeFormatter.ofPattern("uuuu-MM"),
          "day", DateTimeFormatter.ofPattern("uuuu-MM-dd"),
          "hour", DateTimeFormatter.ofPattern("HH"));

  /**
   * One level of folders.
   *
   * @param part the part of a time; empty for the value itself
   */
  record By(String field, String part) {
    String key() {
      return part.isEmpty() ? field : part;
    }
  }

  /** Reads what is written; empty if it says nothing. */
  static Optional<By> read(String written) {
    Matcher found = BY.matcher(written.strip());
    return found.matches()
        ? Optional.of(
            found.group(3) != null
                ? new By(found.group(3).strip(), "")
                : new By(found.group(2), found.group(1)))
        : Optional.empty();
  }

  /** Why a table cannot be cut so; empty if it can. */
  Optional<String> fault(Table table) {
    for (By each : by) {
      var place = table.schema().find(each.field());
      if (place.isEmpty()) {
        return Optional.of("it has no column '" + each.field() + "'");
      }
      Column column = table.schema().column(place.getAsInt());
      boolean timed =
          column.type() == Type.Scalar.TIMESTAMP
              || column.type() == Type.Scalar.DATE && !each.part().equals("hour");
      if (!each.part().isEmpty() && !timed) {
        return Optional.of(
            "'"
                + column.name()
                + "' is "
                + column.type().withArticle()
                + ", which has no "
                + each.part());
      }
      if (each.part().isEmpty() && (column.type().nested() || column.type() == Type.Scalar.BYTES)) {
        return Optional.of("'" + column.name() + "' is " + column.type().withArticle());
      }
    }
    return Optional.empty();
  }

  /** The rows by the folders that they belong into, in the order in which these come up. */
  Map<String, List<Rows>> cut(Table table, List<Rows> parts) {
    if (by.isEmpty()) {
      return Map.of(ALL, parts);
    }
    Map<String, List<Rows>> cut = new LinkedHashMap<>();
    for (Rows rows : parts) {
      cut(table, rows)
          .forEach((folder, own) -> cut.computeIfAbsent(folder, f -> new ArrayList<>()).add(own));
    }
    if (cut.size() > MOST) {
      throw OutsideException.lasting(
          "table "
              + table.name()
              + " would get files in "
              + Counted.of(cut.size(), "folder")
              + " by one flush: cut it by something with fewer values");
    }
    return cut;
  }

  private Map<String, Rows> cut(Table table, Rows rows) {
    Batch batch = rows.batch();
    Map<String, Integer> numbers = new LinkedHashMap<>();
    int[] folderOf = new int[rows.count()];
    int[] counts = new int[rows.count()];
    for (int i = 0; i < rows.count(); i++) {
      String folder = folder(table, batch, rows.row(i));
      folderOf[i] = numbers.computeIfAbsent(folder, f -> numbers.size());
      counts[folderOf[i]]++;
    }
    int[][] selected = new int[numbers.size()][];
    for (int f = 0; f < selected.length; f++) {
      selected[f] = new int[counts[f]];
    }
    int[] filled = new int[selected.length];
    for (int i = 0; i < rows.count(); i++) {
      int f = folderOf[i];
      selected[f][filled[f]++] = rows.row(i);
    }
    Map<String, Rows> cut = new LinkedHashMap<>();
    numbers.forEach((folder, f) -> cut.put(folder, Rows.of(batch, selected[f], counts[f])));
    return cut;
  }

  private String folder(Table table, Batch batch, int row) {
    StringBuilder folder = new StringBuilder();
    for (By each : by) {
      int place = table.schema().find(each.field()).orElseThrow();
      Type type = table.schema().column(place).type();
      Vector vector = batch.column(place);
      String value = vector.absent(row) ? "" : value(each, type, vector, row);
      folder.append(folder.isEmpty() ? "" : "/").append(each.key()).append('=');
      folder.append(value.isEmpty() ? NONE : escaped(value));
    }
    return folder.toString();
  }

  private String value(By each, Type type, Vector vector, int row) {
    if (each.part().isEmpty()) {
      return ValueText.text(type, vector, row);
    }
    long value = ((LongVector) vector).get(row);
    ZonedDateTime time =
        type == Type.Scalar.DATE
            ? LocalDate.ofEpochDay(value).atStartOfDay(zone)
            : Instants.instant(value).atZone(zone);
    return PARTS.get(each.part()).format(time);
  }

  /** Letters, digits and {@code - _ . + :} stay, every other byte is written as {@code %XX}. */
  static String escaped(String value) {
    StringBuilder name = new StringBuilder();
    for (byte b : value.getBytes(StandardCharsets.UTF_8)) {
      boolean plain = b > 0 && (Character.isLetterOrDigit(b) || "-_+:".indexOf(b) >= 0);
      boolean point = b == '.' && !name.isEmpty();
      if (plain || point) {
        name.append((char) b);
      } else {
        name.append('%').append(String.format("%02X", b & 0xFF));
      }
    }
    return name.length() <= LONGEST
        ? name.toString()
        : name.substring(0, LONGEST) + "~" + Integer.toHexString(value.hashCode());
  }

  /** The value that was {@linkplain #escaped escaped}, unless it was too long. */
  static String unescaped(String name) {
    byte[] bytes = new byte[name.length()];
    int count = 0;
    for (int i = 0; i < name.length(); i++) {
      boolean escape = name.charAt(i) == '%' && i + 2 < name.length();
      bytes[count++] =
          (byte) (escape ? HexFormat.fromHexDigits(name, i + 1, i + 3) : name.charAt(i));
      i += escape ? 2 : 0;
    }
    return new String(bytes, 0, count, StandardCharsets.UTF_8);
  }
}
