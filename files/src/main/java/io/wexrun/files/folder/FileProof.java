package io.wexrun.files.folder;

import io.wexrun.core.connect.FileFormat;
import io.wexrun.core.target.Filing.FileFault;
import io.wexrun.core.target.Filing.FileFault.Kind;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Collection;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.SortedMap;
import java.util.TreeMap;
import java.util.function.Predicate;
import java.util.stream.Stream;

/** Compares the files of a table with what its log says of them. For one thread. */
final class FileProof {
  private final TableFolder folder;
  private final Collection<FileFormat> formats = FolderConnector.formats().values();
  private final List<FileFault> faults = new ArrayList<>();

  FileProof(TableFolder folder) {
    this.folder = folder;
  }

  /** The files that are not as they were written, by name. */
  List<FileFault> faults() throws IOException {
    SortedMap<String, WrittenFile> read = new TreeMap<>();
    while (true) {
      Optional<Content> content = folder.log().read();
      if (content.isEmpty()) {
        return List.of();
      }
      faults.clear();
      SortedMap<String, WrittenFile> written = content.get().written();
      for (Map.Entry<String, Path> file : folder.files(content.get()).entrySet()) {
        compare(written.get(file.getKey()), file.getValue(), read);
      }
      addForeign(written::containsKey);
      boolean same = folder.log().read().filter(now -> now.written().equals(written)).isPresent();
      if (same || faults.isEmpty()) {
        faults.sort(Comparator.comparing(FileFault::name));
        return List.copyOf(faults);
      } // A file was added or merged meanwhile: nothing was wrong with it.
    }
  }

  /**
   * Compares a file.
   *
   * @param read files that are known to be as they were written
   */
  private void compare(WrittenFile written, Path file, Map<String, WrittenFile> read)
      throws IOException {
    if (written.equals(read.get(written.name()))) {
      return;
    }
    Path place = Files.exists(file) ? file : folder.path().resolve(written.name()); // Just moved.
    if (!Files.exists(place)) {
      faults.add(new FileFault(written.name(), Kind.MISSING));
    } else if (written.sum().isPresent()
        && !WrittenFile.Sum.of(place).equals(written.sum().get())) {
      faults.add(new FileFault(written.name(), Kind.CHANGED));
    } else {
      read.put(written.name(), written);
    }
  }

  private void addForeign(Predicate<String> known) throws IOException {
    try (Stream<Path> files = Files.walk(folder.path())) {
      files
          .filter(file -> !folder.path().relativize(file).startsWith(FolderStore.OWN))
          .filter(file -> isOfRows(file.getFileName().toString()))
          .map(file -> folder.path().relativize(file).toString())
          .filter(known.negate())
          .forEach(name -> faults.add(new FileFault(name, Kind.FOREIGN)));
    }
  }

  private boolean isOfRows(String name) {
    return formats.stream().anyMatch(format -> format.owns(name));
  }
}
