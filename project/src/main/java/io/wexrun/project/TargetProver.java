package io.wexrun.project;

import static java.util.stream.Collectors.joining;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.OriginColumns;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Rollup;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.tally.Counts;
import io.wexrun.core.tally.ReplaySource;
import io.wexrun.core.tally.SourceTally;
import io.wexrun.core.tally.Tally;
import io.wexrun.core.target.Filing.FileFault;
import io.wexrun.core.target.Querying;
import io.wexrun.core.target.Resending;
import io.wexrun.core.target.Standing;
import io.wexrun.project.facts.Proof;
import io.wexrun.project.facts.Proof.Kind;
import io.wexrun.state.WorkspaceState;
import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.EnumMap;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.Set;
import java.util.TreeMap;
import java.util.TreeSet;

/** Counts again what the books say of targets: rows of tables, records of queues. */
final class TargetProver {
  /** Stands for rows without origin. */
  private static final long NO_ORIGIN = -1;

  private final Workspace workspace;
  private final Scene scene;
  private final WorkspaceState state;
  private Set<String> setBack = Set.of();

  TargetProver(Workspace workspace, Scene scene, WorkspaceState state) {
    this.workspace = workspace;
    this.scene = scene;
    this.state = state;
  }

  /** Why a target may have more than the books, if there is a reason for that. */
  Optional<String> ahead(String name, String target) {
    if (state.isHeld(name)) {
      return Optional.of("the pipeline runs: targets commit before it is in the books");
    }
    Optional<Pipeline> pipeline = scene.definition().pipeline(name);
    Map<SourcePartition, Long> positions = state.tally().positions(name);
    try {
      Standing standing =
          pipeline.map(p -> scene.ends().standings(p).get(target)).orElse(Standing.ABSENT);
      boolean ahead =
          standing != null
              && standing.progress().entrySet().stream()
                  .anyMatch(e -> e.getValue() > positions.getOrDefault(e.getKey(), 0L));
      return ahead
          ? Optional.of(
              "it is ahead of the books, since a run was killed or the books were put back from"
                  + " an earlier time: the next run, or replay, brings them together")
          : Optional.empty();
    } catch (OutsideException e) {
      return Optional.empty();
    }
  }

  /**
   * The lines of the targets of some pipelines.
   *
   * @param setBack targets that do not agree with the tally, of which it is said what can be done
   */
  List<Proof> prove(List<String> names, Set<String> setBack) {
    this.setBack = Set.copyOf(setBack);
    Map<String, Map<String, Long>> loaded = new TreeMap<>();
    for (String name : state.corrections().pipelines()) {
      Tally tally = state.tally().tally(name);
      tally
          .counts()
          .loaded()
          .forEach(
              (target, rows) ->
                  loaded
                      .computeIfAbsent(target, t -> new TreeMap<>())
                      .put(name, rows - removed(name, target)));
    }
    List<Proof> lines = new ArrayList<>();
    loaded.forEach(
        (target, by) -> {
          if (by.keySet().stream().anyMatch(names::contains)) {
            lines.addAll(target(target, by));
          }
        });
    for (String store : workspace.deliveries().stores()) {
      lines.addAll(putAside(store, names));
    }
    return lines;
  }

  /** What was removed with its queue is not there, and need not be. */
  private long removed(String name, String target) {
    return state.corrections().removed(name, target).values().stream()
        .mapToLong(Long::longValue)
        .sum();
  }

  /** Rows that wait for their receivers, and that were refused: counted in the files. */
  private List<Proof> putAside(String store, List<String> names) {
    Map<List<String>, Resending.Outstanding> booked =
        byTable(workspace.deliveries().outstanding(store));
    Map<List<String>, Resending.Outstanding> found;
    try {
      found = byTable(workspace.deliveries().counted(store));
    } catch (OutsideException e) {
      long rows = booked.values().stream().mapToLong(each -> each.waiting() + each.refused()).sum();
      return List.of(
          Proof.unknown(
              "what store " + store + " put aside",
              Kind.TARGET,
              booked.keySet().stream().map(of -> of.get(1)).distinct().collect(joining(", ")),
              rows,
              e.getMessage()));
    }
    List<Proof> lines = new ArrayList<>();
    Set<List<String>> all = new TreeSet<>(Comparator.comparing(List::toString));
    all.addAll(booked.keySet());
    all.addAll(found.keySet());
    for (List<String> of : all) {
      if (names.contains(of.get(1))) {
        Resending.Outstanding none = new Resending.Outstanding(of.get(0), of.get(1), 0, 0);
        Resending.Outstanding books = booked.getOrDefault(of, none);
        Resending.Outstanding files = found.getOrDefault(of, none);
        boolean runs = state.isHeld(of.get(1));
        putAside(of, "put aside", books.waiting(), files.waiting(), runs).ifPresent(lines::add);
        putAside(of, "put aside and refused", books.refused(), files.refused(), runs)
            .ifPresent(lines::add);
      }
    }
    return lines;
  }

