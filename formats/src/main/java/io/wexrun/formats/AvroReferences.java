package io.wexrun.formats;

import io.wexrun.core.connect.ReferenceReader;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.reference.ReferenceTable;
import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import org.apache.avro.AvroRuntimeException;
import org.apache.avro.Schema;
import org.apache.avro.file.DataFileReader;
import org.apache.avro.generic.GenericDatumReader;
import org.apache.avro.generic.GenericRecord;

/** Reference tables in Avro files, which hold their schema. */
public final class AvroReferences implements ReferenceReader {
  @Override
  public List<String> endings() {
    return List.of(".avro");
  }

  @Override
  public ReferenceTable read(Path file, String name, long most) {
    GenericDatumReader<GenericRecord> datum = new GenericDatumReader<>();
    // Logical types as text: instants, days and decimals, not their numbers.
    datum.getData().addLogicalTypeConversion(new org.apache.avro.Conversions.DecimalConversion());
    datum
        .getData()
        .addLogicalTypeConversion(
            new org.apache.avro.data.TimeConversions.TimestampMillisConversion());
    datum
        .getData()
        .addLogicalTypeConversion(
            new org.apache.avro.data.TimeConversions.TimestampMicrosConversion());
    datum
        .getData()
        .addLogicalTypeConversion(new org.apache.avro.data.TimeConversions.DateConversion());
    try (DataFileReader<GenericRecord> reader = new DataFileReader<>(file.toFile(), datum)) {
      Schema schema = reader.getSchema();
      if (schema.getType() != Schema.Type.RECORD) {
        throw new OutsideException(name + " holds no records, but " + schema.getType().getName());
      }
      List<String> columns = schema.getFields().stream().map(Schema.Field::name).toList();
      List<List<String>> rows = new ArrayList<>();
      while (reader.hasNext() && rows.size() < most) {
        GenericRecord record = reader.next();
        List<String> row = new ArrayList<>();
        for (int i = 0; i < columns.size(); i++) {
          row.add(record.get(i) == null ? null : record.get(i).toString());
        }
        rows.add(row);
      }
      return new ReferenceTable(name, columns, rows);
    } catch (IOException | AvroRuntimeException e) {
      // Of a file that is cut off, the library tells with an exception that has no words.
      String why = e.getMessage() == null ? "it ends within a block" : e.getMessage();
      throw new OutsideException("cannot read " + name + ": " + why, e);
    }
  }
}
