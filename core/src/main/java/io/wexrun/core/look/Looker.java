package io.wexrun.core.look;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.field.JsonMembers;
import io.wexrun.core.framing.Delimited;
import io.wexrun.core.framing.Framings;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.shape.BlockTrial;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.core.shape.Shaped;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.shape.Steps;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Finds out what a sample of text records is. What it finds is tested on the sample with the very
 * steps that a pipeline would use.
 */
public final class Looker {
  /** A format is taken for sure if so many of the records are of it. */
  private static final double MOST = 0.8;

  private static final int MISFITS = 5;

  /** A line that names the columns of what follows, as web servers and proxies write it. */
  private static final Pattern NAMES =
      Pattern.compile("(#\\s?fields:?)[ \\t]+(\\S.*)", Pattern.CASE_INSENSITIVE);

  private final List<String> lines;

  private final Framing framing;
  private final Steps kinds;

  private Looker(List<String> lines) {
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
    List<String> all = text.lines().filter(line -> !line.isBlank()).toList();
    Optional<Events> events = Events.of(all);
    if (events.isPresent()) {
      List<String> found = new TemplateFinder(events.get().firstLines()).find();
      Optional<String> template = events.get().template(found);
      if (template.isPresent()) {
        return new Looker(events.get().events(), framing(events.get()), Steps.ours())
            .events(template.get(), events.get());
      }
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
      Look tried = looker.tested(look, looker.run(List.of(step), data, new byte[0]));
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
    long objects = lines.stream().filter(l -> l.startsWith("{")).count();
    if (objects >= lines.size() * MOST && objects > 0) {
      return json();
    }
    long priorities = lines.stream().filter(l -> l.matches("<\\d{1,3}>.+")).count();
    if (priorities >= lines.size() * MOST && priorities > 0) {
      return syslog();
    }
    long pairs = lines.stream().filter(Looker::isPairs).count();
    if (pairs >= lines.size() * MOST && pairs > 0) {
      return pairs();
    }
    Optional<CsvLook> csv = CsvLook.of(lines);
    if (csv.isPresent()) {
      return csv(csv.get());
    }
    return byTemplates();
  }

  private static boolean isPairs(String line) {
    return line.matches("\\s*([\\w.-]+=(\"([^\"\\\\]|\\\\.)*\"|[^\\s\"]*)\\s*)+");
  }

  private Look json() {
    Map<String, Guess> guesses = new LinkedHashMap<>();
    JsonMembers members = new JsonMembers();
    for (String line : lines) {
      Map<String, String> values = new LinkedHashMap<>();
      if (members.visit(line.getBytes(StandardCharsets.UTF_8), values::put)) {
        values.forEach((path, json) -> add(guesses.computeIfAbsent(path, p -> new Guess()), json));
      }
    }
    List<FieldLook> fields = new ArrayList<>();
    FieldNames names = new FieldNames();
    guesses.forEach(
        (path, guess) -> {
          String member = path.startsWith("$.") ? path.substring(2) : path;
          String name = names.unique(member);
          fields.add(guess.look(name, name.equals(member) ? "" : path, false));
        });
    return tested(
        new Look(
            Look.Format.JSON, lines.size(), 0, fields, List.of(), ',', false, false, List.of()));
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

  private Look pairs() {
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
    FieldNames names = new FieldNames();
    guesses.forEach(
        (key, guess) -> {
          String name = names.unique(key);
          fields.add(guess.look(name, name.equals(key) ? "" : key, true));
        });
    return tested(
        new Look(
            Look.Format.PAIRS, lines.size(), 0, fields, List.of(), ' ', false, false, List.of()));
  }

  /** Records below a line that names their columns. */
  private Look named(String begins, String names) {
    char separator = names.indexOf('\t') >= 0 ? '\t' : ' ';
    List<String> all = new ArrayList<>(List.of(names.strip()));
    all.addAll(lines);
    int columns = CsvLook.split(names.strip(), separator).size();
    return new Looker(all)
        .csv(new CsvLook(separator, columns, true, true))
        .with(Map.of("header", Map.of("begins", begins), "skip", Map.of("begins", "#")));
  }

  private Look events(String template, Events events) {
    List<Look.Template> one = List.of(new Look.Template(template, 0));
    Look look =
        new Look(Look.Format.LINES, lines.size(), 0, List.of(), one, ' ', false, false, List.of());
    return tested(look).with(Map.of("framing", Map.of("begins", events.begins())));
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
    return tested(look);
  }

  private Look syslog() {
    boolean old = lines.stream().anyMatch(l -> l.matches("<\\d{1,3}>[A-Z][a-z]{2} .*"));
    return tested(
        new Look(
            Look.Format.SYSLOG, lines.size(), 0, List.of(), List.of(), ' ', false, old, List.of()));
  }

  private Look byTemplates() {
    List<String> templates = new TemplateFinder(lines).find();
    List<Look.Template> found = templates.stream().map(t -> new Look.Template(t, 0)).toList();
    return tested(
        new Look(
            Look.Format.LINES, lines.size(), 0, List.of(), found, ' ', false, false, List.of()));
  }

  /** Runs the draft's first step over the sample, and takes what it says. */
  private Look tested(Look look) {
    List<String> body = look.header() ? lines.subList(1, lines.size()) : lines;
    byte[] data = (String.join("\n", body) + "\n").getBytes(StandardCharsets.UTF_8);
    byte[] first = look.header() ? lines.get(0).getBytes(StandardCharsets.UTF_8) : new byte[0];
    return tested(look, run(Draft.steps(look), data, first));
  }

  /** What is known of the records when the steps have tried to read them. */
  private Look tested(Look look, BlockTrial tried) {
    Shaped shaped = tried.shaped();
    List<Look.Misfit> misfits = new ArrayList<>();
    Map<String, Guess> guesses = new LinkedHashMap<>();
    for (RecordTrial trial : tried.trials()) {
      if (trial.death().isPresent()) {
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
    List<Look.Template> templates = new ArrayList<>();
    for (int i = 0; i < look.templates().size(); i++) {
      String path = "shape[0].template[" + i + "]";
      long taken =
          look.templates().size() == 1
              ? shaped.taken() - shaped.dead().count()
              : shaped.fitted().getOrDefault(path, 0L);
      templates.add(new Look.Template(look.templates().get(i).text(), taken));
    }
    List<FieldLook> fields = look.fields();
    if (fields.isEmpty()) {
      List<FieldLook> seen = new ArrayList<>();
      Map<String, String> types = types(Draft.steps(look), look.header(), kinds);
      types.forEach(
          (name, type) -> {
            Guess guess = guesses.getOrDefault(name, new Guess());
            FieldLook by = guess.look(name, "", false);
            seen.add(new FieldLook(name, type, "", by.present(), by.distinct(), by.examples()));
          });
      fields = seen;
    }
    return new Look(
        look.format(),
        shaped.taken(),
        shaped.taken() - shaped.dead().count(),
        fields,
        templates,
        look.separator(),
        look.header(),
        look.oldSyslog(),
        misfits,
        look.intake(),
        look.given());
  }

  /** The names and types that the draft's steps give. */
  static Map<String, String> types(Look look) {
    return types(Draft.steps(look), look.header(), Steps.ours());
  }

  private static Map<String, String> types(
      List<StepDefinition> steps, boolean header, Steps kinds) {
    Map<String, String> types = new LinkedHashMap<>();
    shaper(steps, header, kinds)
        .schemas()
        .values()
        .forEach(schema -> schema.columns().forEach(c -> types.put(c.name(), c.type().toString())));
    return types;
  }

  private static Shaper shaper(List<StepDefinition> steps, boolean header, Steps kinds) {
    Pipeline pipeline =
        Pipeline.named("look")
            .intake(Settings.of("files", "x").with("header", header))
            .shape(steps.toArray(StepDefinition[]::new))
            .route(Route.otherwiseDrop())
            .build();
    Diagnostics diagnostics = Diagnostics.of("look");
    Shaper shaper = Shaper.compile(pipeline, kinds, n -> Optional.empty(), List.of(), diagnostics);
    diagnostics.orThrow();
    return shaper;
  }

  private BlockTrial run(List<StepDefinition> steps, byte[] data, byte[] first) {
    Block block =
        new Block(
            new SourcePartition("sample"),
            0,
            data.length,
            data,
            data.length,
            framing,
            first,
            Instants.micros(Instant.now()));
    return shaper(steps, first.length > 0, kinds).tryOut(block);
  }
}
