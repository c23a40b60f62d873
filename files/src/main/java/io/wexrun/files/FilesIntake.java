package io.wexrun.files;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import java.io.IOException;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * Follows the files that match a pattern as they grow; new ones are found by looking again. Every
 * file is a source partition of its own, named by its path; the position of a line is the place of
 * its first byte.
 */
public final class FilesIntake implements Intake {
  private static final long LOOK_AGAIN_NANOS = 500_000_000;

  private final Path workspace;
  private final Pattern pattern;
  private final String written;
  private final FollowedFile.Reading reading;
  private final Map<SourcePartition, Long> positions;
  private final Set<Path> known = new HashSet<>();
  private final List<FollowedFile> order = new ArrayList<>();
  private final List<String> notices = new ArrayList<>();
  private long lookedAt = System.nanoTime() - 2 * LOOK_AGAIN_NANOS;
  private boolean toldNone;
  private int turn;
  private boolean atEnd;
  private boolean toldEnd;

  FilesIntake(
      Path workspace,
      String written,
      FollowedFile.Reading reading,
      Map<SourcePartition, Long> positions) {
    this.workspace = workspace.toAbsolutePath().normalize();
    this.pattern = new Pattern(this.workspace, written);
    this.written = written;
    this.reading = reading;
    this.positions = positions;
  }

  /** Settings of an intake that follows the files matching a pattern, one record for each line. */
  public static Settings matching(String pattern) {
    return Settings.of("files", pattern);
  }

  @Override
  public Optional<Block> poll(Duration wait) {
    if (System.nanoTime() - lookedAt > LOOK_AGAIN_NANOS) {
      lookForNew();
    }
    Optional<Block> block = pass();
    if (block.isPresent()) {
      atEnd = false;
      return block;
    }
    if (atEnd) {
      pause(wait);
    }
    // Only a pass behind a fresh look can say that everything was taken.
    lookForNew();
    block = pass();
    atEnd = block.isEmpty();
    return block;
  }

  /** The next block of some file; a file goes on until its end before the next one's turn. */
  private Optional<Block> pass() {
    for (int left = order.size(); left > 0; left--) {
      turn = turn % order.size();
      FollowedFile file = order.get(turn);
      try {
        Optional<Block> block = file.next();
        if (block.isPresent()) {
          return block;
        }
        turn++;
      } catch (NoSuchFileException e) {
        notice(file.source() + " is gone; what was not read of it is lost to the pipeline");
        order.remove(turn);
      } catch (IOException e) {
        throw new OutsideException("cannot read " + file.source() + ": " + e.getMessage(), e);
      }
    }
    return Optional.empty();
  }

  private static void pause(Duration wait) {
    try {
      Thread.sleep(Math.max(1, Math.min(50, wait.toMillis())));
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  private void lookForNew() {
    for (Path path : pattern.matches()) {
      if (known.add(path)) {
        SourcePartition source = new SourcePartition(name(path));
        long position = positions.getOrDefault(source, 0L);
        order.add(new FollowedFile(path, source, position, reading));
      }
    }
    if (known.isEmpty() && !toldNone) {
      toldNone = true;
      notice("no file matches " + written);
    }
    lookedAt = System.nanoTime();
  }

  /** The path from the workspace if the file is in it, else the whole path; with slashes. */
  private String name(Path path) {
    Path whole = path.toAbsolutePath().normalize();
    Path shown = whole.startsWith(workspace) ? workspace.relativize(whole) : whole;
    return shown.toString().replace('\\', '/');
  }

  @Override
  public boolean drained() {
    if (atEnd && !toldEnd) {
      toldEnd = true;
      for (FollowedFile file : order) {
        if (file.unfinished() > 0) {
          notice(
              file.source()
                  + ": "
                  + file.unfinished()
                  + " bytes stand after the last line end;"
                  + " they are taken when their line ends (or now, with last-line: take)");
        }
      }
    }
    return atEnd;
  }

  private void notice(String text) {
    synchronized (notices) {
      notices.add(text);
    }
  }

  @Override
  public List<String> notices() {
    synchronized (notices) {
      List<String> told = List.copyOf(notices);
      notices.clear();
      return told;
    }
  }

  @Override
  public void close() {
    for (FollowedFile file : order) {
      try {
        file.close();
      } catch (IOException e) {
        throw new OutsideException("cannot close " + file.source() + ": " + e.getMessage(), e);
      }
    }
  }
}
