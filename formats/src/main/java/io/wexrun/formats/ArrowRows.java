package io.wexrun.formats;

import io.wexrun.core.connect.RowsReader;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.io.IOException;
import java.math.BigDecimal;
import java.nio.channels.FileChannel;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.arrow.compression.CommonsCompressionFactory;
import org.apache.arrow.memory.BufferAllocator;
import org.apache.arrow.memory.RootAllocator;
import org.apache.arrow.vector.FieldVector;
import org.apache.arrow.vector.TimeStampVector;
import org.apache.arrow.vector.VectorSchemaRoot;
import org.apache.arrow.vector.complex.FixedSizeListVector;
import org.apache.arrow.vector.complex.ListVector;
import org.apache.arrow.vector.complex.StructVector;
import org.apache.arrow.vector.ipc.ArrowFileReader;
import org.apache.arrow.vector.types.DateUnit;
import org.apache.arrow.vector.types.FloatingPointPrecision;
import org.apache.arrow.vector.types.TimeUnit;
import org.apache.arrow.vector.types.pojo.ArrowType;
import org.apache.arrow.vector.types.pojo.Field;

/**
 * Rows of Arrow IPC files (Arrow columnar format 1.5, "IPC File Format"), also compressed ones.
 * Times without a zone are in UTC.
 */
public final class ArrowRows implements RowsReader {
  private static final int MOST_DIGITS = 18;

  @Override
  public String format() {
    return "arrow";
  }

  @Override
  public Schema columns(Path file) throws IOException {
    try (Open open = new Open(file)) {
      List<Column> columns = new ArrayList<>();
      for (Field field : open.root.getSchema().getFields()) {
        columns.add(Column.of(field.getName(), type(field)));
      }
      return new Schema(columns);
    }
  }

  private static Type type(Field field) throws IOException {
    ArrowType type = field.getType();
    if (type instanceof ArrowType.List || type instanceof ArrowType.FixedSizeList) {
      return new Type.ListOf(type(field.getChildren().get(0)));
    } else if (type instanceof ArrowType.Struct) {
      List<Column> fields = new ArrayList<>();
      for (Field child : field.getChildren()) {
        fields.add(Column.of(child.getName(), type(child)));
      }
      return new Type.Struct(fields);
    } else if (type instanceof ArrowType.Decimal decimal
        && decimal.getPrecision() <= MOST_DIGITS
        && decimal.getScale() >= 0) {
      return new Type.Decimal(decimal.getPrecision(), decimal.getScale());
    } else if (type instanceof ArrowType.Int number) {
      boolean small = number.getBitWidth() < (number.getIsSigned() ? 64 : 32);
      return small ? Type.Scalar.INT : Type.Scalar.LONG;
    } else if (type instanceof ArrowType.FloatingPoint number
        && number.getPrecision() != FloatingPointPrecision.HALF) {
      return Type.Scalar.DOUBLE;
    } else if (type instanceof ArrowType.Timestamp) {
      return Type.Scalar.TIMESTAMP;
    } else if (type instanceof ArrowType.Date) {
      return Type.Scalar.DATE;
    } else if (type instanceof ArrowType.Bool) {
      return Type.Scalar.BOOL;
    } else if (type instanceof ArrowType.Utf8 || type instanceof ArrowType.LargeUtf8) {
      return Type.Scalar.TEXT;
    } else if (type instanceof ArrowType.Binary
        || type instanceof ArrowType.LargeBinary
        || type instanceof ArrowType.FixedSizeBinary) {
      return Type.Scalar.BYTES;
    }
    throw new IOException(
        "column '" + field.getName() + "' is a " + type + ", which Wexrun does not hold");
  }

  @Override
  public Rows open(Path file, long from) throws IOException {
    Open open = new Open(file);
    try {
      open.pass(from);
      return open;
    } catch (IOException e) {
      open.close();
      throw e;
    }
  }

  private static IOException failed(Exception e) {
    return new IOException(
        e.getMessage() == null
            ? "it is damaged (" + e.getClass().getSimpleName() + ")"
            : e.getMessage(),
        e);
  }

  private static final class Open implements Rows {
    private final BufferAllocator memory = new RootAllocator();
    private final FileChannel channel;
    private final ArrowFileReader reader;
    private final VectorSchemaRoot root;
    private int row;

