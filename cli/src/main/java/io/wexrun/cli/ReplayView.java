package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.run.RunOptions;
import io.wexrun.project.Workspace;
import io.wexrun.project.facts.ReplayFacts;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.OptionalDouble;
import java.util.stream.Collectors;

/** Does what was chosen of dead letters, and shows what has become of them. */
final class ReplayView {
  private static final long TELL_NANOS = 1_000_000_000;

  private final Workspace workspace;
  private final String pipeline;
  private final Terminal terminal;
  private final boolean json;
  private long told = System.nanoTime();
  private long percent;

  ReplayView(Workspace workspace, String pipeline, Terminal terminal, boolean json) {
    this.workspace = workspace;
    this.pipeline = pipeline;
    this.terminal = terminal;
    this.json = json;
  }

  /** The replays of the pipeline that have not ended. */
  List<ReplayFacts> open() {
    return workspace.replays().all(pipeline).stream()
        .filter(replay -> replay.ended().isEmpty())
        .toList();
  }

  /** Does all that is open, and shows what has become of it. */
  int doAndShow() throws InterruptedException {
    List<Long> numbers = open().stream().map(ReplayFacts::number).toList();
    try {
      workspace.replays().run(pipeline, RunOptions.untilDrained(true), replays -> tell());
    } catch (OutsideException e) {
      throw new OutsideException(
          e.getMessage()
              + ". What was chosen stays so: 'wexrun replay "
              + pipeline
              + "' goes on with it",
          e);
    }
    List<ReplayFacts> done =
        workspace.replays().all(pipeline).stream()
            .filter(replay -> numbers.contains(replay.number()))
            .toList();
    if (json) {
      terminal.json(Map.of("replays", done.stream().map(ReplayView::facts).toList()));
    } else {
      done.forEach(this::show);
      terminal.flush();
    }
    return ExitCode.DONE;
  }

  private void tell() {
    if (System.nanoTime() - told < TELL_NANOS) {
      return;
    }
    told = System.nanoTime();
    OptionalDouble share = workspace.replays().share(pipeline);
    long now = Math.round(100 * share.orElse(0));
    if (now > percent) {
      percent = now;
      terminal.say(percent + " % done");
    }
  }

  private void show(ReplayFacts replay) {
    boolean drop = replay.kind().equals("drop");
    terminal.out.println(
        terminal.style(Terminal.Style.BOLD, "replay " + replay.number())
            + " of "
            + replay.pipeline()
            + ": "
            + Counted.of(replay.letters(), "dead letter")
            + (drop ? " given up" : ""));
    if (!drop) {
      line(replay.revived(), Terminal.Style.GOOD, "revived: " + loaded(replay));
      line(replay.dropped(), Terminal.Style.DIM, "dropped by the route");
      line(
          replay.diedAgain(),
          Terminal.Style.BAD,
          "died again: 'wexrun dead " + pipeline + "' says why");
    }
  }

  private static String loaded(ReplayFacts replay) {
    return replay.loaded().entrySet().stream()
        .map(each -> each.getKey() + " " + Counted.number(each.getValue()))
        .collect(Collectors.joining(", "));
  }

  private void line(long count, Terminal.Style style, String what) {
    if (count > 0) {
      terminal.out.println(
          String.format("%9s  ", Counted.number(count)) + terminal.style(style, what));
    }
  }

  /** Shows all that was ever chosen of the pipeline's dead letters. */
  static void history(List<ReplayFacts> all, Terminal terminal) {
    List<List<String>> rows = new ArrayList<>();
    for (ReplayFacts each : all) {
      rows.add(
          List.of(
              Long.toString(each.number()),
              each.pipeline(),
              each.kind(),
              each.begun().truncatedTo(ChronoUnit.SECONDS).toString(),
              each.by(),
              Counted.number(each.letters()),
              Counted.number(each.revived()),
              Counted.number(each.dropped()),
              each.ended().isPresent() ? Counted.number(each.diedAgain()) : "",
              each.ended().isPresent() ? "ended" : "not ended",
              Terminal.brief(each.chosen().toString(), 60)));
    }
    terminal.table(
        List.of(
            "no",
            "pipeline",
            "kind",
            "begun",
            "by",
            "letters",
            "revived",
            "dropped",
            "died again",
            "state",
            "which"),
        List.of(true, false, false, false, false, true, true, true, true, false, false),
        rows);
  }

  /** A replay for machines. */
  static Map<String, Object> facts(ReplayFacts replay) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("number", replay.number());
    facts.put("pipeline", replay.pipeline());
    facts.put("kind", replay.kind());
    facts.put("chosen", replay.chosen().toString());
    facts.put("by", replay.by());
    facts.put("begun", replay.begun().toString());
    replay.ended().ifPresent(time -> facts.put("ended", time.toString()));
    facts.put("letters", replay.letters());
    facts.put("revived", replay.revived());
    facts.put("dropped", replay.dropped());
    if (replay.ended().isPresent()) {
      facts.put("diedAgain", replay.diedAgain());
    }
    facts.put("targets", replay.loaded());
    return facts;
  }
}
