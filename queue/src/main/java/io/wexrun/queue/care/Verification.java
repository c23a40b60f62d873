package io.wexrun.queue.care;

import java.util.List;

/**
 * What a reading of every byte of a queue found.
 *
 * @param files how many files were read
 * @param packs how many whole packs they hold
 * @param records how many records those hold
 * @param bytes how many bytes were read
 * @param lost how many positions no record has since an earlier repair
 * @param faults what is wrong, in the order of partitions and places; none if all is well
 */
public record Verification(
    int files, long packs, long records, long bytes, long lost, List<Fault> faults) {
  /** Copies the faults. */
  public Verification {
    faults = List.copyOf(faults);
  }

  /**
   * Something that is wrong.
   *
   * @param file from the queue's folder on
   * @param place the byte in the file, from 0
   * @param position the position that the next record should have there
   * @param what what is wrong
   * @param torn whether it is only the unfinished end of the last file, which opening the queue
   *     cuts
   */
  public record Fault(String file, long place, long position, String what, boolean torn) {
    @Override
    public String toString() {
      return file + ", byte " + place + " (position " + position + "): " + what;
    }
  }

  /** Whether all is well, but for an unfinished end that opening the queue cuts. */
  public boolean whole() {
    return faults.stream().allMatch(Fault::torn);
  }
}
