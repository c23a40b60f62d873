package io.wexrun.queue.ends;

import io.wexrun.core.connect.Encryption;
import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import io.wexrun.queue.QueueOptions;
import io.wexrun.queue.SyncPolicy;
import io.wexrun.queue.log.Codec;
import io.wexrun.queue.log.Keep;
import java.time.Duration;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Stream;

/** What is written about a queue: {@code {partitions: 4, keep: {age: 7d}, compress: lz4}}. */
final class QueueSettings {
  private static final String PARTITIONS = "partitions";
  private static final String KEEP = "keep";
  private static final String COMPRESS = "compress";
  private static final String SYNC = "sync";
  static final List<String> KEYS = List.of(PARTITIONS, KEEP, COMPRESS, SYNC, Encryption.KEY);

  private static final int MOST_PARTITIONS = 10_000;

  private QueueSettings() {}

  /** What may be written. */
  static Form form() {
    return Form.keys(
        Form.with(
            PARTITIONS,
            Form.text(),
            KEEP,
            Form.keys(
                Form.with("age", Form.text(), "size", Form.text(), "until", Form.word("read"))),
            COMPRESS,
            Form.word("none", "lz4", "zstd"),
            Encryption.KEY,
            Form.text().about("the name of a key, or none"),
            SYNC,
            Form.text().about("pack, system, or an interval such as 50ms")));
  }

  /** The options of a queue with settings that were checked. */
  static QueueOptions options(Settings settings, Site site) {
    return options(settings, KeyPath.ROOT, Diagnostics.of("queue"))
        .secrecy(new QueueOptions.Secrecy(site.keys(), Encryption.of(settings, site)));
  }

  /** The options that settings say; mistakes are told, and leave what is not said. */
  static QueueOptions options(Settings settings, KeyPath path, Diagnostics diagnostics) {
    Map<String, Written> entries = new Written(settings.values(), path, diagnostics).entries();
    int partitions =
        read(entries, PARTITIONS)
            .flatMap(
                w -> w.parsed(QueueSettings::partitions, "a number of partitions from 1 to 10000"))
            .orElse(1);
    Codec codec =
        read(entries, COMPRESS)
            .flatMap(w -> w.parsed(QueueSettings::codec, "none, lz4 or zstd"))
            .orElse(Codec.NONE);
    SyncPolicy sync =
        read(entries, SYNC)
            .flatMap(
                w -> w.parsed(QueueSettings::sync, "pack, system, or an interval such as 50ms"))
            .orElse(SyncPolicy.eachPack());
    Keep keep = read(entries, KEEP).map(QueueSettings::keep).orElse(Keep.ALL);
    return QueueOptions.partitions(partitions).keep(keep).codec(codec).sync(sync);
  }

  private static Optional<Written> read(Map<String, Written> entries, String key) {
    return Optional.ofNullable(entries.get(key));
  }

  private static Optional<Integer> partitions(String text) {
    return text.matches("[1-9][0-9_]{0,6}")
        ? Optional.of(Integer.parseInt(text.replace("_", ""))).filter(n -> n <= MOST_PARTITIONS)
        : Optional.empty();
  }

  private static Optional<Codec> codec(String text) {
    return Stream.of(Codec.values())
        .filter(c -> c.name().toLowerCase(Locale.ROOT).equals(text))
        .findFirst();
  }

  private static Optional<SyncPolicy> sync(String text) {
    return switch (text) {
      case "pack" -> Optional.of(SyncPolicy.eachPack());
      case "system" -> Optional.of(SyncPolicy.system());
      default -> Sizes.duration(text).filter(d -> !d.isZero()).map(SyncPolicy::every);
    };
  }

  private static Keep keep(Written written) {
    Map<String, Written> limits =
        written.entries("what a queue keeps", List.of("age", "size", "until"));
    Optional<Duration> age =
        read(limits, "age")
            .flatMap(
                w ->
                    w.parsed(t -> Sizes.duration(t).filter(d -> !d.isZero()), "an age such as 7d"));
    Optional<Long> size =
        read(limits, "size")
            .flatMap(w -> w.parsed(t -> Sizes.bytes(t).filter(n -> n > 0), "a size such as 10GB"));
    boolean untilRead =
        read(limits, "until")
            .flatMap(w -> w.parsed(t -> Optional.of(t).filter("read"::equals), "the word 'read'"))
            .isPresent();
    return new Keep(age, size, untilRead);
  }
}
