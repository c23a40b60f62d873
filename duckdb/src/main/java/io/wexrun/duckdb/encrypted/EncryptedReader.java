package io.wexrun.duckdb.encrypted;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import java.io.IOException;
import java.io.RandomAccessFile;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.Map;
import java.util.Optional;
import org.apache.hadoop.conf.Configuration;
import org.apache.parquet.ParquetReadOptions;
import org.apache.parquet.conf.ParquetConfiguration;
import org.apache.parquet.conf.PlainParquetConfiguration;
import org.apache.parquet.crypto.FileDecryptionProperties;
import org.apache.parquet.example.data.Group;
import org.apache.parquet.example.data.simple.convert.GroupRecordConverter;
import org.apache.parquet.hadoop.ParquetFileReader;
import org.apache.parquet.hadoop.ParquetReader;
import org.apache.parquet.hadoop.api.InitContext;
import org.apache.parquet.hadoop.api.ReadSupport;
import org.apache.parquet.io.InputFile;
import org.apache.parquet.io.LocalInputFile;
import org.apache.parquet.io.api.RecordMaterializer;
import org.apache.parquet.schema.MessageType;

/** Reads the rows of a Parquet file, encrypted or not. For one thread. */
final class EncryptedReader implements AutoCloseable {
  private static final byte[] END = "PARE".getBytes(StandardCharsets.US_ASCII);

  private final Path file;
  private final ParquetReader<Group> reader;
  private final MessageType schema;
  private final long rows;

  private EncryptedReader(Path file, ParquetReader<Group> reader, MessageType schema, long rows) {
    this.file = file;
    this.reader = reader;
    this.schema = schema;
    this.rows = rows;
  }

  /** Whether a file's footer is encrypted. */
  static boolean encrypted(Path file) throws IOException {
    try (RandomAccessFile in = new RandomAccessFile(file.toFile(), "r")) {
      byte[] end = new byte[END.length];
      if (in.length() < END.length) {
        return false;
      }
      in.seek(in.length() - END.length);
      in.readFully(end);
      return Arrays.equals(end, END);
    }
  }

  /**
   * Opens a file.
   *
   * @param wanted the columns that rows get; those of the file if empty
   * @throws OutsideException if a key is missing or wrong, or what is encrypted was changed
   */
  static EncryptedReader open(Path file, Optional<MessageType> wanted, Keys keys)
      throws IOException {
    InputFile input = new LocalInputFile(file);
    FileDecryptionProperties secret =
        FileDecryptionProperties.builder()
            .withKeyRetriever(metadata -> key(metadata, file, keys).secret())
            .withPlaintextFilesAllowed()
            .build();
    try {
      ParquetReadOptions options =
          new ParquetReadOptions.Builder(new PlainParquetConfiguration())
              .withDecryption(secret)
              .withCodecFactory(new Codecs())
              .build();
      MessageType schema;
      long rows;
      try (ParquetFileReader footer = ParquetFileReader.open(input, options)) {
        schema = wanted.orElse(footer.getFileMetaData().getSchema());
        rows = footer.getRecordCount();
      }
      ParquetReader<Group> reader =
          new Builder(input, schema)
              .withConf(new PlainParquetConfiguration())
              .withDecryption(secret)
              .withCodecFactory(new Codecs())
              .build();
      return new EncryptedReader(file, reader, schema, rows);
    } catch (OutsideException e) {
      throw e;
    } catch (IOException | RuntimeException e) {
      throw failed(file, e);
    }
  }

  private static EncryptionKey key(byte[] metadata, Path file, Keys keys) {
    String[] parts =
        metadata == null ? new String[0] : new String(metadata, StandardCharsets.UTF_8).split(":");
    if (parts.length != 2) {
      throw OutsideException.lasting(
          file + " is encrypted, and does not say with which of our keys");
    }
    return keys.of(parts[0], HexFormat.of().parseHex(parts[1]), file.toString());
  }

  /** The library throws many things at bytes that are not what was written. */
  private static IOException failed(Path file, Exception e) throws IOException {
    if (encrypted(file)) {
      throw OutsideException.lasting(
          file + " is damaged, or was changed or cut: what is encrypted in it cannot be read");
    }
    return e instanceof IOException io ? io : new IOException(e.getMessage(), e);
  }

  MessageType schema() {
    return schema;
  }

  /** How many rows there are, as the footer says. */
  long rows() {
    return rows;
  }

  /** The next row; null at the end. */
  Group next() throws IOException {
    try {
      return reader.read();
    } catch (IOException | RuntimeException e) {
      throw failed(file, e);
    }
  }

  @Override
  public void close() throws IOException {
    reader.close();
  }

  private static final class Builder extends ParquetReader.Builder<Group> {
    private final MessageType schema;

    Builder(InputFile file, MessageType schema) {
      super(file, new PlainParquetConfiguration());
      this.schema = schema;
    }

    @Override
    protected ReadSupport<Group> getReadSupport() {
      return new Support(schema);
    }
  }

  private static final class Support extends ReadSupport<Group> {
    private final MessageType schema;

    Support(MessageType schema) {
      this.schema = schema;
    }

    @Override
    public ReadContext init(InitContext context) {
      return new ReadContext(schema);
    }

    @Override
    public RecordMaterializer<Group> prepareForRead(
        Configuration conf, Map<String, String> metadata, MessageType file, ReadContext context) {
      return new GroupRecordConverter(schema);
    }

    @Override
    public RecordMaterializer<Group> prepareForRead(
        ParquetConfiguration conf,
        Map<String, String> metadata,
        MessageType file,
        ReadContext context) {
      return new GroupRecordConverter(schema);
    }
  }
}
