package io.wexrun.postgres;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.math.BigInteger;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.sql.SQLException;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.UUID;
import org.postgresql.copy.CopyIn;

/**
 * Rows as the server takes them in {@code COPY ... (FORMAT binary)}, by the format in the server's
 * documentation of COPY and the receive functions of its types. For one thread.
 */
final class CopyRows {
  private static final byte[] HEADER = {
    'P', 'G', 'C', 'O', 'P', 'Y', '\n', (byte) 0xFF, '\r', '\n', 0, 0, 0, 0, 0, 0, 0, 0, 0
  };
  private static final int SEND = 256 << 10;
  private static final long EPOCH_MICROS = 946_684_800_000_000L;
  private static final int EPOCH_DAYS = 10_957;
  private static final BigInteger TEN_THOUSAND = BigInteger.valueOf(10_000);

  /** Numbers of types, from the server's catalog {@code pg_type}. */
  private static final Map<Type, Integer> NUMBERS =
      Map.of(
          Type.Scalar.BOOL, 16,
          Type.Scalar.BYTES, 17,
          Type.Scalar.LONG, 20,
          Type.Scalar.INT, 23,
          Type.Scalar.TEXT, 25,
          Type.Scalar.DOUBLE, 701,
          Type.Scalar.DATE, 1082,
          Type.Scalar.TIMESTAMP, 1184,
          Type.Scalar.UUID, 2950,
          Type.Scalar.JSON, 3802);

  private static final int NUMERIC = 1700;

  private final List<Column> columns;
  private ByteBuffer buffer = ByteBuffer.allocate(SEND + (64 << 10));

  CopyRows(Schema schema) {
    this.columns = schema.columns();
  }

  /** Sends rows; the copy is not ended. */
  void send(List<Rows> parts, CopyIn copy) throws SQLException {
    buffer.clear();
    buffer.put(HEADER);
    for (Rows rows : parts) {
      Batch batch = rows.batch();
      for (int i = 0; i < rows.count(); i++) {
        int row = rows.row(i);
        room(2);
        buffer.putShort((short) columns.size());
        for (int c = 0; c < columns.size(); c++) {
          value(columns.get(c).type(), batch.column(c), row);
        }
        if (buffer.position() >= SEND) {
          flush(copy);
        }
      }
    }
    room(2);
    buffer.putShort((short) -1);
    flush(copy);
  }

  private void flush(CopyIn copy) throws SQLException {
    copy.writeToCopy(buffer.array(), 0, buffer.position());
    buffer.clear();
  }

  private void room(int more) {
    if (buffer.remaining() < more) {
      int size = Math.max(buffer.capacity() * 2, buffer.position() + more);
      buffer = ByteBuffer.wrap(Arrays.copyOf(buffer.array(), size)).position(buffer.position());
    }
  }

  /** Adds a value with its length before it; -1 stands for null. */
  private void value(Type type, Vector vector, int row) {
    room(16);
    if (vector.absent(row)) {
      buffer.putInt(-1);
    } else if (type instanceof Type.Decimal decimal) {
      numeric(((LongVector) vector).get(row), decimal.scale());
    } else if (PostgresDialect.isArray(type)) {
      array(((Type.ListOf) type).element(), (ListVector) vector, row);
    } else if (type.nested()) {
      jsonb(ValueText.text(type, vector, row).getBytes(StandardCharsets.UTF_8));
    } else {
      scalar((Type.Scalar) type, vector, row);
    }
  }

  private void scalar(Type.Scalar type, Vector vector, int row) {
    switch (type) {
      case BOOL -> buffer.putInt(1).put((byte) ((LongVector) vector).get(row));
      case INT -> buffer.putInt(4).putInt((int) ((LongVector) vector).get(row));
      case DATE -> buffer.putInt(4).putInt((int) ((LongVector) vector).get(row) - EPOCH_DAYS);
      case LONG -> buffer.putInt(8).putLong(((LongVector) vector).get(row));
      case TIMESTAMP -> buffer.putInt(8).putLong(((LongVector) vector).get(row) - EPOCH_MICROS);
      case DOUBLE -> buffer.putInt(8).putDouble(((DoubleVector) vector).get(row));
      case UUID -> {
        UUID uuid = UUID.fromString(((TextVector) vector).text(row));
        room(20);
        buffer.putInt(16);
        buffer.putLong(uuid.getMostSignificantBits()).putLong(uuid.getLeastSignificantBits());
      }
      case TEXT, BYTES -> {
        TextVector text = (TextVector) vector;
        int length = text.end(row) - text.start(row);
        room(4 + length);
        buffer.putInt(length).put(text.data(), text.start(row), length);
      }
      case JSON -> {
        TextVector text = (TextVector) vector;
        jsonb(Arrays.copyOfRange(text.data(), text.start(row), text.end(row)));
      }
    }
  }

  /** {@code jsonb_recv}: the version 1, and the text. */
  private void jsonb(byte[] json) {
    room(5 + json.length);
    buffer.putInt(json.length + 1).put((byte) 1).put(json);
  }

  /** {@code array_recv}: dimensions, whether there are nulls, the type, length and lower bound. */
  private void array(Type element, ListVector lists, int row) {
    room(24);
    int start = buffer.position();
    int count = lists.end(row) - lists.start(row);
    int number = element instanceof Type.Decimal ? NUMERIC : NUMBERS.get(element);
    buffer.putInt(0).putInt(count == 0 ? 0 : 1).putInt(1).putInt(number);
    if (count > 0) {
      buffer.putInt(count).putInt(1);
    }
    for (int i = lists.start(row); i < lists.end(row); i++) {
      value(element, lists.elements(), i);
    }
    buffer.putInt(start, buffer.position() - start - 4);
  }

  /**
   * {@code numeric_recv}: how many digits to the base 10,000, the weight of the first, the sign,
   * how many decimal digits follow the point, the digits.
   */
  private void numeric(long unscaled, int scale) {
    int groups = (scale + 3) / 4;
    BigInteger left =
        BigInteger.valueOf(unscaled).abs().multiply(BigInteger.TEN.pow(groups * 4 - scale));
    short[] digits = new short[16];
    int count = 0;
    // Invariant: digits[0, count) are the lowest ones, the lowest first; left is what is above.
    while (left.signum() > 0) {
      BigInteger[] parts = left.divideAndRemainder(TEN_THOUSAND);
      digits[count++] = parts[1].shortValue();
      left = parts[0];
    }
    room(12 + 2 * count);
    buffer.putInt(8 + 2 * count);
    buffer.putShort((short) count).putShort((short) (count - groups - 1));
    buffer.putShort((short) (unscaled < 0 ? 0x4000 : 0)).putShort((short) scale);
    for (int i = count - 1; i >= 0; i--) {
      buffer.putShort(digits[i]);
    }
  }
}
