package io.wexrun.queue.ends;

import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import io.wexrun.queue.QueueOptions;
import java.nio.charset.StandardCharsets;
import java.util.Map;
import java.util.Optional;

/** A channel on disk whose blocks are encrypted. */
class EncryptedChannelContractTest extends DiskChannelContractTest {
  private static final String SECRET = "0123456789abcdef0123456789abcdef";

  @Override
  QueueOptions options(long bytes) {
    EncryptionKey key = new EncryptionKey("k", SECRET.getBytes(StandardCharsets.UTF_8));
    return super.options(bytes)
        .secrecy(new QueueOptions.Secrecy(Keys.of(Map.of("k", key)), Optional.of(key)));
  }
}
