package io.wexrun.core.look;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.field.JsonMembers;
import io.wexrun.core.framing.Delimited;
import io.wexrun.core.framing.Framings;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.framing.QuotedLines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.shape.BlockTrial;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.core.shape.Shaped;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.shape.Steps;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Predicate;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Finds out what a sample of text records is. What it finds is tested on the sample with the very
 * steps that a pipeline would use.
 */
public final class Looker {
  /** A format is taken for sure if so many of the records are of it. */
  static final double ALL = 0.99;

  /** Of what is JSON by its first character, some may be broken. */
  private static final double MANY = 0.6;

  private static final double SPOILED = 0.01;

  private static final double SPOILED_TIMES = 0.05;

  private static final int MOST_TRIES = 6;

  private static final int EXAMPLES = 3;

  private static final int MISFITS = 5;

  /** A line that names the columns of what follows, as web servers and proxies write it. */
  private static final Pattern NAMES =
      Pattern.compile("(#\\s?fields:?)[ \\t]+(\\S.*)", Pattern.CASE_INSENSITIVE);

  private final List<String> lines;

  private final Framing framing;
  private final Steps kinds;

  Looker(List<String> lines) {
    this(lines, Lines.FRAMING, Steps.ours());
  }

  private Looker(List<String> lines, Framing framing, Steps kinds) {
    this.lines = lines;
    this.framing = framing;
    this.kinds = kinds;
  }

  private static Framing framing(Events events) {
    return Framings.read(Map.of("begins", events.begins()));
  }

  /** Looks at the lines of a sample. */
  public static Look at(byte[] sample) {
    String text = new String(sample, StandardCharsets.UTF_8);
    Optional<Matcher> names = text.lines().map(NAMES::matcher).filter(Matcher::matches).findFirst();
    if (names.isPresent()) {
      List<String> body =
          text.lines().filter(line -> !line.isBlank() && !line.startsWith("#")).toList();
      return new Looker(body).named(names.get().group(1), names.get().group(2));
    }
    return new Looker(text.lines().filter(line -> !line.isBlank()).toList()).look();
  }

  /**
   * Looks at messages that a step reads, each of which has its length before it; how that is
   * written is found out.
   *
   * @param kinds has the step's kind, and finds what the step names
   * @throws io.wexrun.core.diagnose.MistakesException if the step is wrong
   */
  public static Look at(byte[] sample, StepDefinition step, Steps kinds) {
    Look best = null;
    for (Framing framing : List.of(Delimited.VARINT, Delimited.INT32)) {
      int whole = framing.end(sample, 0, sample.length);
      byte[] data = Arrays.copyOf(sample, whole == 0 ? sample.length : whole);
      Look look =
          new Look(Look.Format.MESSAGES, 0, 0, List.of(), List.of(), ' ', false, false, List.of())
              .with(Map.of("framing", framing.form()), Optional.of(step));
      Looker looker = new Looker(List.of(), framing, kinds);
      Look tried =
          looker.tested(look, looker.shaper(look).tryOut(looker.block(data, new byte[0]))).look();
      if (best == null || tried.fits() > best.fits()) {
        best = tried;
      }
    }
    return best;
  }

