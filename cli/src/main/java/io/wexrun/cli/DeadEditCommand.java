package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.project.Workspace;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.KeptLetter;
import io.wexrun.project.facts.LetterFile;
import java.io.IOException;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.StandardCharsets;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.TreeMap;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "edit",
    mixinStandardHelpOptions = true,
    description =
        "Mend dead letters by hand: write some to a file with --out, correct their "
            + "records there in any editor, and give the file back with --from. Those that "
            + "were changed run through the pipeline again with the corrected bytes; the "
            + "letters keep the bytes with which they came. With neither, the file is opened "
            + "in the editor that VISUAL or EDITOR names.",
    footer = {
      "",
      "Exit codes: 0 done; 1 the workspace has mistakes; 2 no such pipeline or "
          + "letter, or the file is not as it was written; 3 a file cannot be read or "
          + "written, or the pipeline is held.",
      "",
      "Example: wexrun dead edit gate-load --reason bad-value --out letters.txt"
    })
final class DeadEditCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Mixin private ParameterOption parameterOption;
  @Mixin private DeadFilterOption filterOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "PIPELINE", description = "Whose letters.")
  private String pipeline;

  @Option(
      names = "--out",
      paramLabel = "FILE",
      description = "Write them to this file, which must not be there yet.")
  private Path out;

  @Option(
      names = "--from",
      paramLabel = "FILE",
      description = "Replay what was changed in this file.")
  private Path from;

  @Option(
      names = "--limit",
      paramLabel = "N",
      defaultValue = "1000",
      description = "Write at most so many (default ${DEFAULT-VALUE}).")
  private int limit;

  DeadEditCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() throws InterruptedException {
    DeadFilter filter = filterOption.filter();
    if (out != null && from != null) {
      throw new ParameterException(
          spec.commandLine(), "--out writes a file and --from takes one back: say one of them");
    }
    if (from != null && !filter.equals(DeadFilter.ALL)) {
      throw new ParameterException(
          spec.commandLine(), "the file of --from says which letters: leave out the filter");
    }
    try (Workspace workspace = workspaceOption.open(parameterOption.values())) {
      NamesGiven.pipelines(workspace, pipeline, spec);
      if (from != null) {
        return replay(workspace, terminal.at(from));
      }
      return out != null ? write(workspace, filter) : inEditor(workspace, filter);
    }
  }

  private int write(Workspace workspace, DeadFilter filter) {
    Path file = terminal.at(out);
    int count = write(workspace, filter, file);
    if (workspaceOption.json()) {
      terminal.json(Map.of("letters", count, "file", file.toString()));
    } else if (count > 0) {
      terminal.say(
          Counted.of(count, "dead letter")
              + " written to "
              + out
              + ": correct them there, then 'wexrun dead edit "
              + pipeline
              + " --from "
              + out
              + "'");
    }
    return ExitCode.DONE;
  }

  /** Writes letters to a new file; none, and no file, if there are none. */
  private int write(Workspace workspace, DeadFilter filter, Path file) {
    List<KeptLetter> letters = new ArrayList<>();
    workspace
        .dead()
        .read(
            pipeline,
            filter,
            letter -> {
              letters.add(letter);
              return letters.size() < limit;
            });
    if (letters.isEmpty()) {
      DeadCommand.sayNone(filter, terminal);
      return 0;
    }
    try {
      Files.writeString(file, LetterFile.write(letters), StandardOpenOption.CREATE_NEW);
    } catch (FileAlreadyExistsException e) {
      throw new OutsideException(file + " is there already: name another file", e);
    } catch (IOException e) {
      throw new OutsideException("cannot write " + file + ": " + e.getMessage(), e);
    }
    if (letters.size() == limit) {
      terminal.say("the first " + limit + "; --limit takes more");
    }
    return letters.size();
  }

  private int inEditor(Workspace workspace, DeadFilter filter) throws InterruptedException {
    String editor = System.getenv().getOrDefault("VISUAL", System.getenv("EDITOR"));
    if (editor == null || editor.isBlank()) {
      throw new ParameterException(
          spec.commandLine(),
          "neither VISUAL nor EDITOR names an editor: write a file with --out, and take it back"
              + " with --from");
    }
    Path file;
    try {
      Path folder = Files.createDirectories(workspace.data().resolve("edit"));
      file = folder.resolve(pipeline + "-" + System.currentTimeMillis() + ".txt");
    } catch (IOException e) {
      throw new OutsideException("cannot make a file to edit: " + e.getMessage(), e);
    }
    if (write(workspace, filter, file) == 0) {
      return ExitCode.DONE;
    }
    try {
      // As a shell would call it: the variable may hold options.
      Process process =
          new ProcessBuilder("sh", "-c", editor + " \"$1\"", "sh", file.toString())
              .inheritIO()
              .start();
      int code = process.waitFor();
      if (code != 0) {
        throw new OutsideException(
            "the editor ended with " + code + ": nothing was replayed; the file is " + file);
      }
    } catch (IOException e) {
      throw new OutsideException("cannot start the editor: " + e.getMessage(), e);
    }
    terminal.say("the file is " + file);
    return replay(workspace, file);
  }

  private int replay(Workspace workspace, Path file) throws InterruptedException {
    Map<KeptLetter.Place, byte[]> mended = new TreeMap<>(LetterFile.ORDER);
    int same = 0;
    for (Map.Entry<KeptLetter.Place, byte[]> each : read(file).entrySet()) {
      KeptLetter kept =
          workspace
              .dead()
              .letter(pipeline, each.getKey())
              .orElseThrow(
                  () ->
                      new ParameterException(
                          spec.commandLine(),
                          "there is no letter "
                              + each.getKey()
                              + " of "
                              + pipeline
                              + ": the file is of another pipeline, or the letter is gone"));
      if (Arrays.equals(kept.letter().record().raw(), each.getValue())) {
        same++;
      } else {
        mended.put(each.getKey(), each.getValue());
      }
    }
    ReplayView view = new ReplayView(workspace, pipeline, terminal, workspaceOption.json());
    if (same > 0) {
      terminal.say(
          Counted.of(same, "letter")
              + (same == 1 ? " was" : " were")
              + " not changed, and "
              + (same == 1 ? "stays" : "stay")
              + " as "
              + (same == 1 ? "it is" : "they are"));
    }
    boolean chosen = !mended.isEmpty() && workspace.replays().mend(pipeline, mended).isPresent();
    if (!chosen && !mended.isEmpty()) {
      terminal.say("all letters of the file were replayed or given up before");
    }
    if (!chosen && view.open().isEmpty()) {
      return ExitCode.DONE;
    }
    return view.doAndShow();
  }

  private Map<KeptLetter.Place, byte[]> read(Path file) {
    try {
      return LetterFile.read(Files.readString(file, StandardCharsets.UTF_8));
    } catch (IllegalArgumentException e) {
      throw new ParameterException(spec.commandLine(), from + ": " + e.getMessage());
    } catch (NoSuchFileException e) {
      throw new OutsideException("there is no file " + file, e);
    } catch (CharacterCodingException e) {
      throw new OutsideException(
          file + " is not UTF-8 any more: let the editor save it as UTF-8", e);
    } catch (IOException e) {
      throw new OutsideException("cannot read " + file + ": " + e.getMessage(), e);
    }
  }
}
