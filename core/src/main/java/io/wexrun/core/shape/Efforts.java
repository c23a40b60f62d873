package io.wexrun.core.shape;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.step.Rejects;
import java.util.LinkedHashMap;
import java.util.Map;

/** Measures what each place does with one block. For one thread. */
final class Efforts {
  private final Map<String, Effort> byPlace = new LinkedHashMap<>();
  private long begun = System.nanoTime();
  private long rows;
  private long rejected;
  private long defaulted;

  /** From now on it is measured what a place does with a batch. */
  void begin(Batch batch, Rejects rejects) {
    begun = System.nanoTime();
    rejected = rejects.count();
    defaulted = rejects.defaults();
    rows = alive(batch, rejects);
  }

  /** A place has made another batch; the next one begins with it. */
  void end(String place, Batch made, Rejects rejects) {
    long out = alive(made, rejects);
    end(place, out, rejects);
    rows = out;
  }

  /** A place has sent rows on. */
  void end(String place, long out, Rejects rejects) {
    long now = System.nanoTime();
    long dead = rejects.count() - rejected;
    long defaults = rejects.defaults() - defaulted;
    byPlace.merge(place, new Effort(rows, out, dead, defaults, now - begun), Effort::then);
    begun = now;
    rejected += dead;
    defaulted += defaults;
  }

  /** The intake's framing has made records of the block, and has rejected some. */
  void ofRecords(Batch raw, Rejects rejects) {
    rows = raw.rows();
    end("intake", raw, rejects);
  }

  private static long alive(Batch batch, Rejects rejects) {
    if (rejects.count() == 0) {
      return batch.rows();
    }
    long alive = 0;
    for (int row = 0; row < batch.rows(); row++) {
      alive += rejects.rejected(batch.record(row)) ? 0 : 1;
    }
    return alive;
  }

  /** What each place did, in order. */
  Map<String, Effort> byPlace() {
    return byPlace;
  }
}
