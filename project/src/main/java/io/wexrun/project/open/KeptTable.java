package io.wexrun.project.open;

import io.wexrun.core.reference.ReferenceTable;
import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.DataInputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.List;

/**
 * The content of a store's table that was looked up in, as bytes to keep.
 *
 * <pre>{@code
 * Table --> Columns, Count of rows, Value*
 * Columns --> Count, Value*
 * Value --> Length in bytes or -1 for an absent one, UTF-8
 * }</pre>
 *
 * <p>Counts and lengths have four bytes, the highest first.
 */
final class KeptTable {
  private KeptTable() {}

  /** The bytes of a table. */
  static byte[] bytes(ReferenceTable table) {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    try (DataOutputStream out = new DataOutputStream(bytes)) {
      out.writeInt(table.columns().size());
      for (String column : table.columns()) {
        write(out, column);
      }
      out.writeInt(table.rows().size());
      for (List<String> row : table.rows()) {
        for (String value : row) {
          write(out, value);
        }
      }
    } catch (IOException e) {
      throw new IllegalStateException("memory takes every byte", e);
    }
    return bytes.toByteArray();
  }

  private static void write(DataOutputStream out, String value) throws IOException {
    byte[] utf8 = value == null ? new byte[0] : value.getBytes(StandardCharsets.UTF_8);
    out.writeInt(value == null ? -1 : utf8.length);
    out.write(utf8);
  }

  /**
   * The table of bytes.
   *
   * @throws IOException if they are not those of a table
   */
  static ReferenceTable table(String name, byte[] bytes) throws IOException {
    DataInputStream in = new DataInputStream(new ByteArrayInputStream(bytes));
    List<String> columns = values(in, in.readInt());
    List<List<String>> rows = new ArrayList<>();
    for (int left = in.readInt(); left > 0; left--) {
      rows.add(values(in, columns.size()));
    }
    return new ReferenceTable(name, columns, rows);
  }

  private static List<String> values(DataInputStream in, int count) throws IOException {
    List<String> values = new ArrayList<>();
    for (int left = count; left > 0; left--) {
      int length = in.readInt();
      values.add(length < 0 ? null : new String(in.readNBytes(length), StandardCharsets.UTF_8));
    }
    return values;
  }
}
