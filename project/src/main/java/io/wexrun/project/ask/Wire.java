package io.wexrun.project.ask;

import io.wexrun.core.target.Answer;
import java.io.DataInputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.math.BigDecimal;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * How questions and answers go through a socket. Both ends are the same version of Wexrun, of one
 * user on one machine.
 *
 * <pre>{@code
 * Question --> Text(store), Text(kind), Text(SQL, or a table's definition)
 * Reply    --> 0, Answer | 1 (the store is not open here) | 2, Text(why it failed)
 * Answer   --> Count, {Text(column), Bool(numeric)}, Count, {Value}
 * Text     --> Count of bytes, UTF-8
 * }</pre>
 */
final class Wire {
  static final byte ANSWER = 0;
  static final byte NOT_OPEN = 1;
  static final byte FAILURE = 2;

  /** No text is longer; something that says so is not from us. */
  private static final int LONGEST = 64 << 20;

  private Wire() {}

  static void text(DataOutputStream out, String text) throws IOException {
    byte[] utf8 = text.getBytes(StandardCharsets.UTF_8);
    out.writeInt(utf8.length);
    out.write(utf8);
  }

  static String text(DataInputStream in) throws IOException {
    int length = in.readInt();
    if (length < 0 || length > LONGEST) {
      throw new IOException("what came through the socket is not a question or an answer");
    }
    byte[] utf8 = in.readNBytes(length);
    return new String(utf8, StandardCharsets.UTF_8);
  }

  static void answer(DataOutputStream out, Answer answer) throws IOException {
    out.writeInt(answer.columns().size());
    for (int i = 0; i < answer.columns().size(); i++) {
      text(out, answer.columns().get(i));
      out.writeBoolean(answer.numeric().get(i));
    }
    out.writeInt(answer.rows().size());
    for (List<Object> row : answer.rows()) {
      for (Object value : row) {
        value(out, value);
      }
    }
  }

  static Answer answer(DataInputStream in) throws IOException {
    List<String> columns = new ArrayList<>();
    List<Boolean> numeric = new ArrayList<>();
    for (int left = in.readInt(); left > 0; left--) {
      columns.add(text(in));
      numeric.add(in.readBoolean());
    }
    List<List<Object>> rows = new ArrayList<>();
    for (int left = in.readInt(); left > 0; left--) {
      List<Object> row = new ArrayList<>();
      for (int i = 0; i < columns.size(); i++) {
        row.add(value(in));
      }
      rows.add(row);
    }
    return new Answer(columns, numeric, rows);
  }

  private static void value(DataOutputStream out, Object value) throws IOException {
    if (value == null) {
      out.writeByte('0');
    } else if (value instanceof Boolean is) {
      out.writeByte(is ? 't' : 'f');
    } else if (value instanceof Double || value instanceof Float) {
      out.writeByte('d');
      out.writeDouble(((Number) value).doubleValue());
    } else if (value instanceof Number) {
      out.writeByte('n');
      text(out, value.toString());
    } else if (value instanceof List<?> list) {
      out.writeByte('l');
      out.writeInt(list.size());
      for (Object element : list) {
        value(out, element);
      }
    } else if (value instanceof Map<?, ?> map) {
      out.writeByte('m');
      out.writeInt(map.size());
      for (Map.Entry<?, ?> member : map.entrySet()) {
        text(out, String.valueOf(member.getKey()));
        value(out, member.getValue());
      }
    } else {
      out.writeByte('s');
      text(out, value.toString());
    }
  }

  private static Object value(DataInputStream in) throws IOException {
    byte kind = in.readByte();
    return switch (kind) {
      case '0' -> null;
      case 't' -> true;
      case 'f' -> false;
      case 'd' -> in.readDouble();
      case 'n' -> new BigDecimal(text(in));
      case 's' -> text(in);
      case 'l' -> {
        List<Object> list = new ArrayList<>();
        for (int left = in.readInt(); left > 0; left--) {
          list.add(value(in));
        }
        yield list;
      }
      case 'm' -> {
        Map<String, Object> map = new LinkedHashMap<>();
        for (int left = in.readInt(); left > 0; left--) {
          String key = text(in);
          map.put(key, value(in));
        }
        yield map;
      }
      default -> throw new IOException("a value is of no kind: " + kind);
    };
  }
}
