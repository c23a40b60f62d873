package io.wexrun.files;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import java.io.IOException;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.function.Consumer;

/**
 * Follows the files that match a pattern as they grow; new ones are found by looking again. Every
 * file is a source partition of its own, named by its path; the position of a line is the place of
 * its first byte.
 */
public final class FilesIntake implements Intake {
  private final Path workspace;
  private final Pattern pattern;
  private final String written;
  private final FollowedFile.Reading reading;
  private final Consumer<String> notices;
  private final Set<Path> known = new HashSet<>();
  private final Map<SourcePartition, FollowedFile> files = new LinkedHashMap<>();
  private final List<FollowedFile> assigned = new ArrayList<>();
  private boolean toldNone;
  private int turn;
  private boolean atEnd;
  private boolean toldEnd;

  FilesIntake(
      Path workspace, String written, FollowedFile.Reading reading, Consumer<String> notices) {
    this.workspace = workspace.toAbsolutePath().normalize();
    this.pattern = new Pattern(this.workspace, written);
    this.written = written;
    this.reading = reading;
    this.notices = notices;
  }

  /** Settings of an intake that follows the files matching a pattern, one record for each line. */
  public static Settings matching(String pattern) {
    return Settings.of("files", pattern);
  }

  /** Finds files that are new. A file with a header begins behind it, once that is whole. */
  @Override
  public List<Source> look() {
    for (Path path : pattern.matches()) {
      if (known.add(path)) {
        SourcePartition source = new SourcePartition(name(path));
        files.put(source, new FollowedFile(path, source, reading));
      }
    }
    if (known.isEmpty() && !toldNone) {
      toldNone = true;
      notices.accept("no file matches " + written);
    }
    List<Source> sources = new ArrayList<>();
    for (FollowedFile file : files.values()) {
      try {
        OptionalLong start = file.start();
        if (start.isPresent()) {
          sources.add(new Source(file.source(), file.identity(), start.getAsLong()));
        }
      } catch (NoSuchFileException e) {
        continue; // Told when it is read, if there is anything to tell.
      } catch (IOException e) {
        throw cannotRead(file, e);
      }
    }
    return sources;
  }

  /** The path from the workspace if the file is in it, else the whole path; with slashes. */
  private String name(Path path) {
    Path whole = path.toAbsolutePath().normalize();
    Path shown = whole.startsWith(workspace) ? workspace.relativize(whole) : whole;
    return shown.toString().replace('\\', '/');
  }

  @Override
  public void assign(SourcePartition partition, long position) {
    FollowedFile file = files.get(partition);
    file.goTo(position);
    if (!assigned.contains(file)) {
      assigned.add(file);
    }
    atEnd = false;
  }

  @Override
  public void revoke(SourcePartition partition) {
    FollowedFile file = files.get(partition);
    if (assigned.remove(file)) {
      close(file);
    }
  }

  @Override
  public Optional<Block> poll(Duration wait) {
    Optional<Block> block = pass();
    if (block.isEmpty() && atEnd) {
      pause(wait);
      block = pass();
    }
    atEnd = block.isEmpty();
    return block;
  }

  /** The next block of some file; a file goes on until its end before the next one's turn. */
  private Optional<Block> pass() {
    for (int left = assigned.size(); left > 0; left--) {
      turn = turn % assigned.size();
      FollowedFile file = assigned.get(turn);
      try {
        Optional<Block> block = file.next();
        if (block.isPresent()) {
          return block;
        }
        turn++;
      } catch (NoSuchFileException e) {
        notices.accept(file.source() + " is gone; what was not read of it is lost to the pipeline");
        assigned.remove(turn);
        files.remove(file.source());
      } catch (IOException e) {
        throw cannotRead(file, e);
      }
    }
    return Optional.empty();
  }

  private static OutsideException cannotRead(FollowedFile file, IOException e) {
    return new OutsideException("cannot read " + file.source() + ": " + e.getMessage(), e);
  }

  private static void pause(Duration wait) {
    try {
      Thread.sleep(Math.max(1, Math.min(50, wait.toMillis())));
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  @Override
  public boolean drained() {
    if (atEnd && !toldEnd) {
      toldEnd = true;
      for (FollowedFile file : files.values()) {
        if (file.unfinished() > 0) {
          notices.accept(
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

  @Override
  public void close() {
    files.values().forEach(FilesIntake::close);
  }

  private static void close(FollowedFile file) {
    try {
      file.close();
    } catch (IOException e) {
      throw new OutsideException("cannot close " + file.source() + ": " + e.getMessage(), e);
    }
  }
}
