package io.wexrun.queue.log;

import com.google.crypto.tink.subtle.Hkdf;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import java.io.ByteArrayOutputStream;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.security.GeneralSecurityException;
import java.security.SecureRandom;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import javax.crypto.Cipher;
import javax.crypto.spec.GCMParameterSpec;
import javax.crypto.spec.SecretKeySpec;

/**
 * Encrypts packs as they are written, and gives them back as they were. Of an encrypted pack only
 * the header and the producer's name can be read, and its checksum be checked, without the key.
 *
 * <pre>
 * Payload    --&gt; Producer, 0, 0, IdLength, Id, Mark, Salt, Number, Cipher
 * Producer   --&gt; as in {@link PackHead}; the zeros stand for no source header and no headers
 * IdLength   --&gt; uint8 bytes of Id
 * Id         --&gt; the key's name in UTF-8
 * Mark       --&gt; 8 bytes of the key, see {@link EncryptionKey#mark}
 * Salt       --&gt; 16 random bytes, the same for all packs that a process writes to a partition
 * Number     --&gt; uint64, another one for each of these packs
 * Cipher     --&gt; AES-256-GCM (NIST SP 800-38D) of HeadLength, Payload as it was; then 16 bytes Tag
 * HeadLength --&gt; uint32 of the pack as it was
 * </pre>
 *
 * <p>The cipher's key is HKDF-SHA-256 (RFC 5869) of the key, with Salt and the text {@code wexrun
 * pack}; its nonce is four zero bytes and Number; its associated data are the bytes of the pack's
 * header behind the checksum. For one thread at a time.
 */
final class PackCipher {
  /** The bit of a pack's flags that says that it is encrypted. */
  static final int FLAG = 1;

  private static final byte[] INFO = "wexrun pack".getBytes(StandardCharsets.US_ASCII);
  private static final int SALT = 16;
  private static final int TAG = 16;
  private static final int NONCE = 12;
  private static final int CHECKED = 8;
  private static final int MOST_KNOWN = 64;

  /**
   * So much is given to the cipher at once: it is quick when its methods are compiled, and they are
   * when they have been called often.
   */
  private static final int SLICE = 1024;

  private final Keys keys;
  private final Optional<EncryptionKey> key;
  private final byte[] salt = new byte[SALT];
  private final Optional<SecretKeySpec> derived;
  private long number;

  /** Keys derived for reading, by key and salt; the oldest go. */
  private final Map<String, SecretKeySpec> known =
      new LinkedHashMap<>() {
        @Override
        protected boolean removeEldestEntry(Map.Entry<String, SecretKeySpec> eldest) {
          return size() > MOST_KNOWN;
        }
      };

  /**
   * @param keys for what is read
   * @param key for what is written; empty if it is not encrypted
   */
  PackCipher(Keys keys, Optional<EncryptionKey> key) {
    this.keys = keys;
    this.key = key;
    new SecureRandom().nextBytes(salt);
    this.derived = key.map(k -> derived(k, salt));
  }

  /** A pack and its bytes. */
  record Bytes(Pack pack, byte[] data, int length) {}