  private static Map<List<String>, Resending.Outstanding> byTable(List<Resending.Outstanding> all) {
    Map<List<String>, Resending.Outstanding> by = new HashMap<>();
    all.forEach(each -> by.put(List.of(each.table(), each.pipeline()), each));
    return by;
  }

  private static Optional<Proof> putAside(
      List<String> of, String what, long books, long files, boolean runs) {
    if (books == 0 && files == 0) {
      return Optional.empty();
    }
    String subject = of.get(0) + ", " + what;
    if (books != files && runs) {
      String why = "the pipeline runs: files are written before they are in the books";
      return Optional.of(
          Proof.open(subject, Kind.TARGET, of.get(1), books, OptionalLong.of(files), why));
    }
    return Optional.of(
        Proof.of(
            subject,
            Kind.TARGET,
            of.get(1),
            books,
            files,
            files < books
                ? "files that hold "
                    + Counted.of(books - files, "row")
                    + " were removed: restore them, or deliver the rows again from their source"
                : "files hold "
                    + Counted.of(files - books, "row")
                    + " that are not in the books: they were restored from an earlier time"));
  }

  private List<Proof> target(String target, Map<String, Long> by) {
    long books = by.values().stream().mapToLong(Long::longValue).sum();
    String pipelines = String.join(", ", by.keySet());
    Table table = scene.definition().tables().get(target);
    List<Proof> lines = new ArrayList<>();
    try {
      if (table != null && workspace.files().tables().contains(target)) {
        lines.addAll(files(target, pipelines));
      }
      if (table == null && isQueue(target)) {
        return List.of(queue(target, by, books));
      }
      if (table != null && counter(table).isPresent() && isAnswering(table)) {
        lines.add(line(target, by, books, sum(table, counter(table).get())));
        return lines;
      }
      OptionalLong replaced =
          table == null ? OptionalLong.empty() : workspace.tables().replaced(table);
      Optional<String> why = table == null ? whyNotOther(target) : whyNot(table, replaced);
      if (why.isPresent()) {
        lines.add(
            Proof.open(target, Kind.TARGET, pipelines, books, OptionalLong.empty(), why.get()));
        return lines;
      }
      OptionalLong found = rows(table);
      if (found.isEmpty()) {
        lines.add(
            Proof.open(
                target, Kind.TARGET, pipelines, books, found, "its store does not count its rows"));
        return lines;
      }
      lines.add(line(target, by, books - replaced.orElse(0), found.getAsLong()));
      lines.addAll(bySource(table, by, pipelines));
      return lines;
    } catch (OutsideException e) {
      lines.add(Proof.unknown(target, Kind.TARGET, pipelines, books, e.getMessage()));
      return lines;
    }
  }

  /** The files of a table that are not as they were written, a line for each kind of fault. */
  private List<Proof> files(String target, String pipelines) {
    Map<FileFault.Kind, List<String>> faults = new EnumMap<>(FileFault.Kind.class);
    for (FileFault fault : workspace.files().faults(target)) {
      faults.computeIfAbsent(fault.kind(), kind -> new ArrayList<>()).add(fault.name());
    }
    List<Proof> lines = new ArrayList<>();
    faults.forEach(
        (kind, names) -> {
          String which = names.get(0) + (names.size() > 1 ? " and others" : "");
          String why =
              switch (kind) {
                case CHANGED ->
                    which
                        + ": the bytes are not those that were written; put the file back from a"
                        + " backup"
                        + or(target, pipelines);
                case MISSING ->
                    which
                        + ": removed, with its rows; put the file back from a backup"
                        + or(target, pipelines);
                case FOREIGN ->
                    which
                        + ": not in the table's log, but readers of the folder see its rows; move"
                        + " it away";
              };
          String what =
              switch (kind) {
                case CHANGED -> "changed files of ";
                case MISSING -> "missing files of ";
                case FOREIGN -> "foreign files beside ";
              };
          lines.add(Proof.of(what + target, Kind.FILES, pipelines, 0, names.size(), why));
        });
    return lines;
  }

