package io.wexrun.core.look;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.diagnose.Diagnostics;
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
import io.wexrun.core.shape.Shaped;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.shape.Steps;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.time.LocalDateTime;
import java.time.ZoneOffset;
import java.time.format.DateTimeFormatter;
import java.util.ArrayList;
import java.util.Collections;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import java.util.stream.IntStream;
import org.junit.jupiter.api.Test;

/**
 * Drafts of logs in many published layouts: of what is made by the log of one day, the log of the
 * next day is loaded too, with the names and types that a person would have chosen.
 */
class LookCorpusTest {
  private static final int RECORDS = 120;
  private static final Pattern HOLE = Pattern.compile("\\{([a-zA-Z0-9]+\\??)(?::([^}]*))?\\}");

  /** A layout of logs. */
  private static final class Format {
    private final String name;
    private String raw = "";
    private String want = "";
    private final List<String> patterns = new ArrayList<>();

    Format(String name) {
      this.name = name;
    }

    /** The log of a day. */
    String log(int day) {
      SplittableRandom dice = new SplittableRandom(name.hashCode() * 31L + day);
      LocalDateTime time = LocalDateTime.of(2026, 11, 24 + day, 6, 0, 3);
      StringBuilder log = new StringBuilder(raw.isEmpty() ? "" : raw + "\n");
      for (int i = 0; i < RECORDS; i++) {
        time = time.plusNanos(1_000_000L * dice.nextInt(300_000) + 37_000 * dice.nextInt(999));
        log.append(filled(patterns.get(dice.nextInt(patterns.size())), time, dice)).append('\n');
      }
      return log.toString();
    }

    private static String filled(String pattern, LocalDateTime time, SplittableRandom dice) {
      Matcher hole = HOLE.matcher(pattern);
      StringBuilder text = new StringBuilder();
      while (hole.find()) {
        String value = value(hole.group(1), hole.group(2), time, dice);
        hole.appendReplacement(text, Matcher.quoteReplacement(value));
      }
      return hole.appendTail(text).toString();
    }

    private static String value(
        String kind, String how, LocalDateTime time, SplittableRandom dice) {
      return switch (kind) {
        case "T" ->
            DateTimeFormatter.ofPattern(how, Locale.ENGLISH).format(time.atOffset(ZoneOffset.UTC));
        case "E" -> epoch(time, how);
        case "uptime" ->
            String.format(
                Locale.ROOT, "%12.6f", (time.toEpochSecond(ZoneOffset.UTC) % 86400) / 7.0);
        case "ip" ->
            "10." + dice.nextInt(250) + "." + dice.nextInt(250) + "." + (1 + dice.nextInt(250));
        case "int" -> "" + number(how, dice);
        case "intp" -> {
          String[] parts = how.split(":");
          yield String.format("%" + parts[0] + "d", number(parts[1], dice));
        }
        case "dec" -> String.format(Locale.ROOT, "%." + how + "f", dice.nextDouble() * 100);
        case "hex" ->
            IntStream.range(0, Integer.parseInt(how))
                .mapToObj(i -> Integer.toHexString(dice.nextInt(16)))
                .collect(Collectors.joining());
        case "pick" -> {
          String[] all = how.split("\\|");
          yield all[dice.nextInt(all.length)];
        }
        case "esc" -> "\\\\n";
        case "host" -> "depot-" + (1 + dice.nextInt(2));
        case "user" -> one(dice, "ada", "bela", "cora", "dora-k");
        case "user?" -> one(dice, "-", "-", "-", "ada", "bela");
        case "method" -> one(dice, "GET", "GET", "GET", "POST", "HEAD");
        case "status" -> one(dice, "200", "200", "200", "304", "404", "500");
        case "path" ->
            "/" + one(dice, "line/", "stop/", "") + word(dice) + one(dice, "", ".html", "?n=3");
        case "url?" -> one(dice, "-", "http://timetable.ostrel.example/" + word(dice));
        case "agent" ->
            one(
                dice,
                "Mozilla/5.0 (X11; Linux x86_64; rv:140.0) Gecko/20100101 Firefox/140.0",
                "tram-board/7",
                "-");
        case "word" -> word(dice);
        case "words" ->
            IntStream.range(0, (int) number(how, dice))
                .mapToObj(i -> dice.nextInt(6) == 0 ? "" + dice.nextInt(900) : word(dice))
                .collect(Collectors.joining(" "));
        default -> throw new IllegalArgumentException("{" + kind + "}");
      };
    }

