package io.wexrun.core.framing;

import io.wexrun.core.intake.Framing;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** The framings that intakes share, by the names under which settings and channels know them. */
public final class Framings {
  private static final Map<String, Framing> NAMED = new LinkedHashMap<>();

  static {
    for (Framing framing :
        List.of(Lines.FRAMING, QuotedLines.FRAMING, Delimited.VARINT, Delimited.INT32)) {
      NAMED.put(framing.form(), framing);
    }
  }

  private static final List<String> OF_FILES = List.copyOf(NAMED.keySet());

  static {
    NAMED.put(Placed.FRAMING.form(), Placed.FRAMING);
  }

  private Framings() {}

  /** The framing with a name; empty if there is none. */
  public static Optional<Framing> named(String name) {
    return Optional.ofNullable(NAMED.get(name));
  }

  /** The names of those that files may have; {@code lines}, which needs no mention, first. */
  public static List<String> ofFiles() {
    return OF_FILES;
  }
}
