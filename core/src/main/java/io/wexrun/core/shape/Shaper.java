package io.wexrun.core.shape;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.expression.Evaluated;
import io.wexrun.core.expression.Expression;
import io.wexrun.core.expression.Expressions;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Kind;
import io.wexrun.core.pipeline.Others;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.schema.Doubtful;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.tally.Revival;
import io.wexrun.core.target.Destination;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.EnumMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.function.BiConsumer;
import java.util.function.Consumer;
import java.util.function.Function;

/**
 * A pipeline's shape and route, compiled: the pure function from a block to rows for each target.
 * No I/O, no clock, no state: used by all lanes at once, with the same result on every run.
 */
public final class Shaper {
  private static final String BLANK_DROP = "drop";

  /** How long a record may be if the intake does not say. */
  public static final long LONGEST = 256 << 10;

  private final Section common;
  private final List<Branch> branches;
  private final Optional<DeadRoute> dead;
  private final Others others;
  private final long longest;
  private final Optional<String> blank;
  private final List<String> onLibrary;
  private final String version;
  private final Set<String> asked = new LinkedHashSet<>();

  private Shaper(
      Section common,
      List<Branch> branches,
      Optional<DeadRoute> dead,
      Others others,
      long longest,
      Optional<String> blank,
      List<String> onLibrary,
      String version) {
    this.common = common;
    this.branches = branches;
    this.dead = dead;
    this.others = others;
    this.longest = longest;
    this.blank = blank;
    this.onLibrary = onLibrary;
    this.version = version;
    branches.stream().filter(b -> b.mark() != null).forEach(b -> asked.addAll(b.mark().fields()));
  }

  /**
   * Compiles a pipeline.
   *
   * @param kinds the kinds of steps that there are
   * @param destinations finds the tables and queues that a route names
   * @param known their names, for suggestions
   * @param diagnostics takes every mistake; if it has errors afterwards, the result is not to be
   *     used
   */
  public static Shaper compile(
      Pipeline pipeline,
      Steps kinds,
      Function<String, Optional<Destination>> destinations,
      List<String> known,
      Diagnostics diagnostics) {
    Steps.checkPatterns(pipeline.patterns(), diagnostics);
    List<String> onLibrary = new ArrayList<>();
    StepContext raw =
        new StepContext(
            Schema.EMPTY,
            true,
            pipeline.intake(),
            pipeline.patterns(),
            kinds.references(),
            new Doubtful(),
            onLibrary);
    Section rows =
        Section.compile(
            rows(pipeline.intake()), KeyPath.ROOT.key("intake"), raw, kinds, diagnostics);
    StepContext first = rows.steps().isEmpty() ? raw : raw.behind(rows.output());
    if (Map.of().equals(pipeline.intake().values().get(Settings.COLUMNS))) {
      raw.doubtful().addAny(); // The connector tells that nothing is known of the columns.
    }
    Section common =
        rows.then(
            Section.compile(
                pipeline.shape(), KeyPath.ROOT.key("shape"), first, kinds, diagnostics));
    Routing routing = new Routing(raw.doubtful(), destinations, known, diagnostics);
    List<Branch> branches = new ArrayList<>();
    if (pipeline.kinds().isEmpty()) {
      Section none = new Section(List.of(), common.output());
      Router router = routing.compile(pipeline.route(), KeyPath.ROOT.key("route"), none.output());
      branches.add(new Branch("", null, none, router));
    }
    for (Kind kind : pipeline.kinds()) {
      KeyPath at = KeyPath.ROOT.key("kinds").key(kind.name());
      StepContext behind = raw.again(common.output());
      Expression mark = mark(kind, at, behind, diagnostics);
      Section own = Section.compile(kind.shape(), at.key("shape"), behind, kinds, diagnostics);
      Router router = routing.compile(kind.route(), at.key("route"), own.output());
      branches.add(new Branch(kind.name(), mark, own, router));
    }
    branches.forEach(branch -> onLibrary.addAll(branch.router().onLibrary()));
    Optional<DeadRoute> dead = Optional.empty();
    if (!pipeline.dead().isEmpty()) {
      Routing ofLetters = new Routing(new Doubtful(), destinations, known, diagnostics);
      KeyPath at = KeyPath.ROOT.key("dead");
      dead = Optional.of(new DeadRoute(ofLetters.compile(pipeline.dead(), at, DeadRoute.FIELDS)));
      onLibrary.addAll(dead.get().onLibrary());
    }
    requireAlike(branches, diagnostics);
    Marks.overlaps(pipeline.kinds(), KeyPath.ROOT.key("kinds"), diagnostics);
    return new Shaper(
        common,
        branches,
        dead,
        pipeline.others(),
        longest(pipeline, diagnostics),
        blank(pipeline, diagnostics),
        onLibrary,
        "");
  }

