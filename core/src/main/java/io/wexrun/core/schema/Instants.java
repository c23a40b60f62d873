package io.wexrun.core.schema;

import java.time.Instant;

/** Instants as the values of a timestamp column. */
public final class Instants {
  private Instants() {}

  /** Microseconds since 1970-01-01T00:00:00Z, cut below; for every year that logs have. */
  public static long micros(Instant instant) {
    return Math.addExact(
        Math.multiplyExact(instant.getEpochSecond(), 1_000_000L), instant.getNano() / 1000);
  }

  /** The instant of a timestamp column's value. */
  public static Instant instant(long micros) {
    return Instant.ofEpochSecond(
        Math.floorDiv(micros, 1_000_000L), Math.floorMod(micros, 1_000_000L) * 1000);
  }
}
