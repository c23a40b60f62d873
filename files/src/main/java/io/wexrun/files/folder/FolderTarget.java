package io.wexrun.files.folder;

import io.wexrun.core.batch.Rows;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.rollup.Grouping;
import io.wexrun.core.rollup.OutOfRange;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Staged;
import io.wexrun.core.target.Target;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Instant;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.function.BiConsumer;
import java.util.stream.Stream;

/**
 * A table of files. A flush is written to files in a folder of staged ones, which readers of the
 * table do not see; the commit is an entry in the log; then the files are moved to their places.
 * What a crash leaves between the two is moved when the table is opened again.
 */
final class FolderTarget implements Target {
  /** After so many entries the log is summed up when the table is opened. */
  private static final int SUM_UP_AFTER = 1000;

  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("uuuuMMdd'T'HHmmss").withZone(ZoneOffset.UTC);

  private final FolderStore store;
  private final CommitLog log;
  private final String writer;
  private final Table table;
  private final Identity identity;
  private final Map<SourcePartition, Content.Reached> atOpening;
  private final Map<SourcePartition, Content.Reached> reached;
  private final Set<StagedFlush> staged = new HashSet<>();

  private FolderTarget(
      FolderStore store, CommitLog log, String writer, Table table, Content content) {
    this.store = store;
    this.log = log;
    this.writer = writer;
    this.table = table;
    this.identity = content.table();
    this.atOpening = Map.copyOf(content.of(writer));
    this.reached = new HashMap<>(atOpening);
  }

  /** Opens a table, making it if it is not there, and puts in order what a crash has left. */
  static FolderTarget open(
      FolderStore store,
      CommitLog log,
      String writer,
      Table table,
      BiConsumer<Table, Content> check)
      throws IOException {
    return log.alone(
        () -> {
          Optional<Content> found = log.read();
          if (found.isEmpty() && table.manage() == Table.Manage.NEVER) {
            throw OutsideException.lasting(
                "there is no table "
                    + table.name()
                    + " in "
                    + store
                    + ", and wexrun.yaml says that it is never made here (manage: never)");
          }
          if (found.isEmpty()) {
            requireNoRows(store, table);
          }
          log.make(table.schema());
          Content content = log.read().orElseThrow().with(added(table, content(found)));
          check.accept(table, content);
          TableFolder folder = store.of(table.name());
          Set<Path> folders = folder.settle(content);
          folder.removeStaged(mark(writer));
          boolean wider = found.isPresent() && !found.get().schema().equals(content.schema());
          if (wider || content.entries() > SUM_UP_AFTER) {
            for (Path each : folders) {
              if (Files.exists(each)) {
                CommitLog.force(each); // Old ones may have been removed by who keeps only new ones.
              }
            }
            log.sumUp(content, content.written().values());
          }
          return new FolderTarget(store, log, writer, table, content);
        });
  }

  /** Files with rows that stand in no log are others', or of a table whose log was removed. */
  private static void requireNoRows(FolderStore store, Table table) throws IOException {
    Path folder = store.of(table.name()).path();
    if (!Files.isDirectory(folder)) {
      return;
    }
    try (Stream<Path> files = Files.walk(folder)) {
      Optional<Path> foreign =
          files
              .filter(Files::isRegularFile)
              .filter(file -> store.writing().format().owns(file.getFileName().toString()))
              .findFirst();
      if (foreign.isPresent()) {
        throw OutsideException.lasting(
            "the folder of table "
                + table.name()
                + " in "
                + store
                + " has files with rows that no log names, such as "
                + folder.relativize(foreign.get())
                + ": readers would see them as rows of the table. Move them away, or give the table"
                + " another name");
      }
    }
  }

  private static Schema content(Optional<Content> found) {
    return found.map(Content::schema).orElse(Schema.EMPTY);
  }

  /** The columns that are there, with those that the table gets. */
  private static Schema added(Table table, Schema there) {
    if (there.size() == 0) {
      return table.schema();
    }
    Schema all = there;
    for (Column column : table.schema().columns()) {
      if (table.manage() == Table.Manage.FOLLOW
          && !column.required()
          && there.find(column.name()).isEmpty()) {
        all = all.with(column);
      }
    }
    return all;
  }

  private static String mark(String writer) {
    return Cut.escaped(writer) + "@";
  }

  @Override
  public Map<SourcePartition, Long> progress() {
    Map<SourcePartition, Long> progress = new HashMap<>();
    atOpening.forEach((source, at) -> progress.put(source, at.position()));
    return progress;
  }

