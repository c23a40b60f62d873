package io.wexrun.files.folder;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.StoreContract;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.Store;
import java.io.BufferedReader;
import java.io.IOException;
import java.io.InputStreamReader;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Base64;
import java.util.Comparator;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import java.util.zip.GZIPInputStream;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.DeserializationFeature;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

class FolderStoreContractTest extends StoreContract {
  private static final JsonMapper JSON =
      JsonMapper.builder().enable(DeserializationFeature.USE_BIG_DECIMAL_FOR_FLOATS).build();

  @TempDir private Path folder;

  @Override
  protected Store open() {
    Settings settings = Settings.of("folder", "out").with("format", "ndjson");
    return new FolderConnector().open("w", settings, new FolderSite(folder));
  }

  @Override
  protected boolean replaces() {
    return false;
  }

  @Override
  protected void remove() {
    delete(folder.resolve("out"));
  }

  @Override
  protected void drop(String table) {
    delete(folder.resolve("out").resolve(table));
  }

  private static void delete(Path path) {
    try (Stream<Path> files = Files.walk(path)) {
      for (Path file : files.sorted(Comparator.reverseOrder()).toList()) {
        Files.delete(file);
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  @Override
  protected List<List<Object>> rows(Table table) {
    List<List<Object>> rows = new ArrayList<>();
    Path of = folder.resolve("out").resolve(Cut.escaped(table.name())).resolve(Cut.ALL);
    if (!Files.exists(of)) {
      return rows;
    }
    try (Stream<Path> files = Files.list(of)) {
      for (Path file : files.filter(f -> f.toString().endsWith(".ndjson.gz")).toList()) {
        try (BufferedReader lines =
            new BufferedReader(
                new InputStreamReader(
                    new GZIPInputStream(Files.newInputStream(file)), StandardCharsets.UTF_8))) {
          lines.lines().forEach(line -> rows.add(row(table, JSON.readTree(line))));
        }
      }
      return rows;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  private static List<Object> row(Table table, JsonNode object) {
    List<Object> row = new ArrayList<>();
    for (Column column : table.schema().columns()) {
      JsonNode value = object.get(column.name());
      row.add(
          value.isNull()
              ? null
              : column.type() == Type.Scalar.JSON
                  ? value.toString()
                  : column.type() == Type.Scalar.BYTES
                      ? HexFormat.of().formatHex(Base64.getDecoder().decode(value.asString()))
                      : plain(column.type(), value));
    }
    return row;
  }

  private static Object plain(Type type, JsonNode node) {
    if (node == null || node.isNull()) {
      return null;
    }
    if (type instanceof Type.ListOf list) {
      List<Object> elements = new ArrayList<>();
      node.forEach(element -> elements.add(plain(list.element(), element)));
      return elements;
    }
    if (type instanceof Type.Struct struct) {
      Map<String, Object> fields = new LinkedHashMap<>();
      struct.fields().forEach(f -> fields.put(f.name(), plain(f.type(), node.get(f.name()))));
      return fields;
    }
    if (type == Type.Scalar.DOUBLE) {
      return node.asDouble();
    }
    return node.isNumber()
        ? node.numberValue()
        : node.isBoolean() ? node.asBoolean() : node.asString();
  }
}
