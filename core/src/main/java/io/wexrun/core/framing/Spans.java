package io.wexrun.core.framing;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import java.util.Arrays;

/** Where the records of a block stand, as they are found one after the other. */
final class Spans {
  private final Block block;
  private int[] starts;
  private int[] ends;
  private int count;

  Spans(Block block) {
    this.block = block;
    starts = new int[block.length() / 64 + 16];
    ends = new int[starts.length];
  }

  void add(int start, int end) {
    if (count == starts.length) {
      starts = Arrays.copyOf(starts, count * 2);
      ends = Arrays.copyOf(ends, count * 2);
    }
    starts[count] = start;
    ends[count++] = end;
  }

  Records records() {
    return Records.atBytes(block.data(), starts, ends, count, block.first(), null);
  }
}