  private Look look() {
    if (lines.isEmpty()) {
      return new Look(Look.Format.LINES, 0, 0, List.of(), List.of(), ' ', false, false, List.of());
    }
    List<String> some = LineTemplates.some(lines);
    if (are(some, l -> l.startsWith("{"))) {
      Look look = fitting(json(new FieldNames()));
      if (look.fits() >= look.records() * MANY) {
        return look;
      }
    }
    if (are(some, l -> l.matches("<\\d{1,3}>.+"))) {
      return syslog();
    }
    if (are(some, Looker::isPairs)) {
      Look look = fitting(pairs(new FieldNames()));
      boolean timed = look.fields().stream().anyMatch(f -> f.type().equals("timestamp"));
      if (timed || LineTemplates.forms(some).isEmpty()) {
        return look;
      } // A time may stand inside a value.
    }
    Optional<Look> behind = TailLook.of(this, lines, some);
    if (behind.isPresent()) {
      return behind.get();
    }
    Optional<Look> quoted = quoted();
    if (quoted.isPresent()) {
      return quoted.get();
    }
    Optional<CsvLook> csv = isTimed(some) ? Optional.empty() : CsvLook.of(some);
    boolean clear = csv.filter(c -> c.columns() > 2 || c.header()).isPresent();
    Optional<Events> events = clear ? Optional.empty() : Events.of(lines);
    if (events.isPresent()) {
      return new Looker(events.get().events(), framing(events.get()), Steps.ours())
          .events(events.get());
    }
    if (csv.isPresent()) {
      Look look = fitting(csv(csv.get()));
      if (look.fits() >= look.records() * ALL) {
        return look;
      }
    }
    return byTemplates();
  }

  /** Separated values of which some have line ends in quotes; empty if it is nothing like that. */
  private Optional<Look> quoted() {
    List<String> joined = CsvLook.joined(lines);
    if (joined.size() == lines.size() || joined.size() < 2) {
      return Optional.empty();
    }
    Optional<CsvLook> csv = CsvLook.of(LineTemplates.some(joined)).filter(c -> c.columns() > 2);
    if (csv.isEmpty()) {
      return Optional.empty();
    }
    Looker whole = new Looker(joined, QuotedLines.FRAMING, kinds);
    Look look = whole.fitting(whole.csv(csv.get()));
    return look.fits() >= look.records() * ALL
        ? Optional.of(look.with(Map.of("framing", "csv")))
        : Optional.empty();
  }

  static boolean are(List<String> some, Predicate<String> such) {
    long count = some.stream().filter(such).count();
    return count > 0 && count >= some.size() * ALL;
  }

  /** Whether lines begin with a time and a blank: then commas behind mean nothing. */
  private static boolean isTimed(List<String> lines) {
    List<TimeForm> forms = LineTemplates.forms(lines);
    return are(
        lines,
        line ->
            forms.stream()
                .flatMap(form -> form.find(line, 0, 60).stream())
                .anyMatch(at -> at[0] <= 2 && line.startsWith(" ", at[1])));
  }

  /** Whether so many values do not fit a field's type that it is not that they are spoiled. */
  private static boolean isOfOtherType(FieldLook field, Tested tested) {
    double most = field.type().equals("timestamp") ? SPOILED_TIMES : SPOILED;
    long records = Math.min(tested.look().records(), LineTemplates.LINES);
    return tested.faulty().getOrDefault(field.name(), 0L) > records * most;
  }

  /** Fields whose values a type does not take are texts; until all fit. */
  Look fitting(Look look) {
    Tested now = tried(look);
    for (int tries = 0; tries < MOST_TRIES; tries++) {
      Tested last = now;
      List<FieldLook> fields =
          now.look().fields().stream()
              .map(field -> isOfOtherType(field, last) ? field.wider() : field)
              .toList();
      if (fields.equals(now.look().fields())) {
        break;
      }
      now = tried(now.look().with(fields));
    }
    return now.look();
  }

  private static boolean isPairs(String line) {
    return line.matches("\\s*([\\w.-]+=(\"([^\"\\\\]|\\\\.)*\"|[^\\s\"]*)\\s*)+");
  }

