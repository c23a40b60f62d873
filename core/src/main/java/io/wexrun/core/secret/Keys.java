package io.wexrun.core.secret;

import io.wexrun.core.diagnose.OutsideException;
import java.util.Arrays;
import java.util.Map;
import java.util.Set;

/** The keys of a workspace, each read when it is asked for. For several threads. */
public interface Keys {
  /** No keys. */
  Keys NONE = of(Map.of());

  /** Keys that are there already, by their ids. */
  static Keys of(Map<String, EncryptionKey> all) {
    return new Keys() {
      @Override
      public Set<String> ids() {
        return all.keySet();
      }

      @Override
      public EncryptionKey key(String id) {
        EncryptionKey key = all.get(id);
        if (key == null) {
          throw OutsideException.lasting(
              "there is no key '" + id + "': add it to 'keys' in wexrun.yaml");
        }
        return key;
      }
    };
  }

  /** The names of all that are defined. */
  Set<String> ids();

  /**
   * A key.
   *
   * @param id its name
   * @throws OutsideException if there is none of that name, or its file or variable does not hold
   *     one
   */
  EncryptionKey key(String id);

  /**
   * The key that something was encrypted with.
   *
   * @param id as its header says
   * @param mark as its header says
   * @param what it is, for messages
   * @throws OutsideException if it is not there, or has another secret now
   */
  default EncryptionKey of(String id, byte[] mark, String what) {
    EncryptionKey key;
    try {
      key = key(id);
    } catch (OutsideException e) {
      throw OutsideException.lasting(
          what + " is encrypted with key '" + id + "': " + e.getMessage());
    }
    if (!Arrays.equals(key.mark(), mark)) {
      throw OutsideException.lasting(
          what
              + " is encrypted with another secret than key '"
              + id
              + "' has now. A new secret needs a new name; put the old one back under '"
              + id
              + "'");
    }
    return key;
  }
}
