package io.wexrun.contract;

import io.wexrun.core.channel.Channel;
import io.wexrun.core.channel.Memory;
import io.wexrun.core.channel.MemoryChannel;
import io.wexrun.core.intake.SourcePartition;
import java.util.Map;

class MemoryChannelContractTest extends ChannelContract {
  @Override
  protected Channel open(long bytes, Map<SourcePartition, Long> accounted) {
    return new MemoryChannel(new Memory(bytes).share(), accounted);
  }
}
