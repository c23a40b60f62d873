package io.wexrun.queue.ends;

import io.wexrun.contract.ChannelContract;
import io.wexrun.core.channel.Channel;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.queue.Queue;
import java.nio.file.Path;
import java.util.Map;
import org.junit.jupiter.api.io.TempDir;

class DiskChannelContractTest extends ChannelContract {
  @TempDir private Path folder;

  @Override
  protected Channel open(long bytes, Map<SourcePartition, Long> accounted) {
    Queue queue = Queue.open(folder, "channel/p", DiskChannel.options(bytes));
    return DiskChannel.of(queue, bytes, accounted);
  }
}
