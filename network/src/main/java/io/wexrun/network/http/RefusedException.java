package io.wexrun.network.http;

/** A request is not taken; the sender is told why. */
public final class RefusedException extends Exception {
  private final transient Answer answer;

  /** A request that is answered so. */
  public RefusedException(Answer answer) {
    super("refused with " + answer.status(), null, false, false);
    this.answer = answer;
  }

  /** What the sender is told. */
  public Answer answer() {
    return answer;
  }
}
