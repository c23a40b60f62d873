package io.wexrun.files;

import io.wexrun.core.schema.Instants;
import java.nio.file.attribute.FileTime;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.stream.Collectors;
import java.util.stream.Stream;

/**
 * By when the bytes of a file had been written: by the time that the file had when they were seen
 * in it first. Kept with the file's mark, because that time goes on when the file grows; what was
 * seen within a month of what was seen before it is not kept apart, and only the last parts are.
 *
 * <pre>{@code
 * Dating --> Bytes, "@", Microseconds, {",", Bytes, "@", Microseconds}
 * }</pre>
 */
record Dating(List<Part> parts) {
  static final Dating NONE = new Dating(List.of());

  private static final long MONTH = Duration.ofDays(30).toMillis() * 1000;
  private static final int MOST_PARTS = 12;

  /**
   * A part of a file, which begins where the one before ends.
   *
   * @param end how far it goes, in bytes
   * @param time by when it had been written, in microseconds since 1970-01-01T00:00:00Z
   */
  record Part(long end, long time) {
    @Override
    public String toString() {
      return end + "@" + time;
    }
  }

  /** Reads what {@link #toString} wrote; nothing from null. */
  static Dating of(String text) {
    return text == null
        ? NONE
        : new Dating(
            Stream.of(text.split(","))
                .map(part -> part.split("@"))
                .map(p -> new Part(Long.parseLong(p[0]), Long.parseLong(p[1])))
                .toList());
  }

  boolean isEmpty() {
    return parts.isEmpty();
  }

  /**
   * What is known after a look.
   *
   * @param size how long the file is
   * @param modified its time
   */
  Dating seen(long size, FileTime modified) {
    long now = Instants.micros(modified.toInstant());
    Part last = parts.isEmpty() ? new Part(0, 0) : parts.get(parts.size() - 1);
    if (size <= last.end() || now < last.time() + MONTH) {
      return this;
    }
    List<Part> more = new ArrayList<>(parts);
    more.add(new Part(size, now));
    return new Dating(
        List.copyOf(more.subList(Math.max(0, more.size() - MOST_PARTS), more.size())));
  }

  /** Where the part ends that a place is in; past the last one, nowhere. */
  long end(long place) {
    return parts.stream()
        .mapToLong(Part::end)
        .filter(end -> end > place)
        .findFirst()
        .orElse(NOWHERE);
  }

  /** Stands for no end. */
  static final long NOWHERE = Long.MAX_VALUE;

  /** By when the bytes before a place had been written; 0 if they were not seen by then. */
  long before(long place) {
    return parts.stream().filter(p -> p.end() >= place).mapToLong(Part::time).findFirst().orElse(0);
  }

  @Override
  public String toString() {
    return parts.stream().map(Part::toString).collect(Collectors.joining(","));
  }
}
