package io.wexrun.duckdb.encrypted;

import io.wexrun.core.schema.Instants;
import io.wexrun.core.secret.Keys;
import io.wexrun.core.target.Answer;
import java.io.IOException;
import java.math.BigDecimal;
import java.math.BigInteger;
import java.nio.ByteBuffer;
import java.nio.file.Path;
import java.time.LocalDate;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.UUID;
import org.apache.parquet.example.data.Group;
import org.apache.parquet.io.api.Binary;
import org.apache.parquet.schema.LogicalTypeAnnotation;
import org.apache.parquet.schema.LogicalTypeAnnotation.DateLogicalTypeAnnotation;
import org.apache.parquet.schema.LogicalTypeAnnotation.DecimalLogicalTypeAnnotation;
import org.apache.parquet.schema.LogicalTypeAnnotation.ListLogicalTypeAnnotation;
import org.apache.parquet.schema.LogicalTypeAnnotation.TimestampLogicalTypeAnnotation;
import org.apache.parquet.schema.LogicalTypeAnnotation.UUIDLogicalTypeAnnotation;
import org.apache.parquet.schema.PrimitiveType;
import org.apache.parquet.schema.PrimitiveType.PrimitiveTypeName;
import org.apache.parquet.schema.Type;

/** Rows of an encrypted file as plain values, for people to look at. */
public final class EncryptedRows {
  private EncryptedRows() {}

  /** Whether a Parquet file is encrypted. */
  public static boolean encrypted(Path file) throws IOException {
    return EncryptedReader.encrypted(file);
  }

  /**
   * The first rows of a file.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if the key is missing or wrong, or what is
   *     encrypted was changed
   */
  public static Answer read(Path file, int limit, Keys keys) throws IOException {
    try (EncryptedReader reader = EncryptedReader.open(file, Optional.empty(), keys)) {
      List<Type> fields = reader.schema().getFields();
      List<List<Object>> rows = new ArrayList<>();
      while (rows.size() < limit) {
        Group row = reader.next();
        if (row == null) {
          break;
        }
        List<Object> values = new ArrayList<>();
        for (int f = 0; f < fields.size(); f++) {
          values.add(value(row, f, fields.get(f)));
        }
        rows.add(values);
      }
      return new Answer(
          fields.stream().map(Type::getName).toList(),
          fields.stream().map(EncryptedRows::numeric).toList(),
          rows);
    }
  }

  private static boolean numeric(Type type) {
    if (!type.isPrimitive()) {
      return false;
    }
    LogicalTypeAnnotation as = type.getLogicalTypeAnnotation();
    PrimitiveTypeName name = type.asPrimitiveType().getPrimitiveTypeName();
    boolean time =
        as instanceof DateLogicalTypeAnnotation || as instanceof TimestampLogicalTypeAnnotation;
    return !time
        && (name == PrimitiveTypeName.INT32
            || name == PrimitiveTypeName.INT64
            || name == PrimitiveTypeName.DOUBLE);
  }

  private static Object value(Group group, int field, Type type) {
    if (group.getFieldRepetitionCount(field) == 0) {
      return null;
    }
    if (type.isPrimitive()) {
      return scalar(group, field, type.asPrimitiveType());
    }
    Group inside = group.getGroup(field, 0);
    if (type.getLogicalTypeAnnotation() instanceof ListLogicalTypeAnnotation) {
      Type element = type.asGroupType().getType(0).asGroupType().getType(0);
      List<Object> elements = new ArrayList<>();
      for (int e = 0; e < inside.getFieldRepetitionCount(0); e++) {
        elements.add(value(inside.getGroup(0, e), 0, element));
      }
      return elements;
    }
    Map<String, Object> fields = new LinkedHashMap<>();
    for (int f = 0; f < type.asGroupType().getFieldCount(); f++) {
      Type each = type.asGroupType().getType(f);
      fields.put(each.getName(), value(inside, f, each));
    }
    return fields;
  }

  private static Object scalar(Group group, int field, PrimitiveType type) {
    LogicalTypeAnnotation as = type.getLogicalTypeAnnotation();
    return switch (type.getPrimitiveTypeName()) {
      case BOOLEAN -> group.getBoolean(field, 0);
      case DOUBLE -> group.getDouble(field, 0);
      case INT32 -> whole(group.getInteger(field, 0), as, true);
      case INT64 -> whole(group.getLong(field, 0), as, false);
      default -> {
        Binary value = group.getBinary(field, 0);
        ByteBuffer bytes = value.toByteBuffer();
        yield as instanceof UUIDLogicalTypeAnnotation
            ? new UUID(bytes.getLong(), bytes.getLong()).toString()
            : as == null ? HexFormat.of().formatHex(value.getBytes()) : value.toStringUsingUTF8();
      }
    };
  }

  private static Object whole(long value, LogicalTypeAnnotation as, boolean small) {
    if (as instanceof DecimalLogicalTypeAnnotation decimal) {
      return new BigDecimal(BigInteger.valueOf(value), decimal.getScale());
    }
    if (as instanceof DateLogicalTypeAnnotation) {
      return LocalDate.ofEpochDay(value).toString();
    }
    if (as instanceof TimestampLogicalTypeAnnotation) {
      return Instants.instant(value)
          .atOffset(ZoneOffset.UTC)
          .format(DateTimeFormatter.ISO_OFFSET_DATE_TIME);
    }
    return small ? (Object) (int) value : (Object) value;
  }
}
