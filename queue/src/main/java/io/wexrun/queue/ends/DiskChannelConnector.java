package io.wexrun.queue.ends;

import io.wexrun.core.channel.Channel;
import io.wexrun.core.connect.ChannelConnector;
import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.written.Form;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueOptions;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** {@code channel: {disk: 10GB}}: what was taken waits on disk, also while targets are down. */
public final class DiskChannelConnector implements ChannelConnector {
  private static final String DISK = "disk";
  private static final long LEAST = 1_000_000;

  /** A channel on disk that holds about so many bytes, at least a million. */
  public static Settings onDisk(long bytes) {
    return Settings.of(DISK, Sizes.show(bytes));
  }

  /** The name of a pipeline's channel among the queues of its workspace. */
  public static String queueOf(String pipeline) {
    return "channel/" + pipeline;
  }

  @Override
  public String kind() {
    return DISK;
  }

  @Override
  public List<String> keys() {
    return List.of(DISK);
  }

  @Override
  public Form form() {
    Form bound = Form.text().about("how much may wait, such as 10GB");
    return Form.keys(Form.with(DISK, bound), DISK);
  }

  @Override
  public void check(Settings settings, KeyPath path, Diagnostics diagnostics) {
    if (bound(settings).isEmpty()) {
      diagnostics.error(
          "bad-value",
          path.key(DISK),
          "'" + settings.main() + "' is not a size of at least 1MB, such as 10GB",
          Optional.empty());
    }
  }

  private static Optional<Long> bound(Settings settings) {
    return Sizes.bytes(settings.main()).filter(bytes -> bytes >= LEAST);
  }

  @Override
  public Channel open(
      String pipeline, Settings settings, Site site, Map<SourcePartition, Long> accounted) {
    return open(pipeline, bound(settings).orElseThrow(), site, accounted);
  }

  @Override
  public Channel openLeft(String pipeline, Site site, Map<SourcePartition, Long> accounted) {
    return open(pipeline, Long.MAX_VALUE, site, accounted);
  }

  private static Channel open(
      String pipeline, long bound, Site site, Map<SourcePartition, Long> accounted) {
    String name = queueOf(pipeline);
    QueueOptions.Secrecy secrecy =
        new QueueOptions.Secrecy(site.keys(), site.encrypt().map(site.keys()::key));
    QueueOptions options = DiskChannel.options(bound).secrecy(secrecy);
    return DiskChannel.of(
        Queue.open(Queues.of(site).folder(name), name, options), bound, accounted);
  }

  @Override
  public boolean exists(String pipeline, Site site) {
    return Queues.of(site).exists(queueOf(pipeline));
  }

  @Override
  public long held(String pipeline, Site site, Map<SourcePartition, Long> accounted) {
    return Queues.of(site)
        .openToRead(queueOf(pipeline))
        .map(queue -> DiskChannel.held(queue, accounted))
        .orElse(0L);
  }

  @Override
  public void remove(String pipeline, Site site) {
    Queues.of(site).delete(queueOf(pipeline));
  }
}
