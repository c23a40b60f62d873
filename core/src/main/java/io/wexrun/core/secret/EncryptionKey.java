package io.wexrun.core.secret;

import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.util.Arrays;
import javax.crypto.Mac;
import javax.crypto.spec.SecretKeySpec;

/**
 * A key that files are encrypted with. Its id stands in their headers; its secret is never written.
 *
 * @param id its name in the workspace: 1 to 200 letters, digits, '-' and '_'
 * @param secret 32 bytes, not all of them zero
 */
public record EncryptionKey(String id, byte[] secret) {
  /** How many bytes a secret has. */
  public static final int BYTES = 32;

  /** How many bytes a mark has. */
  public static final int MARK_BYTES = 8;

  private static final byte[] MARKED = "wexrun key mark".getBytes(StandardCharsets.US_ASCII);

  /** Copies the secret. */
  public EncryptionKey {
    if (!id.matches("[A-Za-z0-9_-]{1,200}")) {
      throw new IllegalArgumentException("'" + id + "' is not a name of a key");
    }
    if (secret.length != BYTES) {
      throw new IllegalArgumentException("a secret has " + BYTES + " bytes, not " + secret.length);
    }
    if (Arrays.equals(secret, new byte[BYTES])) {
      throw new IllegalArgumentException("all bytes of the secret are zero");
    }
    secret = secret.clone();
  }

  /** A copy of the secret. */
  @Override
  public byte[] secret() {
    return secret.clone();
  }

  /**
   * What headers keep of the secret, so that another one is told from it before anything is read:
   * the first bytes of HMAC-SHA-256 (RFC 2104) of the text {@code wexrun key mark}.
   */
  public byte[] mark() {
    try {
      Mac mac = Mac.getInstance("HmacSHA256");
      mac.init(new SecretKeySpec(secret, "HmacSHA256"));
      return Arrays.copyOf(mac.doFinal(MARKED), MARK_BYTES);
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e); // Every Java has it.
    }
  }

  @Override
  public boolean equals(Object other) {
    return other instanceof EncryptionKey key
        && key.id.equals(id)
        && Arrays.equals(key.secret, secret);
  }

  @Override
  public int hashCode() {
    return id.hashCode();
  }

  /** Without the secret. */
  @Override
  public String toString() {
    return "key " + id;
  }
}
