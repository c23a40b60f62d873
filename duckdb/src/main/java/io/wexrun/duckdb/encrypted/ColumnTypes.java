package io.wexrun.duckdb.encrypted;

import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import java.util.ArrayList;
import java.util.List;
import org.apache.parquet.schema.GroupType;
import org.apache.parquet.schema.LogicalTypeAnnotation;
import org.apache.parquet.schema.LogicalTypeAnnotation.TimeUnit;
import org.apache.parquet.schema.MessageType;
import org.apache.parquet.schema.PrimitiveType.PrimitiveTypeName;
import org.apache.parquet.schema.Types;

/** Columns in Parquet, as DuckDB writes them in its own files. */
final class ColumnTypes {
  static final String LIST = "list";
  static final String ELEMENT = "element";

  private static final int INT_DIGITS = 9;

  private ColumnTypes() {}

  /** Whether a decimal has 32 bits. */
  static boolean small(Type.Decimal decimal) {
    return decimal.precision() <= INT_DIGITS;
  }

  static MessageType schema(List<Column> columns) {
    List<org.apache.parquet.schema.Type> types = new ArrayList<>();
    columns.forEach(column -> types.add(type(column.name(), column.type())));
    return new MessageType("rows", types);
  }

  private static org.apache.parquet.schema.Type type(String name, Type type) {
    if (type instanceof Type.ListOf list) {
      GroupType repeated =
          Types.repeatedGroup().addField(type(ELEMENT, list.element())).named(LIST);
      return Types.optionalGroup()
          .as(LogicalTypeAnnotation.listType())
          .addField(repeated)
          .named(name);
    }
    if (type instanceof Type.Struct struct) {
      List<org.apache.parquet.schema.Type> fields = new ArrayList<>();
      struct.fields().forEach(field -> fields.add(type(field.name(), field.type())));
      return new GroupType(org.apache.parquet.schema.Type.Repetition.OPTIONAL, name, fields);
    }
    if (type instanceof Type.Decimal decimal) {
      boolean small = small(decimal);
      return Types.optional(small ? PrimitiveTypeName.INT32 : PrimitiveTypeName.INT64)
          .as(LogicalTypeAnnotation.decimalType(decimal.scale(), decimal.precision()))
          .named(name);
    }
    return switch ((Type.Scalar) type) {
      case BOOL -> Types.optional(PrimitiveTypeName.BOOLEAN).named(name);
      case INT -> whole(PrimitiveTypeName.INT32, LogicalTypeAnnotation.intType(32, true), name);
      case LONG -> whole(PrimitiveTypeName.INT64, LogicalTypeAnnotation.intType(64, true), name);
      case DOUBLE -> Types.optional(PrimitiveTypeName.DOUBLE).named(name);
      case TEXT -> whole(PrimitiveTypeName.BINARY, LogicalTypeAnnotation.stringType(), name);
      case BYTES -> Types.optional(PrimitiveTypeName.BINARY).named(name);
      case TIMESTAMP ->
          whole(
              PrimitiveTypeName.INT64,
              LogicalTypeAnnotation.timestampType(true, TimeUnit.MICROS),
              name);
      case DATE -> whole(PrimitiveTypeName.INT32, LogicalTypeAnnotation.dateType(), name);
      case UUID ->
          Types.optional(PrimitiveTypeName.FIXED_LEN_BYTE_ARRAY)
              .length(16)
              .as(LogicalTypeAnnotation.uuidType())
              .named(name);
      case JSON -> whole(PrimitiveTypeName.BINARY, LogicalTypeAnnotation.jsonType(), name);
    };
  }

  private static org.apache.parquet.schema.Type whole(
      PrimitiveTypeName primitive, LogicalTypeAnnotation as, String name) {
    return Types.optional(primitive).as(as).named(name);
  }
}
