package io.wexrun.formats;

import io.wexrun.core.batch.Vector;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.ParseStep;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.nio.charset.StandardCharsets;
import java.security.NoSuchAlgorithmException;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import org.apache.avro.AvroRuntimeException;
import org.apache.avro.Schema;
import org.apache.avro.SchemaNormalization;

/**
 * {@code avro: {schema: FILE, encoding: binary | single-object, from: FIELD}}: records that hold
 * one Avro datum each, in the binary encoding of the schema in the file; with {@code single-object}
 * with the marker and fingerprint of Avro's single-object encoding before it.
 */
public final class AvroKind implements StepKind {
  @Override
  public String name() {
    return "avro";
  }

  @Override
  public Form form() {
    return Form.keys(
            Form.with(
                "schema", Form.text(),
                "encoding", Form.word("binary", "single-object"),
                "from", Form.text().about("the field to read, if it is not the raw record")),
            "schema")
        .about("one Avro datum");
  }

  @Override
  public List<Step> compile(Written written, StepContext context) {
    int before = written.diagnostics().errors();
    Map<String, Written> entries =
        written.entries("an avro", List.of("schema", "encoding", BinaryStep.FIELD));
    int from = BinaryStep.place(entries, written, context);
    boolean single =
        entries.containsKey("encoding")
            && entries
                .get("encoding")
                .choice(List.of("binary", "single-object"))
                .equals("single-object");
    Written file = entries.get("schema");
    if (file == null) {
      written.error("missing-key", "avro needs 'schema'", "name the file with the schema");
      return List.of();
    }
    Optional<Schema> schema = schema(file, context);
    if (schema.isEmpty() || written.diagnostics().errors() > before) {
      return List.of();
    }
    try {
      AvroType record = AvroType.of(schema.get());
      if (!(record.type() instanceof Type.Struct)) {
        file.error("bad-schema", "the schema is of no record with fields", "");
        return List.of();
      }
      return List.of(new AvroStep(context.input(), record, from, single, schema.get()));
    } catch (IllegalArgumentException e) {
      file.error("bad-schema", "the schema cannot be read into columns: " + e.getMessage(), "");
      return List.of();
    }
  }

  private static Optional<Schema> schema(Written file, StepContext context) {
    try {
      String text = new String(context.references().bytes(file.text()), StandardCharsets.UTF_8);
      return Optional.of(new Schema.Parser().parse(text));
    } catch (OutsideException e) {
      file.error("missing-file", e.getMessage(), "");
    } catch (AvroRuntimeException e) {
      file.error(
          "bad-schema", "'" + file.text() + "' is not an Avro schema: " + e.getMessage(), "");
    }
    return Optional.empty();
  }

  private static final class AvroStep extends BinaryStep {
    private final AvroType record;
    private final byte[] header;

    AvroStep(
        io.wexrun.core.schema.Schema input,
        AvroType record,
        int from,
        boolean single,
        Schema schema) {
      super(
          input,
          new io.wexrun.core.schema.Schema(
              record.members().stream()
                  .map(m -> new Column(m.name(), m.type().type(), !m.type().nullable()))
                  .toList()),
          from);
      this.record = record;
      this.header = single ? header(schema) : new byte[0];
    }

    /** C3 01, then the CRC-64-AVRO fingerprint, little-endian. */
    private static byte[] header(Schema schema) {
      try {
        byte[] print = SchemaNormalization.parsingFingerprint("CRC-64-AVRO", schema);
        byte[] header = new byte[10];
        header[0] = (byte) 0xC3;
        header[1] = 1;
        System.arraycopy(print, 0, header, 2, 8);
        return header;
      } catch (NoSuchAlgorithmException e) {
        throw new IllegalStateException("the library knows its own fingerprint", e);
      }
    }

    @Override
    protected ParseStep.Reading begin(Records records, List<Vector> columns, Rejects rejects) {
      AvroReading reading = new AvroReading();
      return (data, from, to, number) -> {
        for (int i = 0; i < header.length; i++) {
          if (from + i >= to || data[from + i] != header[i]) {
            String what = "it does not begin with the marker and fingerprint of the schema";
            rejects.reject(number, Reason.NO_MATCH, "", what);
            return false;
          }
        }
        if (reading.read(record, columns, data, from + header.length, to)) {
          return true;
        }
        rejects.reject(number, Reason.BAD_VALUE, reading.faultField(), reading.fault());
        return false;
      };
    }
  }
}
