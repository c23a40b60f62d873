package io.wexrun.core.field;

import java.time.Instant;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.time.zone.ZoneRules;

/** The zone of local times. In an hour that a clock change repeats, the earlier offset is meant. */
public final class Zone {
  private final ZoneRules rules;
  private final boolean fixed;
  private final long fixedOffset;

  public Zone(ZoneId id) {
    rules = id.getRules();
    fixed = rules.isFixedOffset();
    fixedOffset = fixed ? rules.getOffset(Instant.EPOCH).getTotalSeconds() : 0;
  }

  /** The offset in seconds at a local time, given as seconds since 1970-01-01T00:00:00 there. */
  public long offset(long local) {
    if (fixed) {
      return fixedOffset;
    }
    LocalDateTime time = LocalDateTime.ofEpochSecond(local, 0, ZoneOffset.UTC);
    return rules.getOffset(time).getTotalSeconds();
  }

  /** The instant of a local time, in microseconds since 1970-01-01T00:00:00Z. */
  long instant(LocalDateTime local) {
    long seconds = local.toEpochSecond(ZoneOffset.UTC);
    return (seconds - offset(seconds)) * 1_000_000 + local.getNano() / 1000;
  }
}