    private static String epoch(LocalDateTime time, String how) {
      long seconds = time.toEpochSecond(ZoneOffset.UTC);
      return switch (how) {
        case "13" -> seconds + String.format("%03d", time.getNano() / 1_000_000);
        case "3" -> seconds + String.format(".%03d", time.getNano() / 1_000_000);
        default -> "" + seconds;
      };
    }

    private static long number(String range, SplittableRandom dice) {
      String[] ends = range.split("-");
      return dice.nextLong(Long.parseLong(ends[0]), Long.parseLong(ends[1]) + 1);
    }

    private static String one(SplittableRandom dice, String... all) {
      return all[dice.nextInt(all.length)];
    }

    private static String word(SplittableRandom dice) {
      String[] first = {"lamp", "gate", "door", "rail", "yard", "card", "line", "stop", "point"};
      String[] last = {"", "s", "er", "ing", "ed", "less"};
      return first[dice.nextInt(first.length)] + last[dice.nextInt(last.length)];
    }
  }

  private static List<Format> formats() throws IOException {
    List<Format> formats = new ArrayList<>();
    try (InputStream in = LookCorpusTest.class.getResourceAsStream("formats.txt")) {
      for (String line : new String(in.readAllBytes(), StandardCharsets.UTF_8).lines().toList()) {
        if (line.startsWith("#!")) {
          continue;
        }
        Format format = formats.isEmpty() ? null : formats.get(formats.size() - 1);
        if (line.startsWith("== ")) {
          formats.add(new Format(line.substring(3)));
        } else if (line.startsWith("want ")) {
          format.want = line.substring(5);
        } else if (line.startsWith("raw ") || line.startsWith("header ")) {
          format.raw = unescaped(line.substring(line.indexOf(' ') + 1));
        } else {
          Matcher times = Pattern.compile("(\\d+)\\*(.*)").matcher(line);
          int count = times.matches() ? Integer.parseInt(times.group(1)) : 1;
          String pattern = unescaped(times.matches() ? times.group(2) : line);
          IntStream.range(0, count).forEach(i -> format.patterns.add(pattern));
        }
      }
    }
    return formats;
  }

  private static String unescaped(String text) {
    return text.replace("\\n", "\n").replace("\\t", "\t");
  }

  /** What became of a day's log by a draft. */
  private record Loaded(long records, long loaded, long shaped) {}

  private static Loaded load(Look look, String log) {
    Pipeline.Builder pipeline =
        Pipeline.named("draft")
            .intake(Settings.of("files", "x").with("header", look.header()))
            .shape(Draft.steps(look).toArray(StepDefinition[]::new))
            .route(Route.otherwiseDrop());
    look.patterns().forEach(pipeline::pattern);
    Diagnostics diagnostics = Diagnostics.of("draft");
    Shaper shaper =
        Shaper.compile(
            pipeline.build(), Steps.ours(), n -> Optional.empty(), List.of(), diagnostics);
    diagnostics.orThrow();
    List<String> lines = new ArrayList<>(log.lines().toList());
    byte[] header = {};
    if (look.intake().containsKey("header")) {
      header =
          lines.stream()
              .filter(l -> l.startsWith("#Fields"))
              .findFirst()
              .get()
              .substring(9)
              .getBytes(StandardCharsets.UTF_8);
      lines.removeIf(l -> l.startsWith("#"));
    } else if (look.header()) {
      header = lines.remove(0).getBytes(StandardCharsets.UTF_8);
    }
    byte[] data = (String.join("\n", lines) + "\n").getBytes(StandardCharsets.UTF_8);
    Framing framing =
        look.intake().containsKey("framing")
            ? Framings.read((Map<?, ?>) look.intake().get("framing"))
            : Lines.FRAMING;
    long taken = Instants.micros(Instant.parse("2026-11-27T00:00:00Z"));
    SourcePartition source = new SourcePartition("log");
    Shaped shaped =
        shaper.shape(new Block(source, 0, data.length, data, data.length, framing, header, taken));
    long any =
        IntStream.range(0, look.templates().size())
            .filter(i -> look.templates().get(i).text().equals(LineTemplates.ANY))
            .mapToLong(i -> shaped.fitted().getOrDefault("shape[0].template[" + i + "]", 0L))
            .sum();
    long loaded = shaped.taken() - shaped.dead().count();
    return new Loaded(shaped.taken(), loaded, loaded - any);
  }

