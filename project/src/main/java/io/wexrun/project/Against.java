package io.wexrun.project;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.look.FieldLook;
import io.wexrun.core.look.Look;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.shape.BlockTrial;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.project.facts.DeadGroup;
import io.wexrun.project.facts.FileDifference;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.TreeMap;
import java.util.stream.Stream;

/** Finds out how the records of a file differ from what a pipeline expects. */
final class Against {
  private static final Set<String> PARSING = Set.of("json", "csv", "pairs");

  private Against() {}

  /**
   * Compares.
   *
   * @param tried the records, tried with the pipeline
   * @param look what the records are by themselves
   */
  static FileDifference of(Pipeline pipeline, List<BlockTrial> tried, Look look) {
    Map<DeadGroup.Kind, Long> counts = new LinkedHashMap<>();
    Map<DeadGroup.Kind, String> examples = new LinkedHashMap<>();
    Map<String, Long> ways = new TreeMap<>();
    Set<String> seen = new HashSet<>();
    Set<String> all = new LinkedHashSet<>();
    long records = 0;
    for (BlockTrial block : tried) {
      block.shaped().fitted().forEach((way, n) -> ways.merge(way, n, Long::sum));
      for (RecordTrial trial : block.trials()) {
        records++;
        if (trial.death().isPresent()) {
          DeadGroup.Kind kind = kind(trial.death().get());
          counts.merge(kind, 1L, Long::sum);
          examples.putIfAbsent(kind, new String(trial.text(), StandardCharsets.UTF_8));
        }
        trial.stages().forEach(stage -> stage.rows().forEach(row -> seen.addAll(row.keySet())));
      }
    }
    List<FileDifference.Death> deaths = new ArrayList<>();
    counts.forEach((kind, n) -> deaths.add(new FileDifference.Death(kind, n, examples.get(kind))));
    deaths.sort(Comparator.comparingLong(FileDifference.Death::count).reversed());
    Map<String, String> places = places(pipeline);
    all.addAll(places.keySet());
    all.removeAll(seen);
    boolean passed = records > counts.values().stream().mapToLong(Long::longValue).sum();
    return new FileDifference(
        records, deaths, ways, passed ? List.copyOf(all) : List.of(), fresh(look, places));
  }

  private static DeadGroup.Kind kind(RecordTrial.Death death) {
    return DeadGroup.Kind.of(
        new DeadLetter.Death(
            Reason.of(death.reason()).orElseThrow(),
            death.step(),
            death.field(),
            death.detail(),
            ""));
  }

  /** The fields that steps take from raw records, with where they stand in a record. */
  private static Map<String, String> places(Pipeline pipeline) {
    Map<String, String> places = new LinkedHashMap<>();
    Stream.concat(
            pipeline.shape().stream(), pipeline.kinds().stream().flatMap(k -> k.shape().stream()))
        .filter(step -> PARSING.contains(step.kind()))
        .filter(step -> !(step.value() instanceof Map<?, ?> value) || !value.containsKey("from"))
        .forEach(step -> add(step, places));
    return places;
  }

  private static void add(StepDefinition first, Map<String, String> places) {
    if (first.value() instanceof Map<?, ?> value && value.get("fields") instanceof Map<?, ?> map) {
      map.forEach(
          (name, spec) -> {
            String text = String.valueOf(spec);
            int from = text.indexOf(" from ");
            places.put(
                String.valueOf(name),
                from < 0 ? String.valueOf(name) : text.substring(from + " from ".length()));
          });
    }
    if (first.value() instanceof Map<?, ?> value && value.get("columns") instanceof List<?> list) {
      list.forEach(name -> places.putIfAbsent(String.valueOf(name), String.valueOf(name)));
    }
  }

  /** Of records that name their fields, those that nobody reads. */
  private static List<FieldLook> fresh(Look look, Map<String, String> places) {
    boolean named =
        look.format() == Look.Format.JSON
            || look.format() == Look.Format.PAIRS
            || look.format() == Look.Format.CSV && look.header();
    if (!named || places.isEmpty()) {
      return List.of();
    }
    Set<String> read = new HashSet<>(places.values());
    return look.fields().stream()
        .filter(
            field -> {
              String place = field.from().isEmpty() ? field.name() : field.from();
              String bare = place.startsWith("$.") ? place.substring(2) : place;
              return read.stream()
                  .map(known -> known.startsWith("$.") ? known.substring(2) : known)
                  .noneMatch(known -> bare.equals(known) || bare.startsWith(known + "."));
            })
        .toList();
  }
}