  /** The step that reads records which an intake has made of rows; none for other intakes. */
  private static List<StepDefinition> rows(Settings intake) {
    return intake.values().get(Settings.COLUMNS) instanceof Map<?, ?> fields && !fields.isEmpty()
        ? List.of(StepDefinition.of("json", Map.of("fields", fields)))
        : List.of();
  }

  /**
   * This shaper, whose dead letters say by which version of the pipeline's text they died.
   *
   * @param text what tells the version from others
   */
  public Shaper withVersion(String text) {
    return new Shaper(common, branches, dead, others, longest, blank, onLibrary, text);
  }

  /** Kinds whose rows meet in one rollup must give it values of the same types. */
  private static void requireAlike(List<Branch> branches, Diagnostics diagnostics) {
    Map<String, Schema> first = new LinkedHashMap<>();
    for (Branch branch : branches) {
      for (Map.Entry<String, Schema> table : branch.router().rollups().entrySet()) {
        Schema before = first.putIfAbsent(table.getKey(), table.getValue());
        if (before != null && !before.equals(table.getValue())) {
          diagnostics.error(
              "type-clash",
              KeyPath.ROOT.key("kinds").key(branch.name()),
              "rollup '"
                  + table.getKey()
                  + "' gets values of other types from this kind than from one before: "
                  + table.getValue()
                  + ", not "
                  + before,
              Optional.of("bring the fields to one type, as with cast"));
        }
      }
    }
  }

  /** What all routes of a pipeline are compiled against. */
  private record Routing(
      Doubtful doubtful,
      Function<String, Optional<Destination>> destinations,
      List<String> known,
      Diagnostics diagnostics) {
    Router compile(List<Route> route, KeyPath at, Schema fields) {
      return Router.compile(route, at, fields, doubtful, destinations, known, diagnostics);
    }
  }

  private static Expression mark(
      Kind kind, KeyPath at, StepContext context, Diagnostics diagnostics) {
    return Marks.condition(kind, context.input(), at, diagnostics)
        .flatMap(
            text ->
                new Expressions(context.input(), context.doubtful())
                    .condition(text, kind.when().isPresent() ? at.key("when") : at, diagnostics))
        .orElse(null);
  }

  private static long longest(Pipeline pipeline, Diagnostics diagnostics) {
    Optional<String> written = pipeline.intake().text("longest");
    Optional<Long> bytes = written.flatMap(Sizes::bytes);
    if (written.isPresent() && bytes.isEmpty()) {
      diagnostics.error(
          "bad-size",
          KeyPath.ROOT.key("intake").key("longest"),
          "'" + written.get() + "' is not a size",
          Optional.of("write it like 256KB or 4MB"));
    }
    return bytes.orElse(LONGEST);
  }

  /** What becomes of blank records, if the intake says it: lines of text are dropped otherwise. */
  private static Optional<String> blank(Pipeline pipeline, Diagnostics diagnostics) {
    Optional<String> written = pipeline.intake().text("blank");
    if (written.isPresent() && !List.of(BLANK_DROP, "take").contains(written.get())) {
      diagnostics.error(
          "bad-value",
          KeyPath.ROOT.key("intake").key("blank"),
          "'" + written.get() + "' is neither drop nor take",
          Optional.of("drop counts blank records as dropped; take treats them like others"));
    }
    return written;
  }

  /** The version of the pipeline's text; empty if it was not said. */
  public String version() {
    return version;
  }

  /** The names of the tables and queues that records may go to, without the dead letters. */
  public Set<String> targets() {
    Set<String> targets = new LinkedHashSet<>();
    branches.forEach(branch -> targets.addAll(branch.router().targets()));
    dead.ifPresent(route -> targets.addAll(route.targets()));
    return targets;
  }

  /**
   * The columns after each step, by the step's path, in order; those of kinds behind the others.
   */
  public Map<String, Schema> schemas() {
    Map<String, Schema> schemas = new LinkedHashMap<>();
    common.schemas(schemas);
    branches.forEach(branch -> branch.section().schemas(schemas));
    return schemas;
  }

  /** The parts of expressions that run row by row on the expression library, with their paths. */
  public List<String> onLibrary() {
    return onLibrary;
  }

