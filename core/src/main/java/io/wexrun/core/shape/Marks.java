package io.wexrun.core.shape;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Kind;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;

/** The marks of kinds as conditions, and what can be said of them before the run. */
final class Marks {
  private Marks() {}

  /** The CEL condition of a kind's marks; mistakes are told at {@code path}. */
  static Optional<String> condition(
      Kind kind, Schema fields, KeyPath path, Diagnostics diagnostics) {
    List<String> parts = new ArrayList<>();
    kind.has().forEach(field -> parts.add("has(" + field + ")"));
    for (Map.Entry<String, List<String>> where : kind.where().entrySet()) {
      OptionalInt place = fields.find(where.getKey());
      boolean text =
          place.isEmpty() || fields.column(place.getAsInt()).type().storage() == Type.Storage.TEXT;
      List<String> values = new ArrayList<>();
      for (String value : where.getValue()) {
        values.add(text ? quoted(value) : value);
      }
      parts.add(where.getKey() + " in [" + String.join(", ", values) + "]");
    }
    kind.when().ifPresent(when -> parts.add("(" + when + ")"));
    if (parts.isEmpty()) {
      diagnostics.error(
          "missing-key",
          path,
          "kind '" + kind.name() + "' has no mark, so no record is known to be one",
          Optional.of("add has: FIELD, where: {FIELD: VALUE}, or when: CONDITION"));
      return Optional.empty();
    }
    return Optional.of(String.join(" && ", parts));
  }

  private static String quoted(String text) {
    return "\"" + text.replace("\\", "\\\\").replace("\"", "\\\"") + "\"";
  }

  /** Tells of kinds whose marks hold at once for every record of one of them. */
  static void overlaps(List<Kind> kinds, KeyPath path, Diagnostics diagnostics) {
    for (int i = 0; i < kinds.size(); i++) {
      for (int j = 0; j < i; j++) {
        Kind first = kinds.get(j);
        Kind second = kinds.get(i);
        if (implies(first, second) || implies(second, first)) {
          diagnostics.error(
              "overlapping-kinds",
              path.key(second.name()),
              "its marks and those of kind '"
                  + first.name()
                  + "' hold for the same records, which would die (ambiguous-kind)",
              Optional.of("give one of them a mark that the other has not"));
        }
      }
    }
  }

  /** Whether every record with the marks of {@code one} certainly has those of {@code other}. */
  private static boolean implies(Kind one, Kind other) {
    boolean hasAll =
        one.has().containsAll(other.has())
            || one.where().keySet().containsAll(other.has()) && !other.has().isEmpty();
    boolean whereAll =
        other.where().entrySet().stream()
            .allMatch(
                entry ->
                    one.where().containsKey(entry.getKey())
                        && entry.getValue().containsAll(one.where().get(entry.getKey())));
    boolean sameCondition = other.when().isEmpty() || other.when().equals(one.when());
    boolean anyMark =
        !other.has().isEmpty() || !other.where().isEmpty() || other.when().isPresent();
    return anyMark && hasAll && whereAll && sameCondition;
  }
}
