package io.wexrun.core.change;

import io.wexrun.core.address.Address;
import io.wexrun.core.address.Network;
import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.field.Field;
import io.wexrun.core.field.FieldParser;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.reference.ReferenceTable;
import io.wexrun.core.schema.Type;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;

/** A reference table, indexed for one lookup. Immutable. */
final class LookupIndex {
  /** Found nothing. */
  static final int NONE = -1;

  /**
   * A column of the table and the field that it is compared with.
   *
   * @param place the field's place in the batch
   */
  record Pair(String column, int place, Type type) {}

  /**
   * What a row is found by.
   *
   * @param equal columns that are equal to fields
   * @param network the column that holds the network of a field's address; null for none
   * @param latest the column whose latest value not after the field's is taken; null for none
   */
  record Keys(List<Pair> equal, Pair network, Pair latest) {}

  /** The rows with the same values in the columns that must be equal. */
  private static final class Group {
    /** Networks by the length of their prefix, the longest first; then by their first address. */
    private final TreeMap<Integer, Map<Address, Integer>> networks =
        new TreeMap<>((a, b) -> Integer.compare(b, a));

    private final TreeMap<Long, Integer> times = new TreeMap<>();
    private int only = NONE;
    private long[] keys = {};
    private int[] rows = {};

    void end() {
      keys = times.keySet().stream().mapToLong(Long::longValue).toArray();
      rows = times.values().stream().mapToInt(Integer::intValue).toArray();
    }
  }

  private final ReferenceTable table;
  private final Keys keys;
  private final List<Vector> added = new ArrayList<>();
  private final Map<String, Group> groups = new HashMap<>();

  /**
   * Indexes a table.
   *
   * @param adds the fields that are added, each with the column it comes from
   * @throws OutsideException if a value is not of its type, or a key stands there twice
   */
  LookupIndex(ReferenceTable table, Keys keys, List<FieldParser.Read> adds) {
    this.table = table;
    this.keys = keys;
    for (FieldParser.Read add : adds) {
      Field field = add.field();
      added.add(column(add.from().orElse(field.name()), field));
    }
    List<Vector> equal = keys.equal.stream().map(this::column).toList();
    Vector latest = keys.latest == null ? null : column(keys.latest);
    int network = keys.network == null ? -1 : place(keys.network.column);
    for (int row = 0; row < table.rows().size(); row++) {
      Optional<String> key = key(equal, row);
      boolean lacks =
          key.isEmpty()
              || latest != null && latest.absent(row)
              || network >= 0 && table.rows().get(row).get(network) == null;
      if (lacks) {
        continue; // Nothing equals an absent value.
      }
      Group group = groups.computeIfAbsent(key.get(), k -> new Group());
      Integer before;
      if (network >= 0) {
        Network range = network(row, table.rows().get(row).get(network));
        before =
            group
                .networks
                .computeIfAbsent(range.prefix(), p -> new HashMap<>())
                .put(range.first(), row);
      } else if (latest != null) {
        before = group.times.put(((LongVector) latest).get(row), row);
      } else {
        before = group.only == NONE ? null : group.only;
        group.only = row;
      }
      if (before != null) {
        throw wrong(row, "its key stands in row " + (before + 1) + " already");
      }
    }
    groups.values().forEach(Group::end);
  }

  private OutsideException wrong(int row, String what) {
    return new OutsideException(table.name() + ", row " + (row + 1) + ": " + what);
  }

  private Network network(int row, String text) {
    return Network.parse(text)
        .orElseThrow(() -> wrong(row, "\"" + text + "\" is not a network, such as 10.20.0.0/16"));
  }

  /** A table that was checked before may have lost a column since. */
  private int place(String column) {
    int place = table.columns().indexOf(column);
    if (place < 0) {
      throw new OutsideException(
          table.name() + " has changed and lacks column '" + column + "': " + table.columns());
    }
    return place;
  }

  private Vector column(Pair pair) {
    return column(pair.column, Field.of(pair.column, pair.type));
  }

  private Vector column(String name, Field field) {
    int place = place(name);
    Vector vector = Vectors.forType(field.type(), table.rows().size());
    for (int row = 0; row < table.rows().size(); row++) {
      String value = table.rows().get(row).get(place);
      byte[] text = value == null ? null : value.getBytes(StandardCharsets.UTF_8);
      if (text == null) {
        vector.appendAbsent();
      } else if (!field.append(text, 0, text.length, vector, 0)) {
        throw wrong(row, "column '" + name + "': " + field.fault(text, 0, text.length));
      }
    }
    return vector;
  }

  /** The values to be equal as one text; empty if one is absent. */
  private Optional<String> key(List<Vector> equal, int row) {
    if (equal.size() == 1 && equal.get(0) instanceof TextVector texts) {
      return texts.absent(row) ? Optional.empty() : Optional.of(texts.text(row));
    }
    StringBuilder key = new StringBuilder();
    for (int i = 0; i < equal.size(); i++) {
      if (equal.get(i).absent(row)) {
        return Optional.empty();
      }
      // No value holds a NUL but one that could make two keys look alike; its length tells.
      String value = ValueText.text(keys.equal.get(i).type, equal.get(i), row);
      key.append(value.length()).append('\0').append(value);
    }
    return Optional.of(key.toString());
  }

  /** The fields of a batch that rows are found by, in the order of the keys. */
  List<Vector> fields(Batch batch) {
    List<Vector> fields = new ArrayList<>();
    keys.equal.forEach(pair -> fields.add(batch.column(pair.place)));
    return fields;
  }

  /**
   * The row of the table for a row of a batch; {@link #NONE} if there is none.
   *
   * @param equal from {@link #fields}
   */
  int find(Batch batch, List<Vector> equal, int row) {
    Group group = key(equal, row).map(groups::get).orElse(null);
    if (group == null) {
      return NONE;
    }
    if (keys.network != null) {
      return network(group, (TextVector) batch.column(keys.network.place), row);
    }
    if (keys.latest != null) {
      Vector field = batch.column(keys.latest.place);
      if (field.absent(row)) {
        return NONE;
      }
      int place = Arrays.binarySearch(group.keys, ((LongVector) field).get(row));
      // Where it is not found, the result tells the place where it would be inserted.
      int floor = place >= 0 ? place : -place - 2;
      return floor < 0 ? NONE : group.rows[floor];
    }
    return group.only;
  }

  /** The longest prefix wins. */
  private static int network(Group group, TextVector texts, int row) {
    Optional<Address> address =
        texts.absent(row)
            ? Optional.empty()
            : Address.parse(texts.data(), texts.start(row), texts.end(row));
    if (address.isEmpty()) {
      return NONE;
    }
    for (Map.Entry<Integer, Map<Address, Integer>> length : group.networks.entrySet()) {
      if (length.getKey() <= address.get().bits()) {
        Address first = new Network(address.get(), length.getKey()).first();
        Integer found = length.getValue().get(first);
        if (found != null) {
          return found;
        }
      }
    }
    return NONE;
  }

  /** The values of an added field, by the table's rows. */
  Vector added(int number) {
    return added.get(number);
  }
}
