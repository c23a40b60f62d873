package io.wexrun.cli;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.MistakesException;
import io.wexrun.core.diagnose.Shown;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceDead;
import io.wexrun.project.facts.KeptLetter;
import io.wexrun.project.facts.Neighbour;
import io.wexrun.project.facts.ReplayFacts;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "show",
    mixinStandardHelpOptions = true,
    description = {
      "Show one dead letter: why it died, its bytes, what the pipeline as it is now makes of it,",
      "and the records around it in its source, as far as the source still has them."
    },
    footer = {
      "",
      "Exit codes: 0 done; 2 no such pipeline or letter; 3 no workspace.",
      "",
      "Example: wexrun dead show gate-load 0@0"
    })
final class DeadShowCommand implements Callable<Integer> {
  private static final int BYTES_A_LINE = 16;
  private static final int MOST_BYTES = 1024;
  private static final int WIDTH = 110;

  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "PIPELINE", description = "Whose letter it is.")
  private String pipeline;

  @Parameters(
      index = "1",
      paramLabel = "LETTER",
      description = "Which one, as 'wexrun dead' and 'wexrun dead --list' name it, such as 0@12.")
  private String letter;

  @Option(
      names = "--around",
      paramLabel = "N",
      defaultValue = "2",
      description = "Show so many records before and behind it (default ${DEFAULT-VALUE}).")
  private int around;

  DeadShowCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      NamesGiven.known("pipeline", pipeline, workspace.pipelineNames(), spec);
      KeptLetter.Place place =
          KeptLetter.Place.of(letter)
              .orElseThrow(
                  () ->
                      new ParameterException(
                          spec.commandLine(),
                          "'" + letter + "' is not a letter: they are named like 0@12"));
      WorkspaceDead dead = workspace.dead();
      KeptLetter kept =
          dead.letter(pipeline, place)
              .orElseThrow(
                  () ->
                      new ParameterException(
                          spec.commandLine(),
                          "there is no letter "
                              + place
                              + " of "
                              + pipeline
                              + ": 'wexrun dead "
                              + pipeline
                              + " --list' shows which there are"));
      List<Neighbour> beside = dead.neighbours(kept, Math.max(0, around));
      Optional<RecordTrial> trial = trial(dead, kept);
      if (workspaceOption.json()) {
        Map<String, Object> facts = facts(kept, trial, beside);
        dead.chosen(kept).ifPresent(by -> facts.put("replay", ReplayView.facts(by)));
        terminal.json(facts);
      } else {
        show(kept, dead.chosen(kept), trial, beside);
      }
      return ExitCode.DONE;
    }
  }

  /** A pipeline with mistakes, or one that is not defined any more, makes nothing of it. */
  private Optional<RecordTrial> trial(WorkspaceDead dead, KeptLetter kept) {
    try {
      return Optional.of(dead.trial(kept));
    } catch (MistakesException | IllegalArgumentException e) {
      return Optional.empty();
    }
  }

  private static Map<String, Object> facts(
      KeptLetter kept, Optional<RecordTrial> trial, List<Neighbour> beside) {
    Map<String, Object> facts = new LinkedHashMap<>(DeadView.facts(kept));
    trial.ifPresent(
        now -> {
          facts.put("now", TrialView.places(now));
          List<Map<String, Object>> steps = new ArrayList<>();
          now.stages().forEach(s -> steps.add(Map.of("step", s.step(), "rows", s.rows())));
          facts.put("steps", steps);
        });
    List<Map<String, Object>> records = new ArrayList<>();
    beside.forEach(
        n -> records.add(Map.of("position", n.position(), "raw", WorkspaceDead.text(n.raw()))));
    facts.put("around", records);
    return facts;
  }

  private void title(String text) {
    terminal.out.println();
    terminal.out.println(terminal.style(Terminal.Style.BOLD, text));
  }

  /** What somebody chose to do with a letter, in words. */
  static String by(ReplayFacts replay) {
    String number = "replay " + replay.number() + ", " + replay.begun();
    return replay.kind().equals("drop")
        ? "given up by " + number
        : (replay.kind().equals("edit") ? "mended and replayed by " : "replayed by ")
            + number
            + (replay.ended().isPresent() ? "" : ", which has not ended");
  }

  private void show(
      KeptLetter kept,
      Optional<ReplayFacts> chosen,
      Optional<RecordTrial> trial,
      List<Neighbour> beside) {
    DeadLetter found = kept.letter();
    DeadLetter.Original record = found.record();
    DeadView.write(kept, terminal);
    String taken = record.taken() == 0 ? "" : "taken " + Instants.instant(record.taken()) + ", ";
    String version = found.death().version();
    terminal.out.println(
        "  "
            + taken
            + (found.life().deaths() == 1
                ? "died "
                : "died " + found.life().deaths() + " times, first ")
            + kept.died()
            + (version.isEmpty() ? "" : ", by the text of version " + version));
    chosen.ifPresent(by -> terminal.out.println("  " + by(by)));
    found
        .life()
        .part()
        .ifPresent(
            part ->
                terminal.out.println(
                    "  for row " + (part.row() + 1) + " of the record in " + part.target()));
    record
        .key()
        .ifPresent(key -> terminal.out.println("  key " + Shown.line(WorkspaceDead.text(key))));
    record
        .headers()
        .forEach((name, value) -> terminal.out.println("  " + Shown.line(name + ": " + value)));
    if (record.header().length > 0) {
      terminal.out.println(
          "  header of its source: "
              + Terminal.brief(WorkspaceDead.text(record.header()).strip(), WIDTH));
    }
    title("Its " + Counted.of(record.raw().length, "byte"));
    hex(record.raw());
    if (trial.isPresent()) {
      title("With the pipeline as it is now");
      new TrialView(terminal).showWay(trial.get(), Integer.MAX_VALUE);
    } else {
      title("The pipeline has mistakes, or is not defined any more: it makes nothing of it");
    }
    if (beside.isEmpty()) {
      title("Its source does not have it any more, or has no records that can be shown");
    } else {
      title("In " + record.source());
      beside.forEach(
          n -> {
            boolean here = n.position() == record.position();
            String line =
                String.format(
                    "%s @%-10d %s",
                    here ? ">" : " ",
                    n.position(),
                    Terminal.brief(WorkspaceDead.text(n.raw()), WIDTH));
            terminal.out.println(here ? line : terminal.style(Terminal.Style.DIM, line));
          });
    }
    terminal.flush();
  }

  /** Bytes as hexadecimal numbers, and as characters where they are some. */
  private void hex(byte[] raw) {
    int shown = Math.min(raw.length, MOST_BYTES);
    for (int from = 0; from < shown; from += BYTES_A_LINE) {
      StringBuilder numbers = new StringBuilder();
      StringBuilder characters = new StringBuilder();
      for (int i = from; i < from + BYTES_A_LINE; i++) {
        numbers.append(i % 8 == 0 ? " " : "");
        numbers.append(i < shown ? String.format("%02x ", raw[i]) : "   ");
        boolean plain = i < shown && raw[i] >= ' ' && raw[i] < 127;
        characters.append(i >= shown ? "" : plain ? (char) raw[i] : '.');
      }
      terminal.out.println(String.format(Locale.ROOT, "  %6d %s |%s|", from, numbers, characters));
    }
    if (shown < raw.length) {
      terminal.out.println("  and " + Counted.of(raw.length - shown, "byte") + " more");
    }
  }
}
