package io.wexrun.queue.log;

import java.util.Map;

/**
 * What the records of a pack have in common.
 *
 * <pre>
 * Head         --&gt; Producer, SourceHeader, HeaderCount, Header{HeaderCount}
 * Producer     --&gt; varint length, UTF-8 text; empty for a producer without a name
 * SourceHeader --&gt; varint length, the header of the source that the records come from, such as the
 *                  line with a CSV file's names; empty for none
 * Header       --&gt; varint length, name in UTF-8, varint length, value in UTF-8
 * HeaderCount  --&gt; varint (unsigned LEB128)
 * </pre>
 *
 * @param producer its name
 * @param sourceHeader not to be changed
 * @param headers those that every record has, before its own
 */
public record PackHead(String producer, byte[] sourceHeader, Map<String, String> headers) {
  /** What names of producers begin with that mean nothing once their process has ended. */
  public static final String PASSING = "~";

  private static final byte[] NONE = {};

  /** The head of packs that have only a producer. */
  public static PackHead of(String producer) {
    return new PackHead(producer, NONE, Map.of());
  }

  /** Reads the head that begins at a place. */
  static PackHead read(byte[] data, int at) {
    Varints in = new Varints(data, at);
    return new PackHead(in.text(), in.bytes((int) in.next()), in.headers(Map.of()));
  }

  /** The producer alone. */
  static String producer(byte[] data, int at) {
    return new Varints(data, at).text();
  }
}
