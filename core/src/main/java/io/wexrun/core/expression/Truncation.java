package io.wexrun.core.expression;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Type;
import java.time.DateTimeException;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneId;

/**
 * {@code truncate} to a constant unit in a constant zone. Rows of a log mostly follow each other in
 * time, so that one looks into the calendar only when a span of time ends for which it is known.
 */
record Truncation(Node operand, String unit, ZoneId zone) implements Node {
  /** As far ahead it is tried whether the same unit of time goes on. */
  private static final long[] AHEAD = {
    micros(Duration.ofHours(6)),
    micros(Duration.ofMinutes(30)),
    micros(Duration.ofMinutes(2)),
    micros(Duration.ofSeconds(5)),
  };

  private static final int SPANS = 8;

  private static long micros(Duration duration) {
    return duration.toNanos() / 1000;
  }

  /**
   * Truncates what an operand gives.
   *
   * @throws IllegalArgumentException if there is no such unit or zone
   */
  static Node of(Node operand, String unit, String zone) {
    ZoneId there = Functions.zone(zone);
    Functions.truncate(Instant.EPOCH, unit, there);
    return new Truncation(operand, unit, there);
  }

  @Override
  public Type type() {
    return Type.Scalar.TIMESTAMP;
  }

  @Override
  public Evaluated evaluate(Batch batch) {
    Evaluated times = operand.evaluate(batch);
    LongVector from = (LongVector) times.values();
    Spans spans = new Spans();
    LongVector begins = new LongVector(batch.rows());
    String[] failures = times.failures();
    for (int row = 0; row < batch.rows(); row++) {
      if (from.absent(row)) {
        begins.appendAbsent();
        continue;
      }
      try {
        begins.append(spans.begin(from.get(row)));
      } catch (ArithmeticException | DateTimeException e) {
        failures = failures == null ? new String[batch.rows()] : failures.clone();
        failures[row] = "truncate: " + e.getMessage();
        begins.appendAbsent();
      }
    }
    return new Evaluated(begins, failures);
  }

  private long begin(long micros) {
    return Instants.micros(Functions.truncate(Instants.instant(micros), unit, zone));
  }

  /**
   * Spans of time with the beginning of their unit. A later time never has an earlier beginning, so
   * that what holds for two times holds for all between them.
   */
  private final class Spans {
    private final long[] first = new long[SPANS];
    private final long[] last = new long[SPANS];
    private final long[] begin = new long[SPANS];
    private int known;
    private int next;
    private int at;

    long begin(long micros) {
      if (known > 0 && micros >= first[at] && micros <= last[at]) {
        return begin[at];
      }
      for (int i = 0; i < known; i++) {
        if (micros >= first[i] && micros <= last[i]) {
          at = i;
          return begin[i];
        }
      }
      return look(micros);
    }

    private long look(long micros) {
      long found = Truncation.this.begin(micros);
      at = next;
      next = (next + 1) % SPANS;
      known = Math.max(known, at + 1);
      begin[at] = found;
      first[at] = found <= micros && Truncation.this.begin(found) == found ? found : micros;
      last[at] = micros;
      for (long ahead : AHEAD) {
        boolean far = micros > Long.MAX_VALUE / 2;
        if (!far && Truncation.this.begin(micros + ahead) == found) {
          last[at] = micros + ahead;
          break;
        }
      }
      return found;
    }
  }
}
