package io.wexrun.postgres;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.io.ByteArrayOutputStream;
import java.nio.charset.StandardCharsets;
import java.sql.SQLException;
import java.util.HexFormat;
import java.util.List;
import org.postgresql.copy.CopyIn;

/**
 * Rows as the server takes them in {@code COPY ... (FORMAT text)}, by the format in the server's
 * documentation of COPY: for columns whose types are not ours, since each type of the server reads
 * a text. For one thread.
 */
final class CopyText {
  private static final int SEND = 256 << 10;

  private final List<Column> columns;
  private final ByteArrayOutputStream out = new ByteArrayOutputStream(SEND + (64 << 10));

  CopyText(Schema schema) {
    this.columns = schema.columns();
  }

  /** Sends rows; the copy is not ended. */
  void send(List<Rows> parts, CopyIn copy) throws SQLException {
    for (Rows rows : parts) {
      Batch batch = rows.batch();
      for (int i = 0; i < rows.count(); i++) {
        for (int c = 0; c < columns.size(); c++) {
          if (c > 0) {
            out.write('\t');
          }
          value(columns.get(c).type(), batch.column(c), rows.row(i));
        }
        out.write('\n');
        if (out.size() >= SEND) {
          flush(copy);
        }
      }
    }
    flush(copy);
  }

  private void flush(CopyIn copy) throws SQLException {
    copy.writeToCopy(out.toByteArray(), 0, out.size());
    out.reset();
  }

  private void value(Type type, Vector vector, int row) {
    if (vector.absent(row)) {
      out.write('\\');
      out.write('N');
    } else if (PostgresDialect.isArray(type)) {
      StringBuilder array = new StringBuilder();
      array(((Type.ListOf) type).element(), (ListVector) vector, row, array);
      escaped(array.toString().getBytes(StandardCharsets.UTF_8));
    } else if (type == Type.Scalar.TEXT || type == Type.Scalar.JSON) {
      TextVector text = (TextVector) vector;
      escaped(text.data(), text.start(row), text.end(row));
    } else {
      escaped(text(type, vector, row).getBytes(StandardCharsets.UTF_8));
    }
  }

  private static String text(Type type, Vector vector, int row) {
    if (type == Type.Scalar.BYTES) {
      TextVector bytes = (TextVector) vector;
      return "\\x" + HexFormat.of().formatHex(bytes.data(), bytes.start(row), bytes.end(row));
    }
    return ValueText.text(type, vector, row);
  }

  /** An array's text form: elements in quotes, but for nulls. */
  private static void array(Type element, ListVector lists, int row, StringBuilder array) {
    array.append('{');
    for (int i = lists.start(row); i < lists.end(row); i++) {
      array.append(i == lists.start(row) ? "" : ",");
      if (lists.elements().absent(i)) {
        array.append("NULL");
      } else {
        String text = text(element, lists.elements(), i);
        array.append('"').append(text.replace("\\", "\\\\").replace("\"", "\\\"")).append('"');
      }
    }
    array.append('}');
  }

  private void escaped(byte[] text) {
    escaped(text, 0, text.length);
  }

  private void escaped(byte[] data, int from, int to) {
    for (int i = from; i < to; i++) {
      int escape =
          switch (data[i]) {
            case '\\' -> '\\';
            case '\n' -> 'n';
            case '\r' -> 'r';
            case '\t' -> 't';
            default -> 0;
          };
      if (escape != 0) {
        out.write('\\');
      }
      out.write(escape == 0 ? data[i] : escape);
    }
  }
}