  Look json(FieldNames names) {
    Map<String, Guess> guesses = new LinkedHashMap<>();
    JsonMembers members = new JsonMembers();
    for (String line : lines) {
      Map<String, String> values = new LinkedHashMap<>();
      if (members.visit(line.getBytes(StandardCharsets.UTF_8), values::put)) {
        values.forEach((path, json) -> add(guesses.computeIfAbsent(path, p -> new Guess()), json));
      }
    }
    // What is an object in some records is null in others.
    guesses
        .keySet()
        .removeIf(
            path ->
                guesses.keySet().stream().anyMatch(p -> p.startsWith(path + "."))
                    && guesses.get(path).isNil());
    guesses
        .keySet()
        .removeIf(
            path ->
                guesses.keySet().stream()
                    .anyMatch(p -> path.startsWith(p + ".") && !guesses.get(p).isNil()));
    List<FieldLook> fields = new ArrayList<>();
    guesses.forEach(
        (path, guess) -> {
          String member = path.startsWith("$.") ? path.substring(2) : path;
          String name = names.unique(member);
          fields.add(guess.look(name, name.equals(member) ? "" : path, false));
        });
    return new Look(
        Look.Format.JSON, lines.size(), 0, fields, List.of(), ',', false, false, List.of());
  }

  private static void add(Guess guess, String json) {
    if (json.startsWith("[") || json.startsWith("{")) {
      guess.addJson(json);
    } else if (json.startsWith("\"")) {
      guess.add(json.substring(1, json.length() - 1));
    } else if (!json.equals("null")) {
      guess.add(json);
    }
  }

  Look pairs(FieldNames names) {
    Map<String, Guess> guesses = new LinkedHashMap<>();
    Pattern pair = Pattern.compile("([\\w.-]+)=(?:\"((?:[^\"\\\\]|\\\\.)*)\"|(\\S*))");
    for (String line : lines) {
      var matcher = pair.matcher(line);
      while (matcher.find()) {
        String value = matcher.group(2) == null ? matcher.group(3) : matcher.group(2);
        guesses.computeIfAbsent(matcher.group(1), k -> new Guess()).add(value);
      }
    }
    List<FieldLook> fields = new ArrayList<>();
    guesses.forEach(
        (key, guess) -> {
          String name = names.unique(key);
          FieldLook field = guess.look(name, name.equals(key) ? "" : key, true);
          fields.add(field.type().equals("text") ? field : field.optional());
        });
    return new Look(
        Look.Format.PAIRS, lines.size(), 0, fields, List.of(), ' ', false, false, List.of());
  }

  /** Records below a line that names their columns. */
  private Look named(String begins, String names) {
    char separator = names.indexOf('\t') >= 0 ? '\t' : ' ';
    List<String> all = new ArrayList<>(List.of(names.strip()));
    all.addAll(lines);
    int columns = CsvLook.split(names.strip(), separator).size();
    Looker looker = new Looker(all);
    Look look = looker.csv(new CsvLook(separator, columns, true, true));
    return looker
        .fitting(withTime(look))
        .with(Map.of("header", Map.of("begins", begins), "skip", Map.of("begins", "#")));
  }

  /** A day and a time of day that stand in two fields are put together. */
  private static Look withTime(Look look) {
    Optional<FieldLook> day =
        look.fields().stream().filter(f -> f.name().equals("date")).findFirst();
    Optional<FieldLook> clock =
        look.fields().stream().filter(f -> f.name().equals("time")).findFirst();
    boolean both =
        day.isPresent()
            && clock.isPresent()
            && day.get().type().equals("date")
            && clock.get().examples().stream().allMatch(v -> v.matches("\\d\\d:\\d\\d:\\d\\d"));
    if (!both) {
      return look;
    }
    List<FieldLook> fields = new ArrayList<>();
    for (FieldLook field : look.fields()) {
      fields.add(
          field == day.get()
              ? new FieldLook(
                  "day", "text", "date", field.present(), field.distinct(), field.examples())
              : field == clock.get()
                  ? new FieldLook(
                      "clock", "text", "time", field.present(), field.distinct(), field.examples())
                  : field);
    }
    return look.with(fields)
        .with(
            List.of(
                StepDefinition.of(
                    "set",
                    Map.of("time", "parseTime(day + ' ' + clock, 'yyyy-MM-dd HH:mm:ss', 'UTC')")),
                StepDefinition.of("remove", List.of("day", "clock"))),
            List.of("times tell no zone, and are taken for UTC"));
  }

