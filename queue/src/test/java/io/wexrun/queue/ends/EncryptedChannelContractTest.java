package io.wexrun.queue.ends;

import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import io.wexrun.queue.QueueOptions;
import java.util.Map;
import java.util.Optional;

/** A channel on disk whose blocks are encrypted. */
class EncryptedChannelContractTest extends DiskChannelContractTest {
  @Override
  QueueOptions options(long bytes) {
    EncryptionKey key = new EncryptionKey("k", new byte[EncryptionKey.BYTES]);
    return super.options(bytes)
        .secrecy(new QueueOptions.Secrecy(Keys.of(Map.of("k", key)), Optional.of(key)));
  }
}
