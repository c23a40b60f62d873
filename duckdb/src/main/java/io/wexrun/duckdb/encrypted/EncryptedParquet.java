package io.wexrun.duckdb.encrypted;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.schema.Column;
import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.HexFormat;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.hadoop.conf.Configuration;
import org.apache.parquet.conf.ParquetConfiguration;
import org.apache.parquet.conf.PlainParquetConfiguration;
import org.apache.parquet.crypto.FileEncryptionProperties;
import org.apache.parquet.crypto.ParquetCipher;
import org.apache.parquet.example.data.Group;
import org.apache.parquet.example.data.GroupWriter;
import org.apache.parquet.hadoop.ParquetWriter;
import org.apache.parquet.hadoop.api.WriteSupport;
import org.apache.parquet.io.LocalOutputFile;
import org.apache.parquet.io.OutputFile;
import org.apache.parquet.io.api.RecordConsumer;
import org.apache.parquet.schema.MessageType;

/**
 * Writes Parquet files with modular encryption: AES-GCM, footer and all columns with one key
 * (https://parquet.apache.org/docs/file-format/data-pages/encryption/). The footer's key metadata
 * are the key's name, {@code ":"} and its {@linkplain EncryptionKey#mark mark} in hexadecimal
 * digits.
 */
public final class EncryptedParquet {
  /**
   * DuckDB reads encrypted columns only if they have one page in each group of rows. So a page is
   * not limited, and a group has no more rows than one that DuckDB writes.
   */
  private static final int GROUP_ROWS = 122_880;

  private static final int NO_LIMIT = 1 << 30;

  private EncryptedParquet() {}

  /**
   * How a file is written.
   *
   * @param file not there yet
   * @param columns in order
   * @param compression zstd, snappy, gzip or none
   * @param key empty if it is not encrypted
   */
  public record Writing(
      Path file, List<Column> columns, String compression, Optional<EncryptionKey> key) {}

  /**
   * Writes rows.
   *
   * @param sort the columns by which they are in order; none for the order in which they come
   */
  public static void write(List<Rows> parts, List<String> sort, Writing how) throws IOException {
    List<String> names = how.columns().stream().map(Column::name).toList();
    int[] columns = sort.stream().mapToInt(names::indexOf).toArray();
    try (ParquetWriter<RowWriter.Row> writer = open(how, new RowWriter(how.columns()))) {
      for (RowWriter.Row row : RowOrder.of(parts, columns)) {
        writer.write(row);
      }
    }
  }

  /**
   * Writes the rows of several files into one, those of the first file first.
   *
   * @param from encrypted or not; columns that they do not have are absent
   * @return how many rows there were
   * @throws IOException if the file has not as many rows as the others together
   * @throws io.wexrun.core.diagnose.OutsideException if a key is missing or wrong
   */
  public static long merge(List<Path> from, Writing how, Keys keys) throws IOException {
    MessageType schema = ColumnTypes.schema(how.columns());
    long rows = 0;
    try (ParquetWriter<Group> writer = open(how, new Groups(schema))) {
      for (Path file : from) {
        try (EncryptedReader reader = EncryptedReader.open(file, Optional.of(schema), keys)) {
          for (Group row = reader.next(); row != null; row = reader.next()) {
            writer.write(row);
          }
          rows += reader.rows();
        }
      }
    }
    try (EncryptedReader written = EncryptedReader.open(how.file(), Optional.empty(), keys)) {
      if (written.rows() != rows) {
        throw new IOException(how.file() + " has " + written.rows() + " rows of " + rows);
      }
    }
    return rows;
  }

  private static <T> ParquetWriter<T> open(Writing how, WriteSupport<T> support)
      throws IOException {
    Codecs codecs = new Codecs();
    Builder<T> builder =
        new Builder<>(new LocalOutputFile(how.file()), support)
            .withConf(new PlainParquetConfiguration())
            .withCompressionCodec(Codecs.named(how.compression()))
            .withCodecFactory(codecs)
            .withPageSize(NO_LIMIT)
            .withPageRowCountLimit(NO_LIMIT)
            .withRowGroupRowCountLimit(GROUP_ROWS);
    return how.key().map(key -> builder.withEncryption(properties(key))).orElse(builder).build();
  }

  private static FileEncryptionProperties properties(EncryptionKey key) {
    String metadata = key.id() + ":" + HexFormat.of().formatHex(key.mark());
    return FileEncryptionProperties.builder(key.secret())
        .withFooterKeyMetadata(metadata.getBytes(StandardCharsets.UTF_8))
        .withAlgorithm(ParquetCipher.AES_GCM_V1)
        .build();
  }

  private static final class Builder<T> extends ParquetWriter.Builder<T, Builder<T>> {
    private final WriteSupport<T> support;

    Builder(OutputFile file, WriteSupport<T> support) {
      super(file);
      this.support = support;
    }

    @Override
    protected Builder<T> self() {
      return this;
    }

    @Override
    protected WriteSupport<T> getWriteSupport(Configuration conf) {
      return support;
    }

    @Override
    protected WriteSupport<T> getWriteSupport(ParquetConfiguration conf) {
      return support;
    }
  }

  /** Writes rows as they were read. */
  private static final class Groups extends WriteSupport<Group> {
    private final MessageType schema;
    private GroupWriter writer;

    Groups(MessageType schema) {
      this.schema = schema;
    }

    @Override
    public WriteContext init(Configuration conf) {
      return new WriteContext(schema, Map.of());
    }

    @Override
    public WriteContext init(ParquetConfiguration conf) {
      return new WriteContext(schema, Map.of());
    }

    @Override
    public void prepareForWrite(RecordConsumer to) {
      writer = new GroupWriter(to, schema);
    }

    @Override
    public void write(Group row) {
      writer.write(row);
    }
  }
}
