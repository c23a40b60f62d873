package io.wexrun.files.folder;

import io.wexrun.core.connect.FileForm;
import io.wexrun.core.connect.FileFormat;
import io.wexrun.core.diagnose.Failure;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.secret.Keys;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.Comparing;
import io.wexrun.core.target.Filing;
import io.wexrun.core.target.QueryBounds;
import io.wexrun.core.target.Querying;
import io.wexrun.core.target.Standing;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.TableDifference;
import io.wexrun.core.target.Target;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.UUID;
import java.util.function.Consumer;

/**
 * A folder with a folder for each table. What is Wexrun's own stands in {@code .wexrun} below them:
 * who the store is, and of each table its {@link CommitLog} and the files that are staged.
 */
final class FolderStore implements Store, Comparing, Filing, Querying {
  static final String OWN = ".wexrun";

  private static final String IDENTITY = "store";

  private final String name;
  private final Path folder;
  private final Writing writing;
  private final Keys keys;

  /**
   * How files are written.
   *
   * @param prefix what their names begin with
   */
  record Writing(FileFormat format, FileForm form, Cut cut, String prefix) {
    /** A name for a file, as no other has it. */
    String name(String begin) {
      return begin + "-" + UUID.randomUUID().toString().substring(0, 8) + format.ending(form);
    }
  }

  FolderStore(String name, Path folder, Writing writing, Keys keys) {
    this.name = name;
    this.folder = folder;
    this.writing = writing;
    this.keys = keys;
  }

  Keys keys() {
    return keys;
  }

  Writing writing() {
    return writing;
  }

  @Override
  public Identity identity() {
    Path file = folder.resolve(OWN).resolve(IDENTITY);
    try {
      if (!Files.exists(file)) {
        Files.createDirectories(file.getParent());
        Path fresh = file.resolveSibling(IDENTITY + "." + Identity.fresh());
        Files.writeString(fresh, Identity.fresh().text());
        CommitLog.force(fresh);
        try {
          Files.createLink(file, fresh); // Whoever comes second finds it.
        } catch (FileAlreadyExistsException e) {
          Files.delete(fresh);
          return new Identity(Files.readString(file));
        }
        Files.delete(fresh);
        CommitLog.force(file.getParent());
      }
      return new Identity(Files.readString(file));
    } catch (IOException e) {
      throw failed("write", e);
    }
  }

  /** The folder of a table. */
  TableFolder of(String table) {
    return new TableFolder(folder.resolve(Cut.escaped(table)));
  }

  private CommitLog log(String table) {
    return of(table).log();
  }

  OutsideException gone(String table) {
    return OutsideException.lasting(
        "table " + table + " of " + this + " was removed while it was written to");
  }

  OutsideException failed(String what, IOException e) {
    return new OutsideException("cannot " + what + " in " + this + ": " + Failure.told(e), e);
  }

  @Override
  public Target target(String writer, Table table) {
    identity();
    writing
        .cut()
        .fault(table)
        .ifPresent(
            fault -> {
              throw OutsideException.lasting(
                  "table " + table.name() + " cannot be cut as " + this + " says: " + fault);
            });
    if (!table.key().isEmpty() && table.rollup().isEmpty()) {
      throw OutsideException.lasting(
          "table "
              + table.name()
              + " has a key, but rows in "
              + this
              + " cannot take the places of others: remove the key, or use a database");
    }
    CommitLog log = log(table.name());
    try {
      return FolderTarget.open(this, log, writer, table, this::requireSame);
    } catch (IOException e) {
      throw failed("open table " + table.name(), e);
    }
  }

  private void requireSame(Table table, Content content) {
    List<TableDifference.Column> columns = differences(table, content);
    if (!columns.isEmpty()) {
      TableDifference.Column first = columns.get(0);
      throw OutsideException.lasting(
          "table "
              + table.name()
              + " in "
              + this
              + " has other columns than wexrun.yaml says: "
              + first.name()
              + " "
              + first.what()
              + ". Files that are there are not changed: give the table another name, or move its"
              + " folder away");
    }
  }