  /**
   * A block in parts that are small enough to be shaped at once: usually itself. A part has at
   * least one record.
   */
  public List<Block> cut(Block block) {
    int longest =
        Math.min(
            common.longestBlock(),
            branches.stream()
                .mapToInt(b -> b.section().longestBlock())
                .min()
                .orElse(Integer.MAX_VALUE));
    if (block.length() <= longest) {
      return List.of(block);
    }
    Records records = block.records();
    List<Block> parts = new ArrayList<>();
    long from = block.first();
    int begin = 0;
    for (int next = 1; next <= records.count(); next++) {
      boolean last = next == records.count();
      if (last || records.end(next) - records.start(begin) > longest) {
        long end = last ? block.end() : records.position(next);
        parts.add(part(block, from, end));
        from = end;
        begin = next;
      }
    }
    return parts.isEmpty() ? List.of(block) : parts;
  }

  private static Block part(Block block, long from, long end) {
    Framing part = ignored -> block.framing().cut(block).since(from).before(end);
    return new Block(
        block.source(),
        from,
        end,
        block.data(),
        block.length(),
        part,
        block.header(),
        block.taken(),
        block.written(),
        block.place());
  }

  /**
   * Shapes and routes the records of a block.
   *
   * @throws UnshapeableException if the block has several records, and a step fails on them or
   *     makes more of them than there is memory for: then its parts are to be shaped
   */
  public Shaped shape(Block block) {
    Records records = block.records();
    try {
      return shape(block, new Efforts(), records, false, (step, batch) -> {});
    } catch (Section.StepFailedException e) {
      long middle = records.position(records.count() / 2);
      throw new UnshapeableException(
          List.of(part(block, block.first(), middle), part(block, middle, block.end())),
          e.getCause());
    }
  }

  /** Shapes a block, in as many parts as it takes, one after the other. */
  public void shape(Block block, Consumer<Shaped> taker) {
    try {
      taker.accept(shape(block));
    } catch (UnshapeableException e) {
      e.parts().forEach(part -> shape(part, taker));
    }
  }

  /** How many records of a block die. */
  public long deaths(Block block) {
    long[] deaths = new long[1];
    shape(block, shaped -> deaths[0] += shaped.dead().count());
    return deaths[0];
  }

  /** Shapes a block's records and tells of each what every step made of it. */
  public BlockTrial tryOut(Block block) {
    Records records = block.records();
    Map<String, Batch> batches = new LinkedHashMap<>();
    Shaped shaped = shape(block, new Efforts(), records, true, batches::put);
    return new BlockTrial(RecordTrial.of(records, batches, shaped), shaped);
  }

  private Shaped shape(
      Block block,
      Efforts efforts,
      Records records,
      boolean trial,
      BiConsumer<String, Batch> behind) {
    Rejects rejects = new Rejects();
    rejects.step("intake");
    rejectTooLong(records, rejects);
    if (blank.map(BLANK_DROP::equals).orElse(records.areLines())) {
      dropBlank(records, rejects);
    }
    Batch raw = Batch.raw(records);
    efforts.ofRecords(raw, rejects);
    Batch batch = common.apply(raw, rejects, efforts, behind);
    boolean kinds = branches.get(0).mark() != null;
    List<Batch> parts = kinds ? split(batch, block, trial, rejects) : List.of(batch);
    if (kinds) {
      long of = parts.subList(0, branches.size()).stream().mapToLong(Batch::rows).sum();
      efforts.end("kinds", of, rejects);
    }
    // All rejections come before any row is gathered: a record goes to all its targets or to none.
    List<Router.Chosen> chosen = new ArrayList<>();
    for (int i = 0; i < branches.size(); i++) {
      Branch branch = branches.get(i);
      Batch shaped = branch.section().apply(parts.get(i), rejects, efforts, behind);
      chosen.add(branch.router().choose(shaped, rejects));
      efforts.end(branch.routePath(), shaped, rejects);
    }
    Map<String, Rows> rows = new LinkedHashMap<>();
    Map<String, Long> ignored = new TreeMap<>();
    BitSet alive = new BitSet();
    long aliveRows = 0;
    long copied = 0;
    long dropped = 0;
    for (int i = 0; i < branches.size(); i++) {
      efforts.begin(chosen.get(i).batch(), rejects);
      Router.Routed routed = branches.get(i).router().gather(chosen.get(i), rejects, alive);
      long out = routed.rows().values().stream().mapToLong(Rows::count).sum();
      efforts.end(branches.get(i).routePath(), out, rejects);
      routed.rows().forEach((target, part) -> rows.merge(target, part, Merging::of));
      routed.ignored().forEach((field, count) -> ignored.merge(field, count, Long::sum));
      aliveRows += routed.alive();
      copied += routed.copied();
      dropped += routed.dropped();
    }
    if (kinds) {
      Batch ofNone = parts.get(branches.size());
      for (int row = 0; row < ofNone.rows(); row++) {
        if (!rejects.rejected(ofNone.record(row))) {
          alive.set(ofNone.record(row));
          aliveRows++;
          dropped++;
        }
      }
    }
    Shaped shaped =
        new Shaped(
            block,
            records.count(),
            aliveRows - alive.cardinality(),
            copied,
            dropped + rejects.dropped(),
            rows,
            Rows.all(rejects.letters(records, version)),
            rejects.reasons(),
            left(records),
            ignored,
            efforts.byPlace(),
            rejects.fitted());
    Shaped confined = Confined.toPart(shaped, records, version);
    return dead.map(route -> route.sendOn(confined, records)).orElse(confined);
  }

