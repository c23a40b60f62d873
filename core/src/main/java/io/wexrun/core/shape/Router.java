package io.wexrun.core.shape;

import com.google.re2j.PatternSyntaxException;
import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.expression.Evaluated;
import io.wexrun.core.expression.Expression;
import io.wexrun.core.expression.Expressions;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Doubtful;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.target.Destination;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;
import java.util.Set;
import java.util.TreeMap;
import java.util.function.Function;

/** The ordered conditions that choose each row's targets. Immutable. */
final class Router {
  /** One entry: the condition (null: always), and what it leads to. */
  private record Entry(Expression when, int[] targets, Key key, boolean dead, boolean drop) {}

  private static final Schema KEYED = Schema.of(Column.of("key", Type.Scalar.TEXT));

  private final String path;
  private final List<Entry> entries = new ArrayList<>();
  private final Map<String, TableFit> tables = new LinkedHashMap<>();
  private final List<String> names = new ArrayList<>();
  private final Set<String> asked = new LinkedHashSet<>();
  private final List<String> onLibrary = new ArrayList<>();
  private final boolean letters;

  private Router(String path, boolean letters) {
    this.path = path;
    this.letters = letters;
  }

  /**
   * Compiles a route against the fields that the shape gives.
   *
   * @param path where the route stands
   * @param doubtful fields that steps with mistakes would give
   */
  static Router compile(
      List<Route> route,
      KeyPath path,
      Schema fields,
      Doubtful doubtful,
      Function<String, Optional<Destination>> destinations,
      List<String> known,
      Diagnostics diagnostics) {
    boolean letters = fields.equals(DeadRoute.FIELDS);
    Router router = new Router(path.toString(), letters);
    Expressions expressions = new Expressions(fields, doubtful);
    boolean open = true;
    Set<String> conditions = new HashSet<>();
    for (int i = 0; i < route.size(); i++) {
      Route entry = route.get(i);
      KeyPath at = path.index(i);
      if (!open) {
        diagnostics.error(
            "unreachable-route",
            at,
            "no record comes this far: the entry before takes everything",
            Optional.of("put this entry before it, or remove it"));
      }
      String condition = entry.when().orElse("");
      if (!condition.isEmpty() && !conditions.add(condition)) {
        diagnostics.error(
            "unreachable-route",
            at.key("when"),
            "no record comes this far: an entry before has the same condition",
            Optional.of("remove one of them, or name both targets in one: to: [A, B]"));
      }
      open &= entry.when().isPresent() || entry.to().isEmpty();
      Expression when = null;
      if (entry.when().isPresent()) {
        when = expressions.condition(entry.when().get(), at.key("when"), diagnostics).orElse(null);
      }
      boolean keyed = false;
      for (String name : entry.to()) {
        keyed |= router.target(name, entry, at, fields, doubtful, destinations, known, diagnostics);
      }
      Key key = router.key(entry, at, keyed, diagnostics);
      boolean dead = entry.to().contains(Route.DEAD);
      boolean drop = entry.to().contains(Route.DROP);
      int[] targets =
          entry.to().stream()
              .filter(router.names::contains)
              .mapToInt(router.names::indexOf)
              .toArray();
      router.entries.add(new Entry(when, targets, key, dead, drop));
      if (when != null) {
        router.asked.addAll(when.fields());
        when.onLibrary().forEach(part -> router.onLibrary.add(at.key("when") + ": " + part));
      }
    }
    if (open && !route.isEmpty() && !letters) {
      diagnostics.warning(
          "open-route",
          path,
          "records that no entry takes will be dead letters (unknown-kind)",
          Optional.of("end the route with '- otherwise: dead' or '- otherwise: drop' to say so"));
    }
    return router;
  }

