package io.wexrun.project.open;

import io.wexrun.core.connect.ReferenceReader;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.reference.ReferenceTable;
import io.wexrun.core.target.Answer;
import io.wexrun.project.definition.WorkspaceDefinition;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** The reference tables of a workspace: files in its folder, and tables of its stores. */
public final class WorkspaceReferences {
  private static final String KEPT = "references";

  private final Path folder;
  private final Path data;
  private final WorkspaceDefinition definition;
  private final List<ReferenceReader> readers;
  private final Stores stores;

  /**
   * The reference tables of a definition.
   *
   * @param data the folder in which versions are kept
   */
  public WorkspaceReferences(
      Path folder,
      Path data,
      WorkspaceDefinition definition,
      List<ReferenceReader> readers,
      Stores stores) {
    this.folder = folder;
    this.data = data;
    this.definition = definition;
    this.readers = readers;
    this.stores = stores;
  }

  /** What a pipeline looks up, as it is when it is looked up for the first time. */
  public Snapshot now() {
    return new Snapshot(this, Map.of());
  }

  /**
   * What a pipeline looked up.
   *
   * @param versions of the files, by their names
   */
  public Snapshot asKept(Map<String, String> versions) {
    return new Snapshot(this, versions);
  }

  /** The folder below a data folder in which versions are kept. */
  public static Path kept(Path data) {
    return data.resolve(KEPT);
  }

  Path kept() {
    return kept(data);
  }

  /** What reads a file of this name. */
  ReferenceReader reader(String name) {
    return readers.stream()
        .filter(r -> r.endings().stream().anyMatch(name::endsWith))
        .findFirst()
        .orElseThrow(
            () ->
                OutsideException.lasting(
                    name + " is not a reference table: its name ends with " + endings()));
  }

  private String endings() {
    return String.join(", ", readers.stream().flatMap(r -> r.endings().stream()).toList());
  }

  Path existing(String name) {
    Path file = folder.resolve(name);
    if (Files.isRegularFile(file)) {
      return file;
    }
    List<String> beside = new ArrayList<>();
    Path parent = file.getParent();
    if (Files.isDirectory(parent)) {
      try (var entries = Files.list(parent)) {
        entries.forEach(e -> beside.add(folder.relativize(e).toString().replace('\\', '/')));
      } catch (IOException e) {
        throw new OutsideException("cannot look into " + parent + ": " + e.getMessage(), e);
      }
    }
    Optional<String> nearest = Diagnostics.nearest(name, beside);
    String what = "there is no file '" + name + "'";
    if (nearest.isPresent()) {
      throw OutsideException.lasting(what + "; " + nearest.get()); // It was meant, so none comes.
    }
    throw new OutsideException(what);
  }

  ReferenceTable stored(String name) {
    int dot = name.indexOf('.');
    boolean ours = definition.tables().containsKey(name);
    String store =
        ours ? definition.tables().get(name).store() : dot < 0 ? "" : name.substring(0, dot);
    if (!definition.stores().containsKey(store)) {
      throw OutsideException.lasting(
          "there is no table '" + name + "': name one of the workspace, or write STORE.TABLE");
    }
    String table = ours ? name : name.substring(dot + 1);
    Answer answer =
        stores.query(store).query("select * from \"" + table.replace("\"", "\"\"") + "\"");
    List<List<String>> rows = new ArrayList<>();
    for (List<Object> row : answer.rows()) {
      List<String> texts = new ArrayList<>();
      row.forEach(value -> texts.add(value == null ? null : value.toString()));
      rows.add(texts);
    }
    return new ReferenceTable("table " + name, answer.columns(), rows);
  }
}
