package io.wexrun.network;

import io.wexrun.contract.FolderSite;
import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.Refusals;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Choice;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Receiving;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.ServiceLoader;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Collectors;

/** An intake that receives, with what it has taken and told. */
final class Receiver implements AutoCloseable {
  /** What was taken of a record. */
  record Taken(String text, Map<String, String> headers, String columns) {}

  final List<String> notices = new CopyOnWriteArrayList<>();
  private final FolderSite site;
  private final Intake intake;
  private final Map<SourcePartition, Long> positions = new HashMap<>();

  private Receiver(Path folder, Settings settings, Receiving receiving) {
    site = new FolderSite(folder);
    site.with("q", new Settings("queue", Map.of("partitions", 2L)));
    intake =
        connector(settings.kind())
            .open(
                new IntakeOpening(
                    settings.with(Settings.QUEUE, "q"),
                    site,
                    List.of(),
                    notices::add,
                    false,
                    () -> true,
                    Choice.ALL,
                    block -> 0,
                    receiving));
    for (Source source : intake.look()) {
      intake.assign(source.partition(), source.start());
    }
  }

  static Receiver of(Path folder, String kind, Object main, Object... more) {
    return new Receiver(folder, settings(kind, main, more), Receiving.ALWAYS);
  }

  static Receiver toTheEnd(Path folder, String kind, Object main, Object... more) {
    return new Receiver(folder, settings(kind, main, more), Receiving.TO_THE_END);
  }

  static Settings settings(String kind, Object main, Object... more) {
    Settings settings = Settings.of(kind, main);
    for (int i = 0; i < more.length; i += 2) {
      settings = settings.with((String) more[i], more[i + 1]);
    }
    return settings;
  }

  /** What is wrong with settings, each as its severity and message. */
  static List<String> mistakes(Path folder, String kind, Object main, Object... more) {
    Diagnostics diagnostics = Diagnostics.of("test");
    FolderSite site = new FolderSite(folder).with("q", new Settings("queue", Map.of()));
    connector(kind).check(settings(kind, main, more), site, KeyPath.ROOT, diagnostics);
    return diagnostics.all().stream()
        .map((Diagnostic d) -> d.code() + ": " + d.message())
        .collect(Collectors.toList());
  }

  static IntakeConnector connector(String kind) {
    return ServiceLoader.load(IntakeConnector.class).stream()
        .map(ServiceLoader.Provider::get)
        .filter(connector -> connector.kind().equals(kind))
        .findFirst()
        .orElseThrow();
  }

  Path data() {
    return site.data();
  }

  /** The port that it told. */
  /** What its door has refused. */
  Map<Refusals.Refusal, Long> refusals() {
    return Refusals.of(site).counts();
  }

  int port() {
    Matcher matcher = Pattern.compile(":(\\d+)").matcher(notices.get(0));
    if (!matcher.find()) {
      throw new AssertionError(notices.toString());
    }
    return Integer.parseInt(matcher.group(1));
  }

  /** Takes so many records, or fails after a while. */
  List<Taken> take(int count) {
    List<Taken> taken = new ArrayList<>();
    long until = System.nanoTime() + Duration.ofSeconds(20).toNanos();
    while (taken.size() < count) {
      taken.addAll(next(Duration.ofMillis(50)));
      if (System.nanoTime() > until) {
        throw new AssertionError(
            taken.size() + " of " + count + " came: " + taken.stream().limit(5).toList());
      }
    }
    return taken;
  }

  /** The texts of all that is there. */
  List<String> texts() {
    List<String> texts = new ArrayList<>();
    for (List<Taken> some = next(Duration.ZERO); !some.isEmpty(); some = next(Duration.ZERO)) {
      some.forEach(taken -> texts.add(taken.text()));
    }
    return texts;
  }

  boolean drained() {
    return intake.drained();
  }

  private List<Taken> next(Duration wait) {
    Optional<Block> block = intake.poll(wait);
    List<Taken> taken = new ArrayList<>();
    if (block.isPresent()) {
      Records records = block.get().records();
      String columns = new String(block.get().header(), StandardCharsets.UTF_8);
      for (int i = 0; i < records.count(); i++) {
        Map<String, String> headers = new HashMap<>(records.headers(i));
        headers.remove("mark");
        taken.add(
            new Taken(new String(records.bytes(i), StandardCharsets.UTF_8), headers, columns));
      }
      positions.put(block.get().source(), block.get().end());
    }
    return taken;
  }

  @Override
  public void close() {
    intake.close();
    try {
      site.close();
    } catch (Exception e) {
      throw new AssertionError(e);
    }
  }
}