  @Override
  public Map<SourcePartition, Long> rows() {
    Map<SourcePartition, Long> rows = new HashMap<>();
    atOpening.forEach((source, at) -> rows.put(source, at.rows()));
    return rows;
  }

  @Override
  public Optional<Identity> identity() {
    return Optional.of(identity);
  }

  @Override
  public int parallelism() {
    return 2;
  }

  @Override
  public Staged stage(Flush flush) {
    StagedFlush result = new StagedFlush(flush);
    synchronized (staged) {
      staged.add(result);
    }
    try {
      result.write(flush);
    } catch (IOException e) {
      throw store.failed("write rows of table " + table.name(), e);
    }
    return result;
  }

  @Override
  public void close() {
    synchronized (staged) {
      staged.forEach(StagedFlush::remove);
      staged.clear();
    }
  }

  /** The files of a flush. */
  private final class StagedFlush implements Staged {
    private final TableFolder folder = store.of(table.name());
    private final List<Path> staged = new ArrayList<>();
    private final List<Content.Placed> files = new ArrayList<>();
    private final Map<SourcePartition, Long> ends;
    private final Map<SourcePartition, Long> more = new HashMap<>();
    private final long handed;
    private long written;

    StagedFlush(Flush flush) {
      this.ends = flush.progress();
      this.handed = flush.rows();
    }

    void write(Flush flush) throws IOException {
      List<Rows> fresh = new ArrayList<>();
      for (Flush.Part part : flush.parts()) {
        Content.Reached done = atOpening.get(part.source());
        Rows rows = done == null ? part.rows() : part.rows().from(done.position());
        more.merge(part.source(), (long) rows.count(), Long::sum);
        written += rows.count();
        if (rows.count() > 0) {
          fresh.add(rows);
        }
      }
      if (table.rollup().isPresent() && !fresh.isEmpty()) {
        fresh = List.of(groups(fresh));
      }
      FolderStore.Writing how = store.writing();
      for (Map.Entry<String, List<Rows>> each : how.cut().cut(table, fresh).entrySet()) {
        if (!each.getValue().isEmpty()) {
          String name = how.name(how.prefix() + "-" + TIME.format(Instant.now()));
          String part = mark(writer) + name + TableFolder.PART;
          Path file = folder.staged().resolve(part);
          staged.add(file);
          how.format().write(file, table, each.getValue(), how.form());
          files.add(new Content.Placed(part, WrittenFile.of(each.getKey() + "/" + name, file)));
          CommitLog.force(file);
        }
      }
    }

    /** What the rows of the flush alone make of a rollup; who reads it adds up such parts. */
    private Rows groups(List<Rows> rows) {
      try {
        return Rows.all(Grouping.of(table, rows).rows());
      } catch (OutOfRange e) {
        throw OutsideException.lasting(
            "rows of table " + table.name() + " cannot be merged: " + e.getMessage());
      }
    }

    /** Commits come in the order of the flushes, so only here it is known where each goes on. */
    @Override
    public Receipt commit() {
      try {
        Map<SourcePartition, Content.Reached> next = new HashMap<>();
        ends.forEach(
            (source, end) -> {
              Content.Reached from = reached.getOrDefault(source, new Content.Reached(0, 0));
              long rows = from.rows() + more.getOrDefault(source, 0L);
              next.put(source, new Content.Reached(Math.max(from.position(), end), rows));
            });
        CommitLog.force(folder.staged());
        log.alone(
            () -> {
              Content content = log.read().orElseThrow(() -> store.gone(table.name()));
              requireNotPast(content);
              folder.settleExchange(content);
              log.append(content, writer, next, files);
              reached.putAll(next);
              for (Content.Placed file : files) {
                folder.place(file);
              }
              return null;
            });
      } catch (IOException e) {
        throw store.failed("commit rows of table " + table.name(), e);
      }
      synchronized (FolderTarget.this.staged) {
        FolderTarget.this.staged.remove(this);
      }
      return new Receipt(written, handed - written);
    }

    private void requireNotPast(Content content) {
      if (!content.table().equals(identity)) {
        throw store.gone(table.name());
      }
      for (SourcePartition source : ends.keySet()) {
        Content.Reached there = content.of(writer).get(source);
        if (there != null && !there.equals(reached.get(source))) {
          throw OutsideException.lasting(
              "another run of "
                  + writer
                  + " has gone on with "
                  + source
                  + " in table "
                  + table.name()
                  + " of "
                  + store
                  + " since this one began. Stop one of them");
        }
      }
    }

    /** It was not committed. */
    void remove() {
      for (Path file : staged) {
        try {
          Files.deleteIfExists(file);
        } catch (IOException e) {
          throw store.failed("remove a staged file", e);
        }
      }
    }
  }
}
