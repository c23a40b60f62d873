package io.wexrun.core.framing;

import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import java.util.Optional;

/**
 * Records of which the first ones are none, such as a line with the names of columns.
 *
 * @param count how many; at least 1
 */
public record Headed(int count, Framing inner) implements Framing {
  private static final String NAME = "headed ";

  /** The framing that a {@link #form} names; empty if it names none of these. */
  static Optional<Framing> named(String form) {
    int end = form.indexOf(' ', NAME.length());
    if (!form.startsWith(NAME) || end < 0) {
      return Optional.empty();
    }
    int count = Integer.parseInt(form.substring(NAME.length(), end));
    return Framings.named(form.substring(end + 1)).map(inner -> new Headed(count, inner));
  }

  @Override
  public String form() {
    return NAME + count + " " + inner.form();
  }

  @Override
  public int end(byte[] data, int known, int length) {
    return inner.end(data, known, length);
  }

  @Override
  public Records cut(Block block) {
    Records records = inner.cut(block);
    return records.count() > count
        ? records.since(records.position(count))
        : records.before(block.first());
  }
}