  private static List<TableDifference.Column> differences(Table table, Content content) {
    List<TableDifference.Column> columns = new ArrayList<>();
    for (Column column : table.schema().columns()) {
      var place = content.schema().find(column.name());
      Optional<Column> there =
          place.isPresent()
              ? Optional.of(content.schema().column(place.getAsInt()))
              : Optional.empty();
      if (there.isEmpty() || !there.get().type().equals(column.type())) {
        columns.add(
            new TableDifference.Column(
                column.name(),
                there.map(c -> c.type().toString()),
                Optional.of(column.type().toString()),
                there.isEmpty() ? "is missing" : "has another type"));
      }
    }
    return columns;
  }

  @Override
  public Optional<TableDifference> compare(Table table) {
    try {
      List<TableDifference.Column> columns =
          log(table.name()).read().map(content -> differences(table, content)).orElse(List.of());
      return columns.isEmpty()
          ? Optional.empty()
          : Optional.of(new TableDifference(table.name(), columns, List.of(), true));
    } catch (IOException e) {
      throw failed("look at table " + table.name(), e);
    }
  }

  @Override
  public boolean has(String table) {
    try {
      return log(table).read().isPresent();
    } catch (IOException e) {
      throw failed("look for table " + table, e);
    }
  }

  @Override
  public Optional<Schema> columns(String table) {
    try {
      return log(table).read().map(Content::schema);
    } catch (IOException e) {
      throw failed("look at table " + table, e);
    }
  }

  /** As the commit log says; of a rollup it counts what was merged, not what was written. */
  @Override
  public OptionalLong rows(Table table) {
    try {
      Optional<Content> content = log(table.name()).read();
      return content.isEmpty() || table.rollup().isPresent()
          ? OptionalLong.empty()
          : OptionalLong.of(content.get().rows());
    } catch (IOException e) {
      throw failed("look at table " + table.name(), e);
    }
  }

  @Override
  public String ddl(Table table) {
    return "";
  }

  @Override
  public Optional<Standing> standing(String writer, String table) {
    try {
      return Optional.of(
          log(table).read().map(content -> standing(content, writer)).orElse(Standing.ABSENT));
    } catch (IOException e) {
      throw failed("look at table " + table, e);
    }
  }

  private static Standing standing(Content content, String writer) {
    Map<SourcePartition, Long> progress = new HashMap<>();
    Map<SourcePartition, Long> rows = new HashMap<>();
    content
        .of(writer)
        .forEach(
            (source, reached) -> {
              progress.put(source, reached.position());
              rows.put(source, reached.rows());
            });
    return new Standing(Optional.of(content.table()), progress, rows);
  }

  @Override
  public Answer query(String sql, QueryBounds bounds) {
    try {
      return new FolderAnswers(this, folder).query(sql, bounds);
    } catch (IOException e) {
      throw failed("look for tables", e);
    }
  }

  @Override
  public Answer change(String sql) {
    throw OutsideException.lasting(
        this + " holds rows in files, which are not changed by SQL: load them by a pipeline");
  }

  @Override
  public Optional<List<RowsFile>> files(String table) {
    TableFolder of = of(table);
    try {
      Optional<Content> content = of.log().read();
      if (content.isEmpty()) {
        return Optional.empty();
      }
      List<RowsFile> files = new ArrayList<>();
      for (Map.Entry<String, Path> file : of.files(content.get()).entrySet()) {
        Path path = file.getValue();
        Optional<Long> bytes =
            Files.exists(path) ? Optional.of(Files.size(path)) : Optional.empty();
        files.add(new RowsFile(file.getKey(), path, bytes));
      }
      return Optional.of(files);
    } catch (IOException e) {
      throw failed("list the files of table " + table, e);
    }
  }

  @Override
  public List<FileFault> faults(String table) {
    try {
      return new FileProof(of(table)).faults();
    } catch (IOException | UncheckedIOException e) {
      throw new OutsideException(
          "cannot read the files of table " + table + " in " + this + ": " + e.getMessage(), e);
    }
  }

  @Override
  public void merge(Table table, long bytes, Consumer<Merged> told) {
    try {
      new Merging(this, of(table.name()), table, bytes).run(told);
    } catch (IOException e) {
      throw failed("merge files of table " + table.name(), e);
    }
  }

  @Override
  public String toString() {
    return "store " + name + " (" + folder + ")";
  }

  @Override
  public void close() {
    // Nothing stays open between a flush and the next.
  }
}
