package io.wexrun.network.door;

import tools.jackson.core.JacksonException;

/** Why a text is not JSON, in words for whoever sent it. */
public final class JsonMistake {
  private JsonMistake() {}

  /** What the library says, in one line and without what it says of itself. */
  public static String of(JacksonException e) {
    String said = String.valueOf(e.getOriginalMessage());
    return said.replaceAll("(?s) ?\\(start marker at .*?\\]\\)", "")
        .replaceAll("(?s)\\s*at \\[Source: .*", "")
        .strip();
  }
}