  private String or(String table, String pipelines) {
    return ", or" + again(table, pipelines).substring(1);
  }

  private boolean isAnswering(Table table) {
    return workspace.answering().contains(table.store()) && workspace.tables().isThere(table);
  }

  /** The column of a rollup that counts the records which went into it. */
  private static Optional<String> counter(Table table) {
    return table.rollup().stream()
        .flatMap(rollup -> rollup.measures().stream())
        .filter(m -> m.function() == Rollup.Function.COUNT && m.of().isEmpty())
        .map(Rollup.Measure::column)
        .findFirst();
  }

  private long sum(Table table, String column) {
    String sql =
        "select coalesce(sum("
            + Querying.quoted(column)
            + "), 0) from "
            + Querying.quoted(table.name());
    return new BigDecimal(String.valueOf(workspace.query(table.store(), sql).rows().get(0).get(0)))
        .longValueExact();
  }

  private Proof line(String target, Map<String, Long> by, long books, long rows) {
    String pipelines = String.join(", ", by.keySet());
    Optional<String> ahead =
        rows > books
            ? by.keySet().stream().flatMap(name -> ahead(name, target).stream()).findFirst()
            : Optional.empty();
    return ahead
        .map(why -> Proof.open(target, Kind.TARGET, pipelines, books, OptionalLong.of(rows), why))
        .orElseGet(
            () ->
                Proof.of(
                    target,
                    Kind.TARGET,
                    pipelines,
                    books,
                    rows,
                    difference(rows - books)
                        + (rows < books && !isQueue(target) && !setBack.contains(target)
                            ? again(target, pipelines)
                            : "")));
  }

  private boolean isQueue(String target) {
    Settings settings = scene.definition().targets().get(target);
    return settings != null && settings.kind().equals(Settings.QUEUE);
  }

  /** The records that the pipelines have appended to a queue, whatever others append. */
  private Proof queue(String target, Map<String, Long> by, long books) {
    String pipelines = String.join(", ", by.keySet());
    OptionalLong found = workspace.queues().counted(target, by.keySet());
    return found.isPresent()
        ? line(target, by, books, found.getAsLong())
        : Proof.open(
            target,
            Kind.TARGET,
            pipelines,
            books,
            found,
            "the queue does not keep its oldest records any more");
  }

