package io.wexrun.queue.ends;

import io.wexrun.contract.ChannelContract;
import io.wexrun.core.channel.Channel;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueOptions;
import java.nio.file.Path;
import java.util.Map;
import org.junit.jupiter.api.io.TempDir;

class DiskChannelContractTest extends ChannelContract {
  @TempDir private Path folder;

  QueueOptions options(long bytes) {
    return DiskChannel.options(bytes);
  }

  @Override
  protected Channel open(long bytes, Map<SourcePartition, Long> accounted) {
    Queue queue = Queue.open(folder, "channel/p", options(bytes));
    return DiskChannel.of(queue, bytes, accounted);
  }
}