  private static Optional<Revival> left(Records records) {
    if (!records.areReplayed()) {
      return Optional.empty();
    }
    Map<Reason, Long> left = new EnumMap<>(Reason.class);
    for (int i = 0; i < records.count(); i++) {
      left.merge(Reason.of(records.former(i).reason()).orElseThrow(), -1L, Long::sum);
    }
    return Optional.of(new Revival(new SourcePartition(records.source()), left));
  }

  /**
   * Splits rows by kind. Those of two kinds are rejected, those of none are, too, unless they are
   * dropped.
   *
   * @return a batch for each branch, then one of the rows to drop
   */
  private List<Batch> split(Batch batch, Block block, boolean trial, Rejects rejects) {
    int rows = batch.rows();
    int none = branches.size();
    int[] kindOf = new int[rows];
    Arrays.fill(kindOf, none);
    rejects.step("kinds");
    for (int kind = 0; kind < none; kind++) {
      Evaluated mark = branches.get(kind).mark().evaluate(batch);
      for (int row = 0; row < rows; row++) {
        if (mark.failed(row)) {
          rejects.reject(batch.record(row), Reason.FAILED_EXPRESSION, "", mark.failure(row));
        } else if (Expression.holds(mark, row) && kindOf[row] == none) {
          kindOf[row] = kind;
        } else if (Expression.holds(mark, row)) {
          String both = "it is '" + name(kindOf[row]) + "' and '" + name(kind) + "'";
          rejects.reject(
              batch.record(row), Reason.AMBIGUOUS_KIND, "", both + Router.seen(batch, row, asked));
        }
      }
    }
    int[][] places = new int[none + 1][rows];
    int[] counts = new int[none + 1];
    for (int row = 0; row < rows; row++) {
      int record = batch.record(row);
      if (rejects.rejected(record)) {
        continue;
      }
      if (kindOf[row] == none && others != Others.DROP) {
        String what = "no kind has its marks" + Router.seen(batch, row, asked);
        if (others == Others.STOP && !trial) {
          throw OutsideException.lasting(stop(block, batch, row, what));
        }
        rejects.reject(record, Reason.UNKNOWN_KIND, "", what);
        continue;
      }
      places[kindOf[row]][counts[kindOf[row]]++] = row;
    }
    List<Batch> parts = new ArrayList<>();
    for (int kind = 0; kind <= none; kind++) {
      parts.add(batch.only(places[kind], counts[kind]));
      if (kind < none) {
        rejects.fitted("kinds." + name(kind), counts[kind]);
      }
    }
    return parts;
  }

  private String name(int kind) {
    return branches.get(kind).name();
  }

  private static String stop(Block block, Batch batch, int row, String what) {
    return "the record at position "
        + batch.position(row)
        + " of "
        + block.source().name()
        + " is of no kind, and the pipeline says 'others: stop': "
        + what
        + ". It is not taken, nor what follows it; add its kind, or say 'others: dead', and run"
        + " again";
  }

  private static void dropBlank(Records records, Rejects rejects) {
    for (int record = 0; record < records.count(); record++) {
      if (records.blank(record)) {
        rejects.drop(record);
      }
    }
  }

  private void rejectTooLong(Records records, Rejects rejects) {
    for (int record = 0; record < records.count(); record++) {
      int length = records.end(record) - records.start(record);
      if (length > longest) {
        String detail = length + " bytes, " + longest + " are allowed (intake: longest)";
        rejects.reject(record, Reason.TOO_LONG, "", detail);
      }
    }
  }
}
