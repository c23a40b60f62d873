package io.wexrun.project.dead;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.shape.Shaped;
import io.wexrun.core.shape.Shaper;
import io.wexrun.project.facts.DeadGroup;
import io.wexrun.project.facts.KeptLetter;
import io.wexrun.project.facts.ReplayForecast;
import io.wexrun.queue.Queue;
import io.wexrun.queue.ends.LettersIntake;
import io.wexrun.queue.log.QueueRecord;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;

/** What would become of dead letters if they were replayed now. */
public final class Forecast {
  private Forecast() {}

  /**
   * Shapes letters, those that are alike together, the most frequent first. Writes nothing.
   *
   * @param chosen the letter that a record of the queue is; empty if it is not asked for
   */
  public static List<ReplayForecast> of(
      Queue queue, Shaper shaper, Function<QueueRecord, Optional<KeptLetter>> chosen) {
    List<LettersIntake.Part> parts = new ArrayList<>();
    for (int i = 0; i < queue.partitions(); i++) {
      SourcePartition source = new SourcePartition(Integer.toString(i));
      parts.add(
          new LettersIntake.Part(source, i, queue.partition(i).oldest(), queue.partition(i).end()));
    }
    Map<KeptLetter.Place, DeadLetter> letters = new HashMap<>();
    LettersIntake.Choosing choosing =
        record -> {
          Optional<KeptLetter> letter = chosen.apply(record);
          letter.ifPresent(kept -> letters.put(kept.place(), kept.letter()));
          return letter.map(KeptLetter::letter);
        };
    Map<List<Object>, ReplayForecast> sums = new LinkedHashMap<>();
    try (LettersIntake intake = new LettersIntake(queue, parts, choosing)) {
      parts.forEach(part -> intake.assign(part.source(), part.from()));
      Optional<Block> block = intake.poll(Duration.ZERO);
      while (block.isPresent()) {
        for (Block part : shaper.cut(block.get())) {
          shaper.shape(part, shaped -> add(shaped.block(), shaped, letters, sums));
        }
        block = intake.poll(Duration.ZERO);
      }
    }
    return sums.values().stream()
        .sorted(Comparator.comparingLong(ReplayForecast::count).reversed())
        .toList();
  }

  private static void add(
      Block block,
      Shaped shaped,
      Map<KeptLetter.Place, DeadLetter> letters,
      Map<List<Object>, ReplayForecast> sums) {
    int partition = Integer.parseInt(block.source().name());
    Map<Long, List<String>> targets = new HashMap<>();
    shaped
        .rows()
        .forEach(
            (target, rows) -> {
              for (int i = 0; i < rows.count(); i++) {
                List<String> of =
                    targets.computeIfAbsent(
                        rows.batch().position(rows.row(i)), p -> new ArrayList<>());
                if (!of.contains(target)) {
                  of.add(target);
                }
              }
            });
    Map<Long, DeadGroup.Kind> deaths = deaths(shaped.dead());
    Records records = block.records();
    for (int i = 0; i < records.count(); i++) {
      long position = records.position(i);
      KeptLetter.Place place = new KeptLetter.Place(partition, position);
      ReplayForecast one =
          new ReplayForecast(
              DeadGroup.Kind.of(letters.remove(place).death()),
              targets.getOrDefault(position, List.of()),
              Optional.ofNullable(deaths.get(position)),
              1,
              place);
      sums.merge(List.of(one.was(), one.targets(), one.dies()), one, ReplayForecast::and);
    }
  }

  private static Map<Long, DeadGroup.Kind> deaths(Rows dead) {
    Map<Long, DeadGroup.Kind> deaths = new HashMap<>();
    for (int i = 0; i < dead.count(); i++) {
      int row = dead.row(i);
      DeadLetter.Death death =
          new DeadLetter.Death(
              Reason.of(text(dead, "reason", row)).orElseThrow(),
              text(dead, "step", row),
              text(dead, "field", row),
              text(dead, "detail", row),
              "");
      deaths.put(dead.batch().position(row), DeadGroup.Kind.of(death));
    }
    return deaths;
  }

  private static String text(Rows rows, String column, int row) {
    int place = rows.batch().schema().find(column).orElseThrow();
    return ((TextVector) rows.batch().column(place)).text(row);
  }
}
