package io.wexrun.project.open;

import io.wexrun.core.connect.ReferenceReader;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.reference.ReferenceTable;
import io.wexrun.core.reference.References;
import io.wexrun.core.target.Answer;
import io.wexrun.project.definition.WorkspaceDefinition;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Supplier;

/** The reference tables of a workspace: files in its folder, and tables of its stores. */
public final class WorkspaceReferences implements References {
  private static final long LOOK_AGAIN = Duration.ofSeconds(1).toNanos();

  private final Path folder;
  private final WorkspaceDefinition definition;
  private final List<ReferenceReader> readers;
  private final Stores stores;
  private final Map<String, Supplier<ReferenceTable>> open = new HashMap<>();

  /** The reference tables of a definition. */
  public WorkspaceReferences(
      Path folder, WorkspaceDefinition definition, List<ReferenceReader> readers, Stores stores) {
    this.folder = folder;
    this.definition = definition;
    this.readers = readers;
    this.stores = stores;
  }

  @Override
  public synchronized Supplier<ReferenceTable> file(String name) {
    Supplier<ReferenceTable> known = open.get(name);
    if (known == null) {
      Path file = existing(name);
      ReferenceReader reader =
          readers.stream()
              .filter(r -> r.endings().stream().anyMatch(name::endsWith))
              .findFirst()
              .orElseThrow(
                  () ->
                      new OutsideException(
                          name + " is not a reference table: its name ends with " + endings()));
      known = new Followed(file, name, reader);
      open.put(name, known);
    }
    return known;
  }

  private String endings() {
    return String.join(", ", readers.stream().flatMap(r -> r.endings().stream()).toList());
  }

  private Path existing(String name) {
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
    throw new OutsideException(
        "there is no file '" + name + "'" + nearest.map(n -> "; " + n).orElse(""));
  }

  @Override
  public byte[] bytes(String name) {
    try {
      return Files.readAllBytes(existing(name));
    } catch (IOException e) {
      throw new OutsideException("cannot read " + name + ": " + e.getMessage(), e);
    }
  }

  /** The table in a file, read again when the file has changed. */
  private static final class Followed implements Supplier<ReferenceTable> {
    private final Path file;
    private final String name;
    private final ReferenceReader reader;
    private ReferenceTable table;
    private String version;
    private long looked;

    Followed(Path file, String name, ReferenceReader reader) {
      this.file = file;
      this.name = name;
      this.reader = reader;
    }

    @Override
    public synchronized ReferenceTable get() {
      if (table != null && System.nanoTime() - looked < LOOK_AGAIN) {
        return table;
      }
      try {
        String now = Files.getLastModifiedTime(file) + " " + Files.size(file);
        if (!now.equals(version)) {
          table = reader.read(file, name);
          version = now;
        }
      } catch (IOException e) {
        throw new OutsideException("cannot read " + name + ": " + e.getMessage(), e);
      }
      looked = System.nanoTime();
      return table;
    }
  }

  @Override
  public synchronized Supplier<ReferenceTable> table(String name) {
    return open.computeIfAbsent("table " + name, key -> fixed(stored(name)));
  }

  private static Supplier<ReferenceTable> fixed(ReferenceTable table) {
    return () -> table;
  }

  private ReferenceTable stored(String name) {
    int dot = name.indexOf('.');
    boolean ours = definition.tables().containsKey(name);
    String store =
        ours ? definition.tables().get(name).store() : dot < 0 ? "" : name.substring(0, dot);
    if (!definition.stores().containsKey(store)) {
      throw new OutsideException(
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