    Open(Path file) throws IOException {
      channel = FileChannel.open(file, StandardOpenOption.READ);
      reader = new ArrowFileReader(channel, memory, CommonsCompressionFactory.INSTANCE);
      try {
        root = reader.getVectorSchemaRoot();
      } catch (RuntimeException e) {
        close();
        throw failed(e);
      } catch (IOException e) {
        close();
        throw e;
      }
    }

    void pass(long rows) throws IOException {
      long left = rows;
      while (left > 0 && load()) {
        long here = Math.min(left, root.getRowCount() - row);
        row += (int) here;
        left -= here;
      }
    }

    /** Whether there is a row at the place. */
    private boolean load() throws IOException {
      try {
        while (row >= root.getRowCount()) {
          if (!reader.loadNextBatch()) {
            return false;
          }
          row = 0;
        }
        return true;
      } catch (RuntimeException e) {
        throw failed(e); // The library throws this where bytes are not what they should be.
      }
    }

    @Override
    public Optional<Map<String, Object>> next() throws IOException {
      if (!load()) {
        return Optional.empty();
      }
      Map<String, Object> values = new LinkedHashMap<>();
      for (FieldVector vector : root.getFieldVectors()) {
        values.put(vector.getName(), value(vector, row));
      }
      row++;
      return Optional.of(values);
    }

    @Override
    public void close() throws IOException {
      try {
        reader.close();
      } finally {
        channel.close();
        memory.close();
      }
    }
  }

  private static Object value(FieldVector vector, int at) {
    if (vector.isNull(at)) {
      return null;
    }
    if (vector instanceof StructVector struct) {
      Map<String, Object> values = new LinkedHashMap<>();
      struct
          .getChildrenFromFields()
          .forEach(child -> values.put(child.getName(), value(child, at)));
      return values;
    } else if (vector instanceof ListVector list) {
      return values(
          list.getDataVector(), list.getElementStartIndex(at), list.getElementEndIndex(at));
    } else if (vector instanceof FixedSizeListVector list) {
      return values(
          list.getDataVector(), list.getElementStartIndex(at), list.getElementEndIndex(at));
    } else if (vector instanceof TimeStampVector times) {
      return instant(times.get(at), ((ArrowType.Timestamp) vector.getField().getType()).getUnit());
    } else if (vector.getField().getType() instanceof ArrowType.Date date) {
      Object value = vector.getObject(at);
      return date.getUnit() == DateUnit.DAY
          ? LocalDate.ofEpochDay((Integer) value)
          : ((LocalDateTime) value)
              .toInstant(ZoneOffset.UTC)
              .atOffset(ZoneOffset.UTC)
              .toLocalDate();
    }
    Object value = vector.getObject(at);
    if (value instanceof Character number) {
      return (int) number; // How the library gives numbers of 16 bits without a sign.
    }
    return value instanceof Number || value instanceof Boolean || value instanceof byte[]
        ? unsigned(vector, value)
        : value.toString();
  }

  /** Numbers without a sign come as negative ones if they are large. */
  private static Object unsigned(FieldVector vector, Object value) {
    boolean without =
        vector.getField().getType() instanceof ArrowType.Int number && !number.getIsSigned();
    if (!without || value instanceof BigDecimal) {
      return value;
    } else if (value instanceof Byte small) {
      return Byte.toUnsignedInt(small);
    } else if (value instanceof Integer number) {
      return Integer.toUnsignedLong(number);
    }
    return value;
  }

  private static List<Object> values(FieldVector vector, int from, int to) {
    List<Object> values = new ArrayList<>();
    for (int at = from; at < to; at++) {
      values.add(value(vector, at));
    }
    return values;
  }

  private static Instant instant(long value, TimeUnit unit) {
    return switch (unit) {
      case SECOND -> Instant.EPOCH.plus(value, ChronoUnit.SECONDS);
      case MILLISECOND -> Instant.EPOCH.plus(value, ChronoUnit.MILLIS);
      case MICROSECOND -> Instant.EPOCH.plus(value, ChronoUnit.MICROS);
      case NANOSECOND -> Instant.EPOCH.plus(value, ChronoUnit.NANOS);
    };
  }
}
