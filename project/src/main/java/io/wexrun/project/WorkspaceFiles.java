package io.wexrun.project;

import io.wexrun.core.connect.FileFormat;
import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.Filing;
import io.wexrun.project.definition.WorkspaceDefinition;
import io.wexrun.project.open.Stores;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.ServiceLoader;
import java.util.function.Consumer;
import java.util.stream.Collectors;

/** The tables of a workspace that are folders of files. */
public final class WorkspaceFiles {
  private final WorkspaceDefinition definition;
  private final Stores stores;
  private final Site site;

  WorkspaceFiles(WorkspaceDefinition definition, Stores stores, Site site) {
    this.definition = definition;
    this.stores = stores;
    this.site = site;
  }

  /** The names of the tables that are kept in files, in the order of their definitions. */
  public List<String> tables() {
    List<String> names = new ArrayList<>();
    for (Table table : definition.tables().values()) {
      if (stores.files(table.store())) {
        names.add(table.name());
      }
    }
    return names;
  }

  /**
   * The files of a table, by name.
   *
   * @return empty if the table is not there yet
   * @throws OutsideException if its store fails
   * @throws IllegalArgumentException if no table of that name is kept in files
   */
  public Optional<List<Filing.RowsFile>> of(String table) {
    Table known = known(table);
    return stores.exists(known.store()) ? filing(known).files(table) : Optional.empty();
  }

  /**
   * Reads the files of a table and compares them with its log, as {@link Filing#faults} does.
   *
   * @throws OutsideException if its store fails
   * @throws IllegalArgumentException if no table of that name is kept in files
   */
  public List<Filing.FileFault> faults(String table) {
    Table known = known(table);
    return stores.exists(known.store()) ? filing(known).faults(table) : List.of();
  }

  /**
   * Merges small files of a table, as {@link Filing#merge} does. Works while pipelines load.
   *
   * @param bytes files that are smaller are merged, into ones that are not longer than about this
   * @param told of each folder that had something to merge
   * @throws OutsideException if its store fails, or there is no such table yet
   * @throws IllegalArgumentException if no table of that name is kept in files
   */
  public void merge(String table, long bytes, Consumer<Filing.Merged> told) {
    filing(known(table)).merge(known(table), bytes, told);
  }

  private Table known(String name) {
    if (!tables().contains(name)) {
      throw new IllegalArgumentException("there is no table " + name + " that is kept in files");
    }
    return definition.tables().get(name);
  }

  private Filing filing(Table table) {
    return (Filing) stores.open(table.store());
  }

  /**
   * The first rows of a file that has rows, in the format that its name says, decrypted with the
   * workspace's keys.
   *
   * @param limit how many at most
   * @throws OutsideException if it cannot be read
   */
  public Answer read(Path file, int limit) {
    List<FileFormat> formats =
        ServiceLoader.load(FileFormat.class).stream().map(ServiceLoader.Provider::get).toList();
    if (!Files.isRegularFile(file)) {
      throw OutsideException.lasting(
          Files.isDirectory(file)
              ? file + " is a folder: name a file in it"
              : "there is no file " + file);
    }
    for (FileFormat format : formats) {
      if (format.owns(file.getFileName().toString())) {
        try {
          return format.read(file, limit, site.keys());
        } catch (IOException e) {
          throw OutsideException.lasting("cannot read " + file + ": " + e.getMessage());
        }
      }
    }
    throw OutsideException.lasting(
        "it is not known what "
            + file
            + " is: names of files with rows end with "
            + formats.stream().map(f -> "." + f.name()).sorted().collect(Collectors.joining(", ")));
  }
}
