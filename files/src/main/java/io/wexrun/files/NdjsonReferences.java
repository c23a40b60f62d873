package io.wexrun.files;

import io.wexrun.core.connect.ReferenceReader;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.reference.ReferenceTable;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.DeserializationFeature;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.ObjectMapper;
import tools.jackson.databind.cfg.JsonNodeFeature;
import tools.jackson.databind.json.JsonMapper;

/** Reference tables in NDJSON files: one object a line, whose members are the columns. */
public final class NdjsonReferences implements ReferenceReader {
  /** Numbers stay as they are written. */
  private static final ObjectMapper MAPPER =
      JsonMapper.builder()
          .enable(DeserializationFeature.USE_BIG_DECIMAL_FOR_FLOATS)
          .disable(JsonNodeFeature.STRIP_TRAILING_BIGDECIMAL_ZEROES)
          .build();

  @Override
  public List<String> endings() {
    return List.of(".ndjson", ".jsonl");
  }

  @Override
  public ReferenceTable read(Path file, String name, long most) {
    Map<String, Integer> columns = new LinkedHashMap<>();
    List<List<String>> rows = new ArrayList<>();
    int number = 0;
    try {
      for (String line : Files.readAllLines(file)) {
        number++;
        if (!line.isBlank() && rows.size() < most) {
          rows.add(row(MAPPER.readTree(line), columns, name + ":" + number));
        }
      }
    } catch (JacksonException e) {
      throw new OutsideException(name + ":" + number + ": " + e.getOriginalMessage(), e);
    } catch (IOException e) {
      throw new OutsideException("cannot read " + name + ": " + e.getMessage(), e);
    }
    rows.forEach(
        row -> {
          while (row.size() < columns.size()) {
            row.add(null);
          }
        });
    return new ReferenceTable(name, List.copyOf(columns.keySet()), rows);
  }

  private static List<String> row(JsonNode object, Map<String, Integer> columns, String place) {
    if (!object.isObject()) {
      throw new OutsideException(place + ": a line holds an object");
    }
    List<String> row = new ArrayList<>();
    for (Map.Entry<String, JsonNode> member : object.properties()) {
      int column = columns.computeIfAbsent(member.getKey(), key -> columns.size());
      while (row.size() <= column) {
        row.add(null);
      }
      JsonNode value = member.getValue();
      row.set(
          column, value.isNull() ? null : value.isString() ? value.asString() : value.toString());
    }
    return row;
  }
}
