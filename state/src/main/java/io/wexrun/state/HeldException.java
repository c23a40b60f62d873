package io.wexrun.state;

import io.wexrun.core.diagnose.OutsideException;

/** Another process holds what was to be held; the message names it. */
public final class HeldException extends OutsideException {
  private static final long serialVersionUID = 1;

  HeldException(String message) {
    super(message);
  }
}
