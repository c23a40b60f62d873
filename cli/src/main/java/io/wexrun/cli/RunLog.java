package io.wexrun.cli;

import io.wexrun.core.diagnose.Failure;
import io.wexrun.core.diagnose.Shown;
import io.wexrun.core.run.Notice;
import io.wexrun.core.run.RunListener;
import java.io.IOException;
import java.nio.file.Path;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.LinkedHashMap;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import tools.jackson.databind.json.JsonMapper;

/**
 * A line for each event of a run that matters, as text or JSON; in a file that is rotated, or on
 * standard error. For several threads.
 */
final class RunLog implements RunListener, AutoCloseable {
  private static final JsonMapper JSON = JsonMapper.builder().build();
  private static final int LONGEST_FILE = 10 << 20;
  private static final int MOST_FILES = 5;

  private final Terminal terminal;
  private final boolean json;
  private final boolean silent;
  private final Optional<RotatedFile> file;

  /**
   * A log.
   *
   * @param json whether lines are JSON objects
   * @param file where they go; standard error if it is empty
   * @param silent whether nothing goes to standard error, since events are shown otherwise
   * @throws io.wexrun.core.diagnose.OutsideException if the file cannot be written
   */
  RunLog(Terminal terminal, boolean json, Optional<Path> file, boolean silent) {
    this.terminal = terminal;
    this.json = json;
    this.silent = silent;
    this.file = file.map(path -> new RotatedFile(path, LONGEST_FILE, MOST_FILES));
  }

  @Override
  public void told(Notice notice) {
    String event =
        switch (notice.kind()) {
          case INTAKE -> "intake";
          case WAITS -> "waits";
          case GOES_ON -> "goes-on";
        };
    say(notice.at(), notice.kind() == Notice.Kind.WAITS, notice.pipeline(), event, notice.text());
  }

  @Override
  public void ended(String pipeline, Optional<Throwable> failure) {
    if (failure.isPresent()) {
      String why = String.valueOf(failure.get().getMessage());
      say(Instant.now(), true, pipeline, "failed", why);
    } else if (json || file.isPresent()) {
      say(Instant.now(), false, pipeline, "stopped", "flushed, and in the books");
    }
  }

  /** An event of the run itself. */
  void event(String event, String text) {
    if (json || file.isPresent()) {
      say(Instant.now(), false, "", event, text);
    }
  }

  private void say(Instant at, boolean warning, String pipeline, String event, String text) {
    String level = warning ? "warning" : "info";
    String shown = Shown.masked(text);
    String line;
    if (json) {
      Map<String, Object> facts = new LinkedHashMap<>();
      facts.put("time", at.truncatedTo(ChronoUnit.MILLIS).toString());
      facts.put("level", level);
      facts.put("event", event);
      if (!pipeline.isEmpty()) {
        facts.put("pipeline", pipeline);
      }
      facts.put("text", shown);
      line = JSON.writeValueAsString(facts);
    } else {
      String what = (pipeline.isEmpty() ? "" : pipeline + ": ") + Shown.line(shown);
      line =
          file.isPresent()
              ? at.truncatedTo(ChronoUnit.MILLIS)
                  + " "
                  + level.toUpperCase(Locale.ROOT)
                  + " "
                  + what
              : what;
    }
    if (file.isPresent()) {
      try {
        file.get().write(line);
      } catch (IOException e) {
        // A full disk must not end what loads; who looks sees it here.
        terminal.say("the log cannot be written: " + Failure.told(e));
        terminal.say(line);
      }
    } else if (!silent) {
      terminal.say(line);
    }
  }

  @Override
  public void close() {
    file.ifPresent(RotatedFile::close);
  }
}
