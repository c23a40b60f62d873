package io.wexrun.project.run;

import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.project.open.Ends;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * Which of some pipelines write to what others read.
 *
 * @param pipelines those that run together
 * @param compiled each one, compiled, by name; without those that cannot be compiled yet
 * @param ends says what intakes read
 */
public record Feeding(
    List<Pipeline> pipelines, Map<String, Compiling.Compiled> compiled, Ends ends) {
  /** The pipelines, those that write to something before those that read it. */
  public List<Pipeline> feedersFirst() {
    List<Pipeline> sorted = new ArrayList<>();
    List<Pipeline> left = new ArrayList<>(pipelines);
    while (!left.isEmpty()) {
      Pipeline next =
          left.stream()
              .filter(p -> left.stream().noneMatch(f -> f != p && feeds(f, p)))
              .findFirst()
              .orElse(left.get(0));
      left.remove(next);
      sorted.add(next);
    }
    return sorted;
  }

  /** The pipelines that write to what one reads; it may be among them. */
  public List<Pipeline> feeders(Pipeline reader) {
    return pipelines.stream().filter(feeder -> feeds(feeder, reader)).toList();
  }

  /** Whether one pipeline reads what another one writes, directly or through others. */
  public boolean readsFrom(String reader, String writer) {
    return readsFrom(reader, writer, new HashSet<>());
  }

  private boolean readsFrom(String reader, String writer, Set<String> seen) {
    if (reader.equals(writer) || !seen.add(reader)) {
      return reader.equals(writer);
    }
    return pipelines.stream()
        .filter(pipeline -> pipeline.name().equals(reader))
        .flatMap(pipeline -> feeders(pipeline).stream())
        .anyMatch(feeder -> readsFrom(feeder.name(), writer, seen));
  }

  private boolean feeds(Pipeline feeder, Pipeline reader) {
    Optional<String> read = ends.reads(reader.intake());
    Compiling.Compiled known = compiled.get(feeder.name());
    return read.isPresent()
        && (known != null && known.shaper().targets().contains(read.get())
            || feeder.deadLetters().equals(read.get()));
  }
}
