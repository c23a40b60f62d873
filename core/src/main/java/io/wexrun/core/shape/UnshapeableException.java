package io.wexrun.core.shape;

import io.wexrun.core.intake.Block;
import java.util.List;

/**
 * A block cannot be shaped as one: a step fails, or it makes too much of it. Its parts can be
 * shaped one after the other; a part of a single record always can, since then the record dies of
 * it.
 */
public final class UnshapeableException extends RuntimeException {
  private static final long serialVersionUID = 1;

  private final transient List<Block> parts;

  UnshapeableException(List<Block> parts, Throwable cause) {
    super(cause.getMessage(), cause);
    this.parts = parts;
  }

  /** The block in two, in order. */
  public List<Block> parts() {
    return parts;
  }
}
