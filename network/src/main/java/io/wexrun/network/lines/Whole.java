package io.wexrun.network.lines;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import java.util.BitSet;

/** All that came together is one record, without line ends behind it. */
final class Whole implements Framing {
  static final Framing FRAMING = new Whole();

  private Whole() {}

  @Override
  public Records cut(Block block) {
    byte[] data = block.data();
    int end = block.length();
    while (end > 0 && (data[end - 1] == '\n' || data[end - 1] == '\r' || data[end - 1] == 0)) {
      end--;
    }
    int count = end > 0 ? 1 : 0;
    return Records.numbered(data, new int[] {0}, new int[] {end}, count, 0, new BitSet());
  }
}
