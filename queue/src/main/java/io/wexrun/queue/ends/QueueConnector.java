package io.wexrun.queue.ends;

import io.wexrun.core.connect.Encryption;
import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.Site;
import io.wexrun.core.connect.TargetConnector;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.target.Destination;
import io.wexrun.core.target.Standing;
import io.wexrun.core.target.Target;
import io.wexrun.queue.Queue;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalInt;

/** Queues at both ends of pipelines. */
public final class QueueConnector {
  private static final String QUEUE = "queue";

  /** What names of queues with dead letters begin with. */
  private static final String DEAD = "dead/";

  private QueueConnector() {}

  /** The queue with this name as an intake, from its oldest record on. */
  public static Settings intake(String name) {
    return Settings.of(QUEUE, name);
  }

  /** The definition of a queue with so many partitions that keeps everything. */
  public static Settings partitions(int number) {
    return new Settings(QUEUE, Map.of("partitions", (long) number));
  }

  /** {@code intake: {queue: gate-events, start: oldest}}. */
  public static final class AsIntake implements IntakeConnector {
    private static final String START = "start";
    private static final String NEWEST = "newest";
    private static final List<String> STARTS = List.of("oldest", NEWEST);

    @Override
    public String kind() {
      return QUEUE;
    }

    @Override
    public List<String> keys() {
      return List.of(QUEUE, START, "longest", "blank");
    }

    @Override
    public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
      List<String> queues =
          site.targets().entrySet().stream()
              .filter(target -> target.getValue().kind().equals(QUEUE))
              .map(Map.Entry::getKey)
              .toList();
      List<String> dead = site.pipelines().stream().map(pipeline -> DEAD + pipeline).toList();
      if (settings.main().startsWith(DEAD) && !dead.contains(settings.main())) {
        diagnostics.error(
            "unknown-queue",
            path.key(QUEUE),
            "there is no pipeline '" + settings.main().substring(DEAD.length()) + "'",
            Diagnostics.nearestOrKnown(settings.main(), dead, k -> "dead letters are in " + k));
      } else if (!settings.main().startsWith(DEAD) && !queues.contains(settings.main())) {
        diagnostics.error(
            "unknown-queue",
            path.key(QUEUE),
            "there is no queue '" + settings.main() + "'",
            Diagnostics.nearestOrKnown(settings.main(), queues, k -> "there are " + k));
      }
      String start = settings.text(START).orElse(STARTS.get(0));
      if (!STARTS.contains(start)) {
        diagnostics.error(
            "bad-value",
            path.key(START),
            "'" + start + "' is neither oldest nor newest",
            Diagnostics.nearest(start, STARTS));
      }
    }

    @Override
    public Optional<String> reads(Settings settings) {
      return Optional.of(settings.main());
    }

    @Override
    public Intake open(IntakeOpening opening) {
      Queues queues = Queues.of(opening.site());
      String name = opening.settings().main();
      Queue queue = opening.writtenHere() ? queues.open(name) : queues.shared(name);
      boolean newest = opening.settings().text(START).orElse("").equals(NEWEST);
      return new QueueIntake(
          queue, newest, opening.known(), opening.notices(), opening.fed(), () -> {});
    }

    @Override
    public Intake peek(Settings settings, Site site) {
      String name = settings.main();
      Queue queue =
          Queues.of(site)
              .openToRead(name)
              .orElseThrow(
                  () ->
                      new OutsideException(
                          "queue "
                              + name
                              + " has no records yet: name a file to try, or run what feeds the"
                              + " queue"));
      return new QueueIntake(queue, false, () -> true, queue::close);
    }
  }

  /** {@code queues: {gate-events: {partitions: 4}}}. */
  public static final class AsTarget implements TargetConnector {
    @Override
    public String kind() {
      return QUEUE;
    }

    @Override
    public List<String> keys() {
      List<String> keys = new ArrayList<>(List.of(QUEUE));
      keys.addAll(QueueSettings.KEYS);
      return keys;
    }

    @Override
    public Optional<Section> section() {
      return Optional.of(new Section("queues", QueueSettings.form()));
    }

    @Override
    public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
      int partitions = QueueSettings.options(settings, path, diagnostics).partitions();
      Encryption.check(settings, site, path, diagnostics);
      if (diagnostics.errors() == 0) {
        checkPartitions(partitions, site, path, diagnostics);
      }
    }

    /** A queue keeps the partitions with which it was made. */
    private static void checkPartitions(
        int defined, Site site, KeyPath path, Diagnostics diagnostics) {
      String name = String.valueOf(path.parts().get(path.parts().size() - 1));
      OptionalInt there = Queue.partitionsIn(Queues.of(site).folder(name));
      if (there.isPresent() && there.getAsInt() != defined) {
        diagnostics.warning(
            "other-partitions",
            path.key("partitions"),
            "queue "
                + name
                + " has "
                + Counted.of(there.getAsInt(), "partition")
                + ", and keeps them, whatever is defined",
            Optional.of(
                "define as many; or delete it once it is read, then the next one has " + defined));
      }
    }

    @Override
    public Destination destination(Settings settings) {
      return new Destination.Raw();
    }

    @Override
    public Target open(String name, String writer, Settings settings, Site site) {
      return QueueTarget.ofRecords(Queues.of(site).open(name), writer);
    }

    @Override
    public Optional<Standing> standing(String name, String writer, Settings settings, Site site) {
      Optional<Queue> there = Queues.of(site).openToRead(name);
      try {
        return Optional.of(
            there
                .map(queue -> QueueTarget.ofRecords(queue, writer).standing())
                .orElse(Standing.ABSENT));
      } finally {
        there.ifPresent(Queue::close);
      }
    }

    @Override
    public Target openForDeadLetters(String name, String writer, Settings settings, Site site) {
      return QueueTarget.ofDeadLetters(Queues.of(site).open(name), writer);
    }
  }
}
