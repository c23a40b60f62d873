package io.wexrun.duckdb;

import java.sql.Blob;
import java.sql.SQLException;
import java.time.OffsetDateTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.HexFormat;

/** Values of a result set as plain Java: null, Boolean, Number or String. */
final class Values {
  private Values() {}

  static Object plain(Object value) throws SQLException {
    if (value == null || value instanceof Boolean || value instanceof Number) {
      return value;
    }
    if (value instanceof OffsetDateTime time) {
      return time.withOffsetSameInstant(ZoneOffset.UTC)
          .format(DateTimeFormatter.ISO_OFFSET_DATE_TIME);
    }
    if (value instanceof Blob blob) {
      return HexFormat.of().formatHex(blob.getBytes(1, (int) blob.length()));
    }
    return value.toString();
  }
}
