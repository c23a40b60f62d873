package io.wexrun.files.folder;

import io.wexrun.core.diagnose.OutsideException;
import java.io.IOException;
import java.nio.file.DirectoryNotEmptyException;
import java.nio.file.DirectoryStream;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.util.HashMap;
import java.util.Map;
import java.util.Set;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.TreeSet;
import java.util.stream.Stream;

/**
 * The folder of a table: its files, those that are staged, and its log. What the log says has
 * happened to files is made so here, once more where a crash came between.
 *
 * @param path the table's folder
 */
record TableFolder(Path path) {
  private static final long LISTED_MILLIS = 20;

  private static final String STAGED = "staged";
  private static final String MERGING = "merging";

  /** With this no pattern of a reader shows a file that is not committed. */
  static final String PART = ".part";

  /** Where files are before they are committed. */
  Path staged() {
    return path.resolve(FolderStore.OWN).resolve(STAGED);
  }

  /**
   * Where folders are before they are exchanged: below the store's folder and not the table's, as
   * their files have names that readers of the table look for.
   */
  Path merging() {
    return path.resolveSibling(FolderStore.OWN).resolve(MERGING).resolve(path.getFileName());
  }

  CommitLog log() {
    return new CommitLog(path.resolve(FolderStore.OWN));
  }

  /** All files that the log names, in order, and where each is now. */
  SortedMap<String, Path> files(Content content) {
    Map<String, Path> waiting = new HashMap<>();
    for (Content.Step step : content.steps()) {
      if (step instanceof Content.Placed placed) {
        waiting.put(placed.name(), staged().resolve(placed.staged()));
      } else if (step instanceof Content.Exchanged exchanged) {
        for (WrittenFile file : exchanged.to()) {
          Path beside = merging().resolve(exchanged.staged()).resolve(file.name());
          waiting.put(exchanged.folder() + "/" + file.name(), beside);
        }
      }
    }
    SortedMap<String, Path> files = new TreeMap<>();
    for (String name : content.files()) {
      Path place = path.resolve(name);
      Path beside = waiting.get(name);
      boolean waits = beside != null && !Files.exists(place) && Files.exists(beside);
      files.put(name, waits ? beside : place);
    }
    return files;
  }

  /**
   * Makes everything so that the log says. Called alone.
   *
   * @return the folders that files were moved into, now or before
   */
  Set<Path> settle(Content content) throws IOException {
    Files.createDirectories(staged());
    Set<Path> folders = new TreeSet<>();
    for (Content.Step step : content.steps()) {
      if (step instanceof Content.Placed placed) {
        folders.add(place(placed));
      } else if (step instanceof Content.Exchanged exchanged && content.holds(exchanged)) {
        finish(exchanged);
      }
    }
    return folders;
  }

  /**
   * Finishes an exchange that a crash has interrupted, if the last step was one; what comes behind
   * must not come into a folder that goes away. Called alone, before anything is placed.
   */
  void settleExchange(Content content) throws IOException {
    int last = content.steps().size() - 1;
    if (last >= 0 && content.steps().get(last) instanceof Content.Exchanged exchanged) {
      finish(exchanged);
    }
  }

  /** Moves a file of a committed flush to its place, unless it is there; the folder it is in. */
  Path place(Content.Placed file) throws IOException {
    Path to = path.resolve(file.name());
    Path from = staged().resolve(file.staged());
    if (Files.exists(from)) {
      Files.createDirectories(to.getParent());
      try {
        Files.move(from, to, StandardCopyOption.ATOMIC_MOVE);
      } catch (NoSuchFileException e) {
        if (!Files.exists(to)) {
          throw e;
        }
      }
    }
    return to.getParent();
  }

  /** Exchanges a folder for the staged one, unless that is done, and removes the one as it was. */
  void finish(Content.Exchanged exchange) throws IOException {
    Path staged = merging().resolve(exchange.staged());
    if (!Files.isDirectory(staged)) {
      return;
    }
    Path folder = path.resolve(exchange.folder());
    if (!Files.isDirectory(folder)) {
      remove(staged); // Somebody has removed the folder, with all its rows.
      return;
    }
    if (isAhead(exchange)) {
      Exchange.of(staged, folder);
      CommitLog.force(merging());
      CommitLog.force(folder.getParent());
      rest();
    }
    removeOld(staged, folder, exchange);
  }

  /** Who has just opened the folder as it was lists its files, before they go. */
  private static void rest() {
    try {
      Thread.sleep(LISTED_MILLIS);
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    }
  }

  /** Whether an exchange has not been done. */
  boolean isAhead(Content.Exchanged exchange) {
    Path staged = merging().resolve(exchange.staged());
    return exchange.to().stream().anyMatch(file -> Files.exists(staged.resolve(file.name())));
  }

  /** What others have put into the folder since it was copied goes into the new one. */
  private static void removeOld(Path old, Path folder, Content.Exchanged exchange)
      throws IOException {
    try (DirectoryStream<Path> files = Files.newDirectoryStream(old)) {
      for (Path file : files) {
        Path there = folder.resolve(file.getFileName());
        boolean known = exchange.removes(file.getFileName().toString()) || Files.exists(there);
        if (known) {
          Files.delete(file);
        } else {
          Files.move(file, there, StandardCopyOption.ATOMIC_MOVE);
        }
      }
    }
    try {
      Files.deleteIfExists(old);
    } catch (DirectoryNotEmptyException e) {
      throw OutsideException.lasting("somebody writes into " + old + ", which is Wexrun's own");
    }
  }

  /** Removes what is staged and was not committed, of all whose names begin so. Called alone. */
  void removeStaged(String beginning) throws IOException {
    try (DirectoryStream<Path> files = Files.newDirectoryStream(staged())) {
      for (Path file : files) {
        if (file.getFileName().toString().startsWith(beginning)) {
          Files.deleteIfExists(file);
        }
      }
    }
  }

  /** Removes a file, or a folder with what is in it. */
  static void remove(Path path) throws IOException {
    if (Files.isDirectory(path)) {
      try (Stream<Path> inside = Files.list(path)) {
        for (Path file : inside.toList()) {
          remove(file);
        }
      }
    }
    Files.deleteIfExists(path);
  }
}
