package io.wexrun.project.open;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Base64;
import java.util.Map;
import java.util.Set;

/**
 * Keys whose secrets stand in files, or in environment variables: 32 bytes in base64.
 *
 * @param folder the workspace's
 * @param written each with one of {@link #KINDS}
 */
public record WorkspaceKeys(Path folder, Map<String, Settings> written) implements Keys {
  private static final String ENV = "env";
  private static final String FILE = "file";

  /** Where a secret may stand. */
  public static final Set<String> KINDS = Set.of(ENV, FILE);

  /** Longer files hold no secret. */
  private static final int LONGEST = 4096;

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
    boolean env = settings.kind().equals(ENV);
    String where =
        env ? "the environment variable " + settings.main() : "the file " + settings.main();
    String text = env ? System.getenv(settings.main()) : file(settings.main(), where, id);
    if (text == null) {
      throw OutsideException.lasting(
          where + " is not set, which holds the secret of key '" + id + "'");
    }
    try {
      return new EncryptionKey(id, Base64.getDecoder().decode(text.strip()));
    } catch (IllegalArgumentException e) {
      // What was found is not told: it may be nearly a secret.
      throw OutsideException.lasting(
          where
              + " does not hold the secret of key '"
              + id
              + "': it is "
              + EncryptionKey.BYTES
              + " random bytes in base64, as 'openssl rand -base64 32' makes them");
    }
  }

  private String file(String name, String where, String id) {
    Path file = folder.resolve(name);
    try {
      return Files.size(file) > LONGEST ? "" : Files.readString(file);
    } catch (IOException e) {
      throw OutsideException.lasting(
          "cannot read "
              + where
              + ", which holds the secret of key '"
              + id
              + "': "
              + e.getMessage());
    }
  }
}
