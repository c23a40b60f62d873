package io.wexrun.files.folder;

import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Schema;
import java.util.List;
import java.util.Map;
import java.util.Set;
import java.util.SortedMap;
import java.util.TreeMap;

/**
 * Everything that a {@link CommitLog} says.
 *
 * @param table who the table is
 * @param schema the columns that it has
 * @param listed the files that were there when the log was summed up, by their names below the
 *     table's folder
 * @param writers how far each source partition of each writer has got
 * @param steps what became of files since then, in order
 * @param bytes how long the log is, without a torn line
 * @param entries how many there are
 */
record Content(
    Identity table,
    Schema schema,
    Map<String, WrittenFile> listed,
    Map<String, Map<SourcePartition, Reached>> writers,
    List<Step> steps,
    long bytes,
    int entries) {
  /**
   * How far a source partition has got.
   *
   * @param position up to where
   * @param rows how many rows of it were committed, over all time
   */
  record Reached(long position, long rows) {}

  /** What an entry does with files. */
  sealed interface Step {}

  /** A file that was staged under one name and stands under another, below the table's folder. */
  record Placed(String staged, WrittenFile file) implements Step {
    String name() {
      return file.name();
    }
  }

  /**
   * A folder that was exchanged for a staged one, in which some files stand for others.
   *
   * @param folder below the table's folder
   * @param staged the other one's name; the folder as it was stands there until it is removed
   * @param from files in the folder as it was that are not in it any more
   * @param to files in it that were not there before
   */
  record Exchanged(String folder, String staged, List<WrittenFile> from, List<WrittenFile> to)
      implements Step {
    boolean removes(String name) {
      return from.stream().anyMatch(file -> file.name().equals(name));
    }

    /** What says that it could not be done. */
    Exchanged undone() {
      return new Exchanged(folder, staged, to, from);
    }
  }

  /** Whether what a step says holds still: an exchange may have been undone. */
  boolean holds(Step step) {
    return !(step instanceof Exchanged exchanged)
        || steps.lastIndexOf(exchanged.undone()) < steps.lastIndexOf(exchanged);
  }

  /** The same with other columns. */
  Content with(Schema other) {
    return new Content(table, other, listed, writers, steps, bytes, entries);
  }

  /** How many rows all writers have written. */
  long rows() {
    return writers.values().stream()
        .flatMap(sources -> sources.values().stream())
        .mapToLong(Reached::rows)
        .sum();
  }

  Map<SourcePartition, Reached> of(String writer) {
    return writers.getOrDefault(writer, Map.of());
  }

  /** The names of all files that have rows, in order. */
  Set<String> files() {
    return written().keySet();
  }

  /** All files that have rows, by their names below the table's folder, in order. */
  SortedMap<String, WrittenFile> written() {
    SortedMap<String, WrittenFile> files = new TreeMap<>(listed);
    for (Step step : steps) {
      if (step instanceof Placed placed) {
        files.put(placed.name(), placed.file());
      } else if (step instanceof Exchanged exchanged) {
        exchanged.from().forEach(file -> files.remove(exchanged.folder() + "/" + file.name()));
        for (WrittenFile file : exchanged.to()) {
          String name = exchanged.folder() + "/" + file.name();
          files.put(name, file.as(name));
        }
      }
    }
    return files;
  }
}