  private Look events(Events events) {
    LineTemplates templates = new LineTemplates(events.firstLines());
    return templated(templates, templates.heads())
        .with(Map.of("framing", Map.of("begins", events.begins())));
  }

  Look templated(LineTemplates from, List<String> templates) {
    List<Look.Template> found = templates.stream().map(t -> new Look.Template(t, 0)).toList();
    Look look =
        new Look(
            Look.Format.LINES, lines.size(), 0, List.of(), found, ' ', false, false, List.of());
    return used(tested(look.with(List.of(), from.notes())));
  }

  /** Without templates that no line needs. */
  Look used(Look tested) {
    List<Look.Template> used =
        tested.templates().stream()
            .filter(t -> t.lines() > 0 || t.any() || t.text().contains("{request?}"))
            .toList();
    if (used.size() == tested.templates().size()) {
      return tested;
    }
    return tested(
        new Look(Look.Format.LINES, lines.size(), 0, List.of(), used, ' ', false, false, List.of())
            .with(tested.further(), tested.notes()));
  }

  private Look csv(CsvLook csv) {
    Look look =
        new Look(
            Look.Format.CSV,
            lines.size() - (csv.header() ? 1 : 0),
            0,
            csv.fields(lines),
            List.of(),
            csv.separator(),
            csv.header(),
            false,
            List.of());
    return look;
  }

  private Look syslog() {
    boolean old = lines.stream().anyMatch(l -> l.matches("<\\d{1,3}>[A-Z][a-z]{2} .*"));
    return tested(
        new Look(
            Look.Format.SYSLOG, lines.size(), 0, List.of(), List.of(), ' ', false, old, List.of()));
  }

  private Look byTemplates() {
    LineTemplates templates = new LineTemplates(lines);
    return templated(templates, templates.find());
  }

  /** Runs the draft's first step over the sample, and takes what it says. */
  Look tested(Look look) {
    return tried(look).look();
  }

  private Tested tried(Look look) {
    List<String> body = look.header() ? lines.subList(1, lines.size()) : lines;
    byte[] first = look.header() ? lines.get(0).getBytes(StandardCharsets.UTF_8) : new byte[0];
    Shaper shaper = shaper(look);
    Tested tried = tested(look, shaper.tryOut(block(LineTemplates.some(body), first)));
    if (body.size() <= tried.look().records()) {
      return tried;
    }
    Shaped whole = shaper.shape(block(body, first));
    return new Tested(
        tried
            .look()
            .counted(
                whole.taken(),
                whole.taken() - whole.dead().count(),
                templates(look, whole),
                look.fields().isEmpty()),
        tried.faulty());
  }

  private Block block(List<String> body, byte[] first) {
    byte[] data = (String.join("\n", body) + "\n").getBytes(StandardCharsets.UTF_8);
    return block(data, first);
  }

