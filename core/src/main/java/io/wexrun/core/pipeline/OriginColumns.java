package io.wexrun.core.pipeline;

import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;

/**
 * The two columns by which a row of a table tells the record that it was made of: {@code _source},
 * a number that stands for the source partition, and {@code _position}, the record's position
 * there.
 */
public final class OriginColumns {
  /** The column of the source. */
  public static final String SOURCE = "_source";

  /** The column of the position. */
  public static final String POSITION = "_position";

  private OriginColumns() {}

  /** Columns with these two behind them. */
  public static Schema behind(Schema schema) {
    return schema
        .with(Column.of(SOURCE, Type.Scalar.LONG))
        .with(Column.of(POSITION, Type.Scalar.LONG));
  }

  /** Whether a table has them. */
  public static boolean in(Table table) {
    return table.schema().find(SOURCE).isPresent() && table.schema().find(POSITION).isPresent();
  }

  /** Whether a name is that of one of them. */
  public static boolean is(String column) {
    return column.equals(SOURCE) || column.equals(POSITION);
  }

  /**
   * The number that stands for a source partition: the first eight bytes of the SHA-256 of its
   * name, without the sign. It needs no list of numbers that have been given, and two sources out
   * of a million have the same with a chance of one to ten million.
   */
  public static long id(String source) {
    try {
      byte[] digest =
          MessageDigest.getInstance("SHA-256").digest(source.getBytes(StandardCharsets.UTF_8));
      return ByteBuffer.wrap(digest).getLong() & Long.MAX_VALUE;
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java has SHA-256", e);
    }
  }
}
