package io.wexrun.core.dead;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.FilePlace;
import io.wexrun.core.intake.Former;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Dead letters as a block, so that they are shaped again with all that they came with. For one
 * thread.
 */
public final class LetterBlock {
  private final List<DeadLetter> letters = new ArrayList<>();
  private final List<Long> positions = new ArrayList<>();
  private int bytes;

  /** Whether there is no letter in it yet. */
  public boolean isEmpty() {
    return letters.isEmpty();
  }

  /** How many bytes its records have. */
  public int bytes() {
    return bytes;
  }

  /**
   * Whether a letter can be in one block with those that are in it: it came from the same source,
   * with the same header, and each is for a whole record.
   */
  public boolean fits(DeadLetter letter) {
    if (isEmpty()) {
      return true;
    }
    DeadLetter.Original first = letters.get(0).record();
    DeadLetter.Original other = letter.record();
    return letter.life().part().isEmpty()
        && letters.get(0).life().part().isEmpty()
        && first.source().equals(other.source())
        && first.member().equals(other.member())
        && first.host().equals(other.host())
        && Arrays.equals(first.header(), other.header());
  }

  /**
   * Adds a letter that {@linkplain #fits fits}.
   *
   * @param position where it stands among the dead letters, behind those before
   */
  public void add(long position, DeadLetter letter) {
    letters.add(letter);
    positions.add(position);
    bytes += letter.record().raw().length;
  }

  /**
   * The letters as a block; there is at least one.
   *
   * @param source what is replayed, as a source partition
   * @param from where the block before ended
   * @param end behind the last letter
   */
  public Block block(SourcePartition source, long from, long end) {
    int count = letters.size();
    byte[] data = new byte[bytes];
    int[] starts = new int[count];
    int[] ends = new int[count];
    long[] places = new long[count];
    long[] taken = new long[count];
    List<Former> formers = new ArrayList<>();
    int at = 0;
    for (int i = 0; i < count; i++) {
      DeadLetter letter = letters.get(i);
      byte[] raw = letter.record().raw();
      System.arraycopy(raw, 0, data, at, raw.length);
      starts[i] = at;
      at += raw.length;
      ends[i] = at;
      places[i] = positions.get(i);
      taken[i] = letter.record().taken();
      formers.add(letter.former());
    }
    DeadLetter.Original first = letters.get(0).record();
    Records.Envelopes envelopes = new Kept(List.copyOf(letters));
    Framing framing =
        ignored ->
            Records.placed(data, starts, ends, count, places)
                .with(taken, envelopes)
                .replayed(first.source(), formers);
    FilePlace place = new FilePlace(first.member(), 0, first.host());
    return new Block(
        source, from, end, data, data.length, framing, first.header(), first.taken(), 0, place);
  }

  /** What letters came with. */
  private record Kept(List<DeadLetter> letters) implements Records.Envelopes {
    @Override
    public Optional<byte[]> key(int record) {
      return letters.get(record).record().key();
    }

    @Override
    public Map<String, String> headers(int record) {
      return letters.get(record).record().headers();
    }
  }
}
