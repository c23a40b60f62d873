package io.wexrun.cli;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.project.Workspace;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.KeptLetter;
import java.io.BufferedOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.io.UncheckedIOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.List;
import java.util.Map;
import java.util.concurrent.Callable;
import java.util.concurrent.atomic.AtomicLong;
import java.util.stream.Collectors;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "export",
    mixinStandardHelpOptions = true,
    description =
        "Write dead letters to a file: NDJSON with all that is known, CSV, or the raw "
            + "records exactly as they came, each with a line end behind it. The letters "
            + "stay where they are.",
    footer = {
      "",
      "Exit codes: 0 done; 2 no such pipeline or reason; 3 no workspace, or the file "
          + "cannot be written, or is there already.",
      "",
      "Example: wexrun dead export gate-load --reason bad-value --as raw --out " + "bad-values.log"
    })
final class DeadExportCommand implements Callable<Integer> {
  /** How letters are written. */
  enum Form {
    NDJSON,
    CSV,
    RAW
  }

  private static final List<String> COLUMNS =
      List.of("letter", "died", "reason", "step", "field", "detail", "source", "position", "raw");

  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Mixin private DeadFilterOption filterOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "PIPELINE", description = "Whose letters.")
  private String pipeline;

  @Option(
      names = "--as",
      paramLabel = "FORM",
      defaultValue = "ndjson",
      description = "ndjson, csv or raw (default ${DEFAULT-VALUE}).")
  private Form form;

  @Option(
      names = "--out",
      required = true,
      paramLabel = "FILE",
      description = "The file to write; it must not be there yet.")
  private Path out;

  DeadExportCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    DeadFilter filter = filterOption.filter();
    AtomicLong count = new AtomicLong();
    Path file = terminal.at(out);
    try (Workspace workspace = workspaceOption.open()) {
      NamesGiven.known("pipeline", pipeline, workspace.pipelineNames(), spec);
      try (OutputStream open =
          new BufferedOutputStream(Files.newOutputStream(file, StandardOpenOption.CREATE_NEW))) {
        if (form == Form.CSV) {
          write(open, String.join(",", COLUMNS));
        }
        workspace
            .dead()
            .read(
                pipeline,
                filter,
                letter -> {
                  write(open, letter);
                  count.incrementAndGet();
                  return true;
                });
      } catch (IOException e) {
        throw cannot(file, e);
      } catch (UncheckedIOException e) {
        throw cannot(file, e.getCause());
      }
    }
    if (workspaceOption.json()) {
      terminal.json(Map.of("letters", count.get(), "file", file.toString()));
    } else {
      terminal.say(Counted.of(count.get(), "dead letter") + " written to " + out);
    }
    return ExitCode.DONE;
  }

  private static OutsideException cannot(Path file, IOException e) {
    if (e instanceof FileAlreadyExistsException) {
      return new OutsideException(file + " is there already: name another file", e);
    }
    Path folder = file.getParent();
    return new OutsideException(
        folder != null && !Files.isDirectory(folder)
            ? "cannot write " + file + ": there is no folder " + folder
            : "cannot write " + file + ": " + e.getMessage(),
        e);
  }

  private void write(OutputStream to, KeptLetter kept) {
    switch (form) {
      case NDJSON -> write(to, Terminal.compact(DeadView.facts(kept)));
      case CSV -> write(to, csv(kept));
      default -> {
        try {
          to.write(kept.letter().record().raw());
        } catch (IOException e) {
          throw new UncheckedIOException(e);
        }
        write(to, "");
      }
    }
  }

  private static String csv(KeptLetter kept) {
    DeadLetter letter = kept.letter();
    return List.of(
            kept.place().toString(),
            kept.died().toString(),
            letter.reason().code(),
            letter.death().step(),
            letter.death().field(),
            letter.death().detail(),
            letter.record().source(),
            letter.record().position() + "",
            letter.text())
        .stream()
        .map(value -> '"' + value.replace("\"", "\"\"") + '"')
        .collect(Collectors.joining(","));
  }

  private static void write(OutputStream to, String line) {
    try {
      to.write((line + "\n").getBytes(StandardCharsets.UTF_8));
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
