package io.wexrun.project.open;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import io.wexrun.core.secret.Secret;
import java.nio.file.Path;
import java.util.Base64;
import java.util.Map;
import java.util.Set;

/**
 * Keys whose secrets come from files, environment variables or commands: 32 bytes in base64.
 *
 * @param folder the workspace's
 * @param written each with one of {@link #KINDS}
 */
public record WorkspaceKeys(Path folder, Map<String, Settings> written) implements Keys {
  private static final String ENV = "env";
  private static final String FILE = "file";

  /** Where a secret may stand. */
  public static final Set<String> KINDS = Set.of(ENV, FILE, "command");

  @Override
  public Set<String> ids() {
    return written.keySet();
  }

  @Override
  public EncryptionKey key(String id) {
    Settings settings = written.get(id);
    if (settings == null) {
      return Keys.NONE.key(id);
    }
    String secret =
        Secret.value(
            settings.kind(), settings.main(), folder, "which holds the secret of key '" + id + "'");
    try {
      return new EncryptionKey(id, Base64.getDecoder().decode(secret.strip()));
    } catch (IllegalArgumentException e) {
      // What was found is not told: it may be nearly a secret.
      throw OutsideException.lasting(
          switch (settings.kind()) {
                case ENV -> "the environment variable ";
                case FILE -> "the file ";
                default -> "the command ";
              }
              + settings.main()
              + " does not hold the secret of key '"
              + id
              + "': it is "
              + EncryptionKey.BYTES
              + " random bytes in base64, as 'openssl rand -base64 32' makes them");
    }
  }
}
