package io.wexrun.files.folder;

import io.wexrun.core.connect.FileFormat;
import io.wexrun.core.connect.FileQueries;
import io.wexrun.core.connect.FileQueries.FileTable;
import io.wexrun.core.connect.FileQueries.TableFile;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.QueryBounds;
import java.io.IOException;
import java.nio.file.DirectoryStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Collection;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.ServiceLoader;
import java.util.SortedMap;

/**
 * Queries of the tables in a folder, as their logs say they are: what is committed, and nothing
 * else. Files that somebody has removed have no rows any more.
 */
final class FolderAnswers {
  /** Files are moved and merged meanwhile: so long it is tried to find them all in their places. */
  private static final Duration LONGEST = Duration.ofSeconds(30);

  private final FolderStore store;
  private final Path folder;
  private final Collection<FileFormat> formats = FolderConnector.formats().values();

  FolderAnswers(FolderStore store, Path folder) {
    this.store = store;
    this.folder = folder;
  }

  /** Who answers, if anybody is there who can. */
  static Optional<FileQueries> who() {
    return ServiceLoader.load(FileQueries.class).findFirst();
  }

  Answer query(String sql, QueryBounds bounds) throws IOException {
    FileQueries queries =
        who()
            .orElseThrow(
                () ->
                    OutsideException.lasting(
                        store + " does not answer queries: no library for that is there"));
    long until = System.nanoTime() + LONGEST.toNanos();
    while (true) {
      List<FileTable> tables = tables();
      try {
        return queries.query(store, sql, tables, store.keys(), bounds);
      } catch (OutsideException e) {
        if (System.nanoTime() - until > 0 || areThere(tables)) {
          throw e;
        }
      }
    }
  }

  /** Whether the files are still those. */
  private static boolean areThere(List<FileTable> tables) {
    return tables.stream()
        .flatMap(table -> table.files().stream())
        .allMatch(file -> Files.exists(file.path()));
  }

  private List<FileTable> tables() throws IOException {
    List<FileTable> tables = new ArrayList<>();
    if (!Files.isDirectory(folder)) {
      return tables;
    }
    try (DirectoryStream<Path> folders = Files.newDirectoryStream(folder, Files::isDirectory)) {
      for (Path each : folders) {
        table(each).ifPresent(tables::add);
      }
    }
    return tables;
  }

  private Optional<FileTable> table(Path path) throws IOException {
    TableFolder table = new TableFolder(path);
    while (true) {
      Optional<Content> content = table.log().read();
      if (content.isEmpty()) {
        return Optional.empty();
      }
      SortedMap<String, Path> files = table.files(content.get());
      files.replaceAll((name, at) -> Files.exists(at) ? at : path.resolve(name)); // Just moved.
      files.values().removeIf(at -> !Files.exists(at));
      // What is gone was removed, or it stands under another name that the log says now.
      boolean same =
          table.log().read().filter(now -> now.files().equals(content.get().files())).isPresent();
      if (same) {
        List<TableFile> tableFiles = new ArrayList<>();
        for (Map.Entry<String, Path> file : files.entrySet()) {
          tableFiles.add(new TableFile(file.getKey(), file.getValue(), format(file.getKey())));
        }
        return Optional.of(
            new FileTable(
                Cut.unescaped(path.getFileName().toString()), content.get().schema(), tableFiles));
      }
    }
  }

  /** The format of a file: a store may have had another before. */
  private FileFormat format(String name) {
    return formats.stream()
        .filter(format -> format.owns(name))
        .findFirst()
        .orElseThrow(
            () -> OutsideException.lasting(store + " has " + name + ", whose format is not known"));
  }
}