  /** Notes a target; says whether it takes keys. */
  private boolean target(
      String name,
      Route entry,
      KeyPath at,
      Schema fields,
      Doubtful doubtful,
      Function<String, Optional<Destination>> destinations,
      List<String> known,
      Diagnostics diagnostics) {
    if (name.equals(Route.DEAD) || name.equals(Route.DROP)) {
      if (entry.to().size() > 1) {
        diagnostics.error(
            "bad-route",
            at,
            "'" + name + "' stands alone, not beside other targets",
            Optional.empty());
      }
      return false;
    }
    Optional<Destination> destination = destinations.apply(name);
    if (destination.isEmpty()) {
      diagnostics.error(
          "unknown-target",
          at.key("to"),
          "there is no table or queue '" + name + "'",
          Diagnostics.nearestOrKnown(name, known, all -> "there are " + all));
      return false;
    }
    if (!names.contains(name)) {
      names.add(name);
    }
    if (destination.get() instanceof Destination.Rows rows) {
      TableFit fit = TableFit.compile(fields, doubtful, rows.table(), at, diagnostics);
      onLibrary.addAll(fit.onLibrary());
      tables.put(name, fit);
      return false;
    }
    return true;
  }

  private Key key(Route entry, KeyPath at, boolean keyed, Diagnostics diagnostics) {
    if (entry.key().isEmpty()) {
      return null;
    }
    if (!keyed) {
      diagnostics.error(
          "bad-route", at.key("key"), "only queues take a key", Optional.of("remove it"));
    }
    try {
      return new Key(entry.key().get());
    } catch (PatternSyntaxException e) {
      diagnostics.error(
          "bad-pattern",
          at.key("key"),
          "this is not a pattern: " + e.getMessage(),
          Optional.of("RE2 syntax, as in 'card=(\\S+)'"));
      return null;
    }
  }

  /** The parts of conditions that run row by row on the expression library. */
  List<String> onLibrary() {
    return onLibrary;
  }

  /** The columns in which rows come to each table that is a rollup. */
  Map<String, Schema> rollups() {
    Map<String, Schema> columns = new LinkedHashMap<>();
    tables.forEach(
        (name, fit) -> {
          if (fit.isRollup()) {
            columns.put(name, fit.schema());
          }
        });
    return columns;
  }

  /** The names of all targets but the dead letters. */
  Set<String> targets() {
    return new LinkedHashSet<>(names);
  }

  /**
   * Which rows go where.
   *
   * @param alive how many rows are alive
   */
  record Routed(
      Map<String, Rows> rows, Map<String, Long> ignored, long alive, long copied, long dropped) {}

  /**
   * Where the rows of a batch are to go.
   *
   * @param entries the entry of each row; -1 for rows that are rejected
   * @param fitted the rows for each table, of which those that go there are taken
   */
  record Chosen(Batch batch, int[] entries, Map<String, TableFit.Fitted> fitted) {}

  /** Chooses the entry of each row, and rejects those that no entry or no table takes. */
  Chosen choose(Batch batch, Rejects rejects) {
    int[] chosen = entriesOf(batch, rejects);
    Map<String, TableFit.Fitted> fitted = new LinkedHashMap<>();
    for (Map.Entry<String, TableFit> table : tables.entrySet()) {
      if (leads(chosen, names.indexOf(table.getKey()))) {
        TableFit.Fitted rows = table.getValue().fit(batch);
        fitted.put(table.getKey(), rows);
        if (!rows.takesAll()) {
          check(table.getKey(), rows, chosen, rejects);
        }
      }
    }
    return new Chosen(batch, chosen, fitted);
  }

  /** Whether some row goes to a target. */
  private boolean leads(int[] chosen, int target) {
    for (int entry : chosen) {
      if (entry >= 0 && leadsTo(entries.get(entry), target)) {
        return true;
      }
    }
    return false;
  }

