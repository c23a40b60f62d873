package io.wexrun.queue;

import io.wexrun.core.intake.Records;
import java.util.Map;

/**
 * Records that came together: they go to one partition, in order.
 *
 * @param sender parcels with one number go to one partition, in order; with a negative one the
 *     partitions take turns
 * @param records their bytes; not to be changed
 * @param columns the header that they have in common, such as a line with their names; empty for
 *     none
 * @param headers what each of them came with, names to values
 * @param mark by which the parcel is known again, {@linkplain Queue#marks kept with the queue};
 *     empty for none
 */
public record Parcel(
    int sender, Records records, byte[] columns, Map<String, String> headers, String mark) {
  /** The header of a pack that has its mark. */
  static final String MARK = "mark";

  /** For how many bytes it counts while a producer holds it. */
  public long weight() {
    int count = records.count();
    return records.end(count - 1) - (long) records.start(0) + (long) count * headerBytes();
  }

  /** What each record counts for beside its bytes. */
  int headerBytes() {
    int bytes = 16;
    for (Map.Entry<String, String> header : headers.entrySet()) {
      bytes += header.getKey().length() * 3 + header.getValue().length() * 3;
    }
    return bytes;
  }

  /** Whether it is stored in a pack of its own: all of it or nothing. */
  boolean whole() {
    return columns.length > 0 || !mark.isEmpty();
  }
}