  @Test
  void draftsOfOneDayLoadTheNextWithTheNamesAndTypesThatAPersonWouldChoose() throws IOException {
    List<String> wrong = new ArrayList<>();
    int loads = 0;
    int times = 0;
    int timed = 0;
    int names = 0;
    int right = 0;
    List<Format> formats = formats();
    for (Format format : formats) {
      String today = format.log(0);
      Look look;
      try {
        look = Looker.at(today.getBytes(StandardCharsets.UTF_8));
      } catch (RuntimeException e) {
        throw new AssertionError(format.name, e);
      }
      Map<String, String> columns = new TreeMap<>(Draft.columns(look));
      List<String> faults = new ArrayList<>();
      boolean both = true;
      for (int day = 0; day < 2; day++) {
        Loaded loaded = load(look, format.log(day));
        both &= loaded.loaded() >= loaded.records() * 0.99;
        if (loaded.shaped() < loaded.records() * 0.95) {
          faults.add("day " + day + ": only " + loaded + " shaped");
        }
      }
      loads += both ? 1 : 0;
      for (String want : format.want.split(" ")) {
        String[] column = want.split(":");
        boolean has = column[1].equals(columns.get(column[0]));
        names++;
        right += has ? 1 : 0;
        if (column[1].equals("timestamp")) {
          times++;
          timed += has ? 1 : 0;
        }
        if (!has) {
          faults.add(want + " is " + columns.get(column[0]));
        }
      }
      if (!both || !faults.isEmpty()) {
        wrong.add(
            format.name
                + ": "
                + String.join("; ", faults)
                + "\n    "
                + look.templates().stream()
                    .map(t -> t.lines() + " " + t.text())
                    .collect(Collectors.joining("\n    "))
                + "\n    "
                + columns
                + " "
                + look.intake());
      }
    }
    System.out.println(
        formats.size()
            + " formats: "
            + loads
            + " load both days, "
            + timed
            + " of "
            + times
            + " have their time, "
            + right
            + " of "
            + names
            + " columns are as wanted");
    wrong.forEach(System.out::println);
    assertThat(loads).as("%s", wrong).isEqualTo(formats.size());
    assertThat(timed).isGreaterThanOrEqualTo(times * 95 / 100);
    assertThat(right).isGreaterThanOrEqualTo(names * 95 / 100);
  }

  /** Whatever lines are mixed, cut or few: a draft never fails on itself. */
  @Test
  void anyMixtureOfLinesGetsADraftThatLoadsIt() throws IOException {
    List<Format> formats = formats();
    SplittableRandom dice = new SplittableRandom(7);
    for (int i = 0; i < 20; i++) {
      List<String> lines = new ArrayList<>();
      for (int part = 1 + dice.nextInt(3); part > 0; part--) {
        Format format = formats.get(dice.nextInt(formats.size()));
        List<String> some = format.log(dice.nextInt(3)).lines().toList();
        lines.addAll(some.subList(0, 1 + dice.nextInt(some.size())));
      }
      if (dice.nextBoolean()) {
        lines.replaceAll(l -> dice.nextInt(20) == 0 ? l.substring(l.length() / 2) : l);
      }
      if (dice.nextInt(3) == 0) {
        Collections.shuffle(lines, new Random(dice.nextLong()));
      }
      String end = dice.nextInt(4) == 0 ? "\r\n" : "\n";
      String log = String.join(end, lines) + end;
      Look look = Looker.at(log.getBytes(StandardCharsets.UTF_8));
      assertThat(look.records()).isPositive();
      assertThat(Draft.columns(look)).isNotEmpty();
      if (look.format() == Look.Format.LINES) {
        assertThat(look.fits()).as(log).isEqualTo(look.records());
      }
    }
  }
}
