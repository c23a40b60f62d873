package io.wexrun.network.http;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.network.access.Token;
import io.wexrun.network.access.Tokens;
import java.util.Locale;
import java.util.Optional;
import java.util.Set;
import java.util.function.Consumer;

/** Lets those in who may append to a queue. For several threads. */
public final class Guard {
  private static final String BEARER = "bearer ";

  private final Optional<Tokens> tokens;
  private final String queue;
  private final Consumer<String> notices;
  private final Set<String> origins;
  private volatile String told = "";

  /**
   * A guard of a queue.
   *
   * @param tokens those of which one is needed; empty if none is
   * @param notices is told when they cannot be read
   * @param origins of other sites whose pages may send something
   */
  Guard(Optional<Tokens> tokens, String queue, Consumer<String> notices, Set<String> origins) {
    this.origins = Set.copyOf(origins);
    this.tokens = tokens;
    this.queue = queue;
    this.notices = notices;
  }

  /** The origins of other sites whose pages may send something. */
  public Set<String> origins() {
    return origins;
  }

  private Optional<Token> token(Request request) {
    Optional<String> written = request.header("authorization");
    boolean bearer = written.filter(w -> w.toLowerCase(Locale.ROOT).startsWith(BEARER)).isPresent();
    return bearer
        ? tokens.orElseThrow().of(written.get().substring(BEARER.length()).strip())
        : Optional.empty();
  }

  /**
   * The answer to who may not send this; empty for who may.
   *
   * @param length of the body, as far as that is known: packed before it has come, and then
   *     unpacked
   */
  public Optional<Answer> refuse(Request request, long length) {
    if (tokens.isEmpty()) {
      return Optional.empty();
    }
    Optional<Token> token;
    try {
      token = token(request);
    } catch (OutsideException e) {
      return Optional.of(closed(e.getMessage()));
    }
    if (token.isEmpty()) {
      boolean given = request.header("authorization").isPresent();
      return Optional.of(
          Answer.problem(
                  Answer.UNKNOWN,
                  given
                      ? "the token is not known: it was revoked, or is of another workspace"
                      : "send one as Authorization: Bearer TOKEN")
              .with("www-authenticate", given ? "Bearer error=\"invalid_token\"" : "Bearer"));
    }
    if (!token.get().mayAppend(queue)) {
      return Optional.of(
          Answer.problem(
              Answer.FORBIDDEN, token.get().name() + " may not append to queue " + queue));
    }
    if (token.get().most() > 0 && length > token.get().most()) {
      return Optional.of(
          Answer.problem(
              Answer.TOO_LARGE,
              "a request with the token of "
                  + token.get().name()
                  + " has at most "
                  + token.get().most()
                  + " bytes: send several"));
    }
    return Optional.empty();
  }

  /** The answer to who sent what could not be stored; why is told to who runs the door alone. */
  public Answer notStored(Throwable why) {
    String text = String.valueOf(why.getMessage());
    if (!text.equals(told)) {
      told = text;
      notices.accept(text);
    }
    return Answer.problem(Answer.UNAVAILABLE, "it cannot be stored now: send it again later")
        .with("retry-after", "5");
  }

  /** Nobody comes in while nobody knows who may; the sender need not know why that is. */
  private Answer closed(String why) {
    if (!why.equals(told)) {
      told = why;
      notices.accept(why + "; nobody is let in meanwhile");
    }
    return Answer.problem(Answer.UNAVAILABLE, "the tokens cannot be read: send it again later")
        .with("retry-after", "5");
  }

  /** The answer to who has sent too much; empty for who may send so many records, which count. */
  public Optional<Answer> count(Request request, int records) {
    Optional<Token> token = tokens.isEmpty() ? Optional.empty() : token(request);
    int wait = token.map(t -> tokens.orElseThrow().wait(t, records)).orElse(0);
    return wait == 0
        ? Optional.empty()
        : Optional.of(
            Exchange.tooMuch(
                    "more than the " + token.get().rate() + " records a second of this token")
                .with("retry-after", "" + wait));
  }
}
