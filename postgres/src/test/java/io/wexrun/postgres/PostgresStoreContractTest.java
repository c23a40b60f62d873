package io.wexrun.postgres;

import io.wexrun.contract.StoreContract;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.core.target.Store;
import io.wexrun.sql.Names;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.stream.Collectors;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

class PostgresStoreContractTest extends StoreContract {
  private static final JsonMapper JSON = JsonMapper.builder().build();

  @TempDir private Path folder;
  private String database = Server.database();

  @Override
  protected Store open() {
    return Server.open(database, folder);
  }

  @Override
  protected void remove() {
    database = Server.database();
  }

  @Override
  protected void drop(String table) {
    Server.execute(database, "drop table " + Names.name(table));
  }

  @Override
  protected List<List<Object>> rows(Table table) {
    List<Column> columns = table.schema().columns();
    String names =
        columns.stream().map(c -> Names.name(c.name())).collect(Collectors.joining(", "));
    try (PostgresStore store = Server.open(database, folder)) {
      List<List<Object>> rows = new ArrayList<>();
      for (List<Object> row :
          store.query("select " + names + " from " + Names.name(table.name())).rows()) {
        List<Object> values = new ArrayList<>();
        for (int i = 0; i < row.size(); i++) {
          Type type = columns.get(i).type();
          boolean json = type.nested() && !PostgresDialect.isArray(type);
          values.add(
              row.get(i) == null
                  ? null
                  : json
                      ? nested(type, JSON.readTree((String) row.get(i)))
                      : type == Type.Scalar.JSON
                          ? JSON.readTree((String) row.get(i)).toString()
                          : row.get(i));
        }
        rows.add(values);
      }
      return rows;
    }
  }

  /** The values that are in jsonb, in the order of the type's fields. */
  private static Object nested(Type type, JsonNode node) {
    if (node == null || node.isNull()) {
      return null;
    }
    if (type instanceof Type.ListOf list) {
      List<Object> elements = new ArrayList<>();
      node.forEach(element -> elements.add(nested(list.element(), element)));
      return elements;
    }
    if (type instanceof Type.Struct struct) {
      Map<String, Object> fields = new LinkedHashMap<>();
      struct.fields().forEach(f -> fields.put(f.name(), nested(f.type(), node.get(f.name()))));
      return fields;
    }
    return node.isNumber()
        ? node.numberValue()
        : node.isBoolean() ? node.asBoolean() : node.asString();
  }
}
