package io.wexrun.core.connect;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.secret.EncryptionKey;
import java.util.List;
import java.util.Optional;

/** The setting {@code encrypt}: the name of a key, or {@code none}. */
public final class Encryption {
  /** Its name. */
  public static final String KEY = "encrypt";

  private static final String NONE = "none";

  private Encryption() {}

  /**
   * The key of a store's or queue's new files: its own, or the workspace's.
   *
   * @throws OutsideException if the key is not there
   */
  public static Optional<EncryptionKey> of(Settings settings, Site site) {
    return named(settings, site).map(site.keys()::key);
  }

  private static Optional<String> named(Settings settings, Site site) {
    Optional<String> own = settings.text(KEY);
    return (own.isPresent() ? own : site.encrypt()).filter(name -> !name.equals(NONE));
  }

  /** Tells of a key that is not defined, or has no secret. */
  public static void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    settings.text(KEY).ifPresent(name -> check(name, site, path.key(KEY), diagnostics));
  }

  /** The same, for a name that stands somewhere. */
  public static void check(String name, Site site, KeyPath path, Diagnostics diagnostics) {
    if (name.equals(NONE)) {
      return;
    }
    List<String> known = List.copyOf(site.keys().ids());
    if (!known.contains(name)) {
      diagnostics.error(
          "unknown-key-name",
          path,
          "there is no key '" + name + "' to encrypt with",
          known.isEmpty()
              ? Optional.of("define it: keys: {" + name + ": {env: VARIABLE}}")
              : Diagnostics.nearestOrKnown(name, known, all -> "the keys are " + all));
      return;
    }
    try {
      site.keys().key(name);
    } catch (OutsideException e) {
      diagnostics.error("missing-secret", path, e.getMessage(), Optional.empty());
    }
  }
}