  /** What is written for a pack, whose bytes begin {@code data}. */
  Bytes written(Pack pack, byte[] data) {
    if (key.isEmpty()) {
      return new Bytes(pack, data, pack.bytes());
    }
    byte[] producer = pack.producer(data, 0).getBytes(StandardCharsets.UTF_8);
    byte[] id = key.get().id().getBytes(StandardCharsets.UTF_8);
    ByteArrayOutputStream head = new ByteArrayOutputStream();
    Varints.write(producer.length, head);
    head.writeBytes(producer);
    head.write(0);
    head.write(0);
    int plain = 4 + pack.length();
    int front = head.size() + 1 + id.length + EncryptionKey.MARK_BYTES + SALT + 8;
    Pack outer = pack.with(FLAG, front + plain + TAG, head.size());
    byte[] out = new byte[outer.bytes()];
    ByteBuffer to = ByteBuffer.wrap(out);
    outer.writeFields(out);
    to.position(Pack.HEADER);
    to.put(head.toByteArray()).put((byte) id.length).put(id).put(key.get().mark());
    to.put(salt).putLong(number);
    try {
      Cipher cipher = cipher(Cipher.ENCRYPT_MODE, derived.get(), number, out);
      number++;
      byte[] length = ByteBuffer.allocate(4).putInt(pack.headLength()).array();
      int at = to.position() + cipher.update(length, 0, 4, out, to.position());
      int from = Pack.HEADER;
      for (; from + SLICE < pack.bytes(); from += SLICE) {
        at += cipher.update(data, from, SLICE, out, at);
      }
      cipher.doFinal(data, from, pack.bytes() - from, out, at);
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e);
    }
    outer.write(out);
    return new Bytes(outer, out, out.length);
  }

  /**
   * Whole packs as they were before they were encrypted; those that are damaged, or were not
   * encrypted, as they are.
   *
   * @param where for messages
   */
  Bytes read(byte[] data, int length, String where) {
    boolean any = false;
    for (int at = 0; at < length && !any; ) {
      Optional<Pack> pack = Pack.read(data, at, length - at);
      any = pack.isPresent() && pack.get().encrypted();
      at += pack.map(Pack::bytes).orElse(length);
    }
    if (!any) {
      return new Bytes(null, data, length);
    }
    ByteArrayOutputStream out = new ByteArrayOutputStream(length);
    for (int at = 0; at < length; ) {
      Optional<Pack> pack = Pack.read(data, at, length - at);
      int bytes = pack.map(Pack::bytes).orElse(length - at);
      if (pack.isPresent() && pack.get().encrypted() && pack.get().whole(data, at)) {
        out.writeBytes(plain(pack.get(), data, at, where));
      } else {
        out.write(data, at, bytes);
      }
      at += bytes;
    }
    return new Bytes(null, out.toByteArray(), out.size());
  }

  private byte[] plain(Pack outer, byte[] data, int at, String where) {
    String what = where + ", the pack at position " + outer.baseOffset() + ",";
    ByteBuffer in = ByteBuffer.wrap(data, at, outer.bytes());
    in.position(at + Pack.HEADER + outer.headLength());
    byte[] id = bytes(in, in.get() & 0xFF);
    byte[] mark = bytes(in, EncryptionKey.MARK_BYTES);
    byte[] its = bytes(in, SALT);
    long counter = in.getLong();
    EncryptionKey found = keys.of(new String(id, StandardCharsets.UTF_8), mark, what);
    SecretKeySpec own =
        known.computeIfAbsent(found.id() + " " + Arrays.toString(its), k -> derived(found, its));
    try {
      byte[] header = Arrays.copyOfRange(data, at, at + Pack.HEADER);
      Cipher cipher = cipher(Cipher.DECRYPT_MODE, own, counter, header);
      byte[] plain = cipher.doFinal(data, in.position(), in.remaining());
      Pack inner = outer.with(0, plain.length - 4, ByteBuffer.wrap(plain).getInt());
      byte[] out = new byte[inner.bytes()];
      System.arraycopy(plain, 4, out, Pack.HEADER, inner.length());
      inner.write(out);
      return out;
    } catch (GeneralSecurityException e) {
      throw OutsideException.lasting(
          what + " was changed: what is encrypted in it cannot be read. Nothing was taken from it");
    }
  }

  private static byte[] bytes(ByteBuffer in, int count) {
    byte[] bytes = new byte[count];
    in.get(bytes);
    return bytes;
  }

  private static Cipher cipher(int mode, SecretKeySpec key, long number, byte[] header)
      throws GeneralSecurityException {
    Cipher cipher = Cipher.getInstance("AES/GCM/NoPadding");
    byte[] nonce = ByteBuffer.allocate(NONCE).putInt(0).putLong(number).array();
    cipher.init(mode, key, new GCMParameterSpec(TAG * 8, nonce));
    cipher.updateAAD(header, CHECKED, Pack.HEADER - CHECKED);
    return cipher;
  }

  private static SecretKeySpec derived(EncryptionKey key, byte[] salt) {
    try {
      byte[] bytes = Hkdf.computeHkdf("HMACSHA256", key.secret(), salt, INFO, 32);
      return new SecretKeySpec(bytes, "AES");
    } catch (GeneralSecurityException e) {
      throw new IllegalStateException(e); // Every Java has it.
    }
  }
}