  /** What is known of the records when the steps have tried to read them. */
  private Tested tested(Look look, BlockTrial tried) {
    Shaped shaped = tried.shaped();
    List<Look.Misfit> misfits = new ArrayList<>();
    Map<String, Long> faulty = new HashMap<>();
    Map<String, Guess> guesses = new LinkedHashMap<>();
    for (RecordTrial trial : tried.trials()) {
      if (trial.death().isPresent()) {
        faulty.merge(trial.death().get().field(), 1L, Long::sum);
        if (misfits.size() < MISFITS) {
          misfits.add(
              new Look.Misfit(
                  look.format() == Look.Format.MESSAGES
                      ? HexFormat.of().formatHex(trial.text())
                      : new String(trial.text(), StandardCharsets.UTF_8),
                  trial.death().get().detail()));
        }
        continue;
      }
      List<RecordTrial.Stage> stages = trial.stages();
      stages
          .get(stages.size() - 1)
          .rows()
          .forEach(
              row ->
                  row.forEach(
                      (name, value) -> guesses.computeIfAbsent(name, n -> new Guess()).add(value)));
    }
    List<FieldLook> fields = look.fields();
    if (fields.isEmpty() || !look.further().isEmpty()) {
      List<FieldLook> seen = new ArrayList<>();
      types(look, kinds)
          .forEach(
              (name, type) -> {
                Guess guess = guesses.getOrDefault(name, new Guess());
                FieldLook by = guess.look(name, "", false);
                seen.add(new FieldLook(name, type, "", by.present(), by.distinct(), by.examples()));
              });
      fields = look.fields().isEmpty() ? seen : look.fields();
    }
    Look result =
        new Look(
            look.format(),
            shaped.taken(),
            shaped.taken() - shaped.dead().count(),
            fields,
            templates(look, shaped),
            look.separator(),
            look.header(),
            look.oldSyslog(),
            misfits,
            look.intake(),
            look.given(),
            look.further(),
            unshaped(look, tried),
            look.notes());
    return new Tested(result, faulty);
  }

  /**
   * A look that was tried.
   *
   * @param faulty how many records died at which fields
   */
  private record Tested(Look look, Map<String, Long> faulty) {}

  /** Some of the lines that the template takes that takes any. */
  private static List<String> unshaped(Look look, BlockTrial tried) {
    boolean only = look.templates().stream().allMatch(Look.Template::any);
    if (only || look.templates().isEmpty()) {
      return List.of();
    }
    return tried.trials().stream()
        .filter(trial -> trial.death().isEmpty())
        .filter(trial -> isWhole(trial))
        .limit(EXAMPLES)
        .map(trial -> new String(trial.text(), StandardCharsets.UTF_8))
        .toList();
  }

  private static boolean isWhole(RecordTrial trial) {
    List<Map<String, String>> rows = trial.stages().get(0).rows();
    return rows.size() == 1 && rows.get(0).size() == 1 && rows.get(0).containsKey("message");
  }

  private static List<Look.Template> templates(Look look, Shaped shaped) {
    List<Look.Template> templates = new ArrayList<>();
    for (int i = 0; i < look.templates().size(); i++) {
      String path = "shape[0].template[" + i + "]";
      long taken =
          look.templates().size() == 1
              ? shaped.taken() - shaped.dead().count()
              : shaped.fitted().getOrDefault(path, 0L);
      templates.add(new Look.Template(look.templates().get(i).text(), taken));
    }
    return templates;
  }

  /** The names and types that the draft's steps give. */
  static Map<String, String> types(Look look) {
    return types(look, Steps.ours());
  }

  private static Map<String, String> types(Look look, Steps kinds) {
    Map<String, String> types = new LinkedHashMap<>();
    List<Schema> schemas = List.copyOf(shaper(look, kinds).schemas().values());
    schemas
        .get(schemas.size() - 1)
        .columns()
        .forEach(c -> types.put(c.name(), c.type().toString()));
    return types;
  }

  private Shaper shaper(Look look) {
    return shaper(look, kinds);
  }

  private static Shaper shaper(Look look, Steps kinds) {
    Pipeline.Builder pipeline =
        Pipeline.named("look")
            .intake(Settings.of("files", "x").with("header", look.header()))
            .shape(Draft.steps(look).toArray(StepDefinition[]::new))
            .route(Route.otherwiseDrop());
    look.patterns().forEach(pipeline::pattern);
    Diagnostics diagnostics = Diagnostics.of("look");
    Shaper shaper =
        Shaper.compile(pipeline.build(), kinds, n -> Optional.empty(), List.of(), diagnostics);
    diagnostics.orThrow();
    return shaper;
  }

  private Block block(byte[] data, byte[] first) {
    return new Block(
        new SourcePartition("sample"),
        0,
        data.length,
        data,
        data.length,
        framing,
        first,
        Instants.micros(Instant.now()));
  }
}
