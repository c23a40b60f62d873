package io.wexrun.core.connect;

import io.wexrun.core.secret.EncryptionKey;
import java.util.Optional;

/**
 * How a file of rows is written, beside its format.
 *
 * @param compression one of the format's
 * @param key what it is encrypted with
 */
public record FileForm(String compression, Optional<EncryptionKey> key) {
  /** Without encryption. */
  public static FileForm plain(String compression) {
    return new FileForm(compression, Optional.empty());
  }
}
