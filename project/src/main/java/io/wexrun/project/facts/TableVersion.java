package io.wexrun.project.facts;

import io.wexrun.core.intake.SourcePartition;
import io.wexrun.project.read.DefinitionText;
import io.wexrun.state.PipelineTexts;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * A definition of a table that a pipeline took up.
 *
 * @param pipeline which one
 * @param at when
 * @param from up to where it had loaded each source partition with the definition before
 * @param changes what is otherwise than before, for people
 */
public record TableVersion(
    String pipeline, Instant at, Map<SourcePartition, Long> from, List<String> changes) {

  /**
   * The definitions of a table that a pipeline took up behind its first one.
   *
   * @param turns the pipeline's texts
   */
  public static List<TableVersion> of(
      String table, String pipeline, List<PipelineTexts.Turn> turns) {
    List<TableVersion> versions = new ArrayList<>();
    Optional<Map<String, String>> before = Optional.empty();
    for (PipelineTexts.Turn turn : turns) {
      Optional<Map<String, String>> now =
          Optional.ofNullable(DefinitionText.keptTables(pipeline, turn.text().text()).get(table))
              .map(DefinitionText::columns);
      if (now.isPresent()) {
        List<String> changes = before.map(b -> changes(b, now.get())).orElse(List.of());
        if (!changes.isEmpty()) {
          versions.add(new TableVersion(pipeline, turn.at(), turn.from(), changes));
        }
        before = now;
      }
    }
    return versions;
  }

  private static List<String> changes(Map<String, String> before, Map<String, String> now) {
    List<String> changes = new ArrayList<>();
    now.forEach(
        (column, written) -> {
          String was = before.get(column);
          if (was == null) {
            changes.add("more: " + column + " " + written);
          } else if (!was.equals(written)) {
            changes.add(column + ": " + was + " became " + written);
          }
        });
    before.forEach(
        (column, written) -> {
          if (!now.containsKey(column)) {
            changes.add("no more: " + column + " " + written);
          }
        });
    return changes;
  }
}