  /**
   * Gathers the rows of each target that are alive.
   *
   * @param records takes the records that have a row which is alive
   */
  Routed gather(Chosen choice, Rejects rejects, BitSet records) {
    Batch batch = choice.batch;
    int[] chosen = choice.entries;
    int rows = batch.rows();
    int[][] selected = new int[names.size()][];
    int[] counts = new int[names.size()];
    long copied = 0;
    long dropped = 0;
    long alive = 0;
    for (int row = 0; row < rows; row++) {
      int record = batch.record(row);
      if (rejects.rejected(record)) {
        continue;
      }
      alive++;
      records.set(record);
      Entry entry = entries.get(chosen[row]);
      dropped += entry.drop ? 1 : 0;
      copied += Math.max(0, entry.targets.length - 1);
      for (int target : entry.targets) {
        if (selected[target] == null) {
          selected[target] = new int[rows];
        }
        selected[target][counts[target]++] = row;
      }
    }
    Map<String, Rows> routed = new LinkedHashMap<>();
    Map<String, Long> ignored = new TreeMap<>();
    for (int target = 0; target < names.size(); target++) {
      if (counts[target] > 0) {
        String name = names.get(target);
        routed.put(name, form(name, choice, selected[target], counts[target]));
        TableFit.Fitted table = choice.fitted.get(name);
        if (table != null) {
          table.countIgnored(selected[target], counts[target], ignored);
        }
      }
    }
    return new Routed(routed, ignored, alive, copied, dropped);
  }

  /** The entry of each row; -1 for rows that are rejected, before or here. */
  private int[] entriesOf(Batch batch, Rejects rejects) {
    int rows = batch.rows();
    int[] chosen = new int[rows];
    Arrays.fill(chosen, -1);
    for (int i = 0; i < entries.size(); i++) {
      Entry entry = entries.get(i);
      Evaluated when = entry.when == null ? null : entry.when.evaluate(batch);
      rejects.step(path + "[" + i + "]");
      for (int row = 0; row < rows; row++) {
        int record = batch.record(row);
        if (chosen[row] >= 0 || rejects.rejected(record)) {
          continue;
        }
        if (when != null && when.failed(row)) {
          rejects.reject(record, Reason.FAILED_EXPRESSION, "", when.failure(row));
        } else if (when == null || Expression.holds(when, row)) {
          chosen[row] = i;
          if (entry.dead) {
            rejects.reject(record, Reason.UNKNOWN_KIND, "", unknown(batch, row));
          }
        }
      }
    }
    rejects.step(path);
    for (int row = 0; row < rows; row++) {
      if (chosen[row] < 0) {
        rejects.reject(batch.record(row), Reason.UNKNOWN_KIND, "", unknown(batch, row));
      }
    }
    return chosen;
  }

  /** Rejects the rows for a table that it would not take. */
  private void check(String name, TableFit.Fitted table, int[] chosen, Rejects rejects) {
    int place = names.indexOf(name);
    for (int row = 0; row < chosen.length; row++) {
      if (chosen[row] >= 0 && leadsTo(entries.get(chosen[row]), place)) {
        table.check(row, rejects);
      }
    }
  }

  private static boolean leadsTo(Entry entry, int target) {
    for (int each : entry.targets) {
      if (each == target) {
        return true;
      }
    }
    return false;
  }

  /** The rows as their target takes them. */
  private Rows form(String name, Chosen choice, int[] places, int count) {
    TableFit.Fitted table = choice.fitted.get(name);
    if (table != null) {
      return Rows.of(table.rows(), places, count);
    }
    Batch batch = choice.batch;
    TextVector keys = new TextVector(batch.rows(), batch.rows() * 12);
    int next = 0;
    for (int row = 0; row < batch.rows(); row++) {
      Key key = null;
      if (next < count && places[next] == row) {
        key = entries.get(choice.entries[row]).key;
        next++;
      }
      if (key == null) {
        keys.appendAbsent();
      } else {
        key.append(batch.records(), batch.record(row), keys);
      }
    }
    Batch keyed = batch.with(KEYED, List.of(keys));
    return Rows.of(letters ? DeadRoute.forQueue(batch, keyed) : keyed, places, count);
  }

  private String unknown(Batch batch, int row) {
    return "no route takes it" + seen(batch, row, asked);
  }

  /** The texts that conditions looked at, as they go behind a sentence. */
  static String seen(Batch batch, int row, Iterable<String> asked) {
    StringBuilder text = new StringBuilder();
    for (String name : asked) {
      OptionalInt place = batch.schema().find(name);
      if (place.isPresent() && batch.column(place.getAsInt()) instanceof TextVector values) {
        String value = values.absent(row) ? "absent" : "\"" + values.text(row) + "\"";
        text.append(text.isEmpty() ? ": " : ", ").append(name).append(" is ").append(value);
      }
    }
    return text.toString();
  }
}