  /**
   * Sources of which a table has other rows than the books say, by the origin of its rows: so it is
   * seen whose are missing, and also if as many are missing as there are too many.
   */
  private List<Proof> bySource(Table table, Map<String, Long> by, String pipelines) {
    if (!OriginColumns.in(table)
        || !table.key().isEmpty()
        || !isAnswering(table)
        || by.keySet().stream().anyMatch(state::isHeld)) {
      return List.of();
    }
    Map<Long, Long> found = rowsBySource(table, "count(*)");
    if (found.containsKey(NO_ORIGIN)) {
      return List.of(); // Rows from before the columns: of which source they are cannot be said.
    }
    Map<Long, Long> distinct = rowsBySource(table, distinctPositions());
    Map<String, Long> books = new TreeMap<>();
    Set<String> several = new TreeSet<>();
    long revived = 0; // In the books of replays; in the table, of the source they first came from.
    for (String name : by.keySet()) {
      for (Map.Entry<SourcePartition, SourceTally> each : state.tally().bySource(name).entrySet()) {
        long loaded = each.getValue().counts().loaded().getOrDefault(table.name(), 0L);
        if (ReplaySource.is(each.getKey())) {
          revived += loaded;
        } else {
          boolean first = books.merge(each.getKey().name(), loaded, Long::sum) == loaded;
          Counts counts = each.getValue().counts();
          if (!first || counts.unfolded() > 0 || counts.copied() > 0) {
            several.add(each.getKey().name()); // A record may have several rows here.
          }
        }
      }
    }
    List<Proof> lines = new ArrayList<>();
    long most = revived;
    books.forEach(
        (source, loaded) -> {
          long rows = found.getOrDefault(OriginColumns.id(source), 0L);
          if (rows < loaded || rows > loaded + most) {
            lines.add(
                Proof.of(
                    table.name() + " from " + source,
                    Kind.TARGET,
                    pipelines,
                    loaded,
                    rows,
                    difference(rows - loaded)));
          } else if (!several.contains(source)) {
            long records = distinct.getOrDefault(OriginColumns.id(source), 0L);
            if (records < rows) {
              lines.add(
                  Proof.of(
                      table.name() + " from " + source + ", each record once",
                      Kind.TARGET,
                      pipelines,
                      rows,
                      records,
                      Counted.of(rows - records, "row")
                          + " there twice, and as many missing: rows were copied or changed in the"
                          + " table"
                          + again(table.name(), pipelines)));
            }
          }
        });
    Map<Long, Long> others = new TreeMap<>(found);
    books.keySet().forEach(source -> others.remove(OriginColumns.id(source)));
    long strange = others.values().stream().mapToLong(Long::longValue).sum();
    if (strange > 0) {
      lines.add(
          Proof.of(
              table.name() + " from sources that the books do not know",
              Kind.TARGET,
              pipelines,
              0,
              strange,
              difference(strange)));
    }
    return lines;
  }

  private static String distinctPositions() {
    return "count(distinct " + Querying.quoted(OriginColumns.POSITION) + ")";
  }

  private Map<Long, Long> rowsBySource(Table table, String counted) {
    String source = Querying.quoted(OriginColumns.SOURCE);
    String sql =
        "select "
            + source
            + ", "
            + counted
            + " from "
            + Querying.quoted(table.name())
            + " group by "
            + source;
    Map<Long, Long> found = new HashMap<>();
    for (List<Object> row : workspace.query(table.store(), sql).rows()) {
      long id = row.get(0) == null ? NO_ORIGIN : Long.parseLong(String.valueOf(row.get(0)));
      found.put(id, Long.parseLong(String.valueOf(row.get(1))));
    }
    return found;
  }

  /** Which command makes the rows of a table again. */
  private String again(String table, String pipelines) {
    String first = pipelines.replaceFirst(",.*", "");
    return workspace.files().tables().contains(table)
        ? ": move the folder of the table away, and 'wexrun reconcile "
            + first
            + "' says how its rows are taken again from the sources, as far as they are there"
        : ": 'wexrun rebuild "
            + first
            + "' makes it again from the sources, as far as they are there";
  }

  private static String difference(long more) {
    return more < 0
        ? Counted.of(-more, "row") + " missing: deleted, or put back from an earlier time"
        : Counted.of(more, "row")
            + " more than the books: others write to it, or the books were put back";
  }

  private Optional<String> whyNotOther(String target) {
    Settings settings = scene.definition().targets().get(target);
    return Optional.of(
        settings == null
            ? "it is not defined any more"
            : "it is a queue, to which others may append, too");
  }

  private static Optional<String> whyNot(Table table, OptionalLong replaced) {
    if (table.rollup().isPresent()) {
      return Optional.of("it is a rollup, which keeps sums of its rows");
    }
    return table.key().isEmpty() || replaced.isPresent()
        ? Optional.empty()
        : Optional.of(
            "rows take one another's place by its key, and its store does not tell how many did");
  }

  private OptionalLong rows(Table table) {
    if (!workspace.tables().isThere(table)) {
      return OptionalLong.of(0);
    }
    if (workspace.answering().contains(table.store())) {
      String sql = "select count(*) from " + Querying.quoted(table.name());
      Object count = workspace.query(table.store(), sql).rows().get(0).get(0);
      return OptionalLong.of(Long.parseLong(String.valueOf(count)));
    }
    return workspace.tables().facts().stream()
        .filter(facts -> facts.table().name().equals(table.name()))
        .findFirst()
        .map(facts -> workspace.tables().rows(facts))
        .orElse(OptionalLong.empty());
  }
}
