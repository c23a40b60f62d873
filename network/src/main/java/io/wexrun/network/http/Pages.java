package io.wexrun.network.http;

import io.wexrun.network.access.Token;
import io.wexrun.network.access.Tokens;
import io.wexrun.network.door.Address;
import io.wexrun.network.door.Doors;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.CompletableFuture;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.function.Supplier;

/**
 * Answers GET at some paths. Where a token is wanted, it must be one whose holder may read figures.
 * For several threads.
 */
public final class Pages implements AutoCloseable {
  private static final String BEARER = "bearer ";

  private final Doors doors = Doors.own();
  private final HttpServer server;
  private final Optional<Tokens> tokens;
  private final ExecutorService thread =
      Executors.newSingleThreadExecutor(
          work -> {
            Thread made = new Thread(work, "wexrun-pages");
            made.setDaemon(true);
            return made;
          });

  /**
   * A page.
   *
   * @param open whether anybody may read it who reaches the address
   * @param answer gives it as it is now
   */
  public record Page(boolean open, Supplier<Answer> answer) {}

  /**
   * Begins to listen.
   *
   * @param tokens those that must be shown for pages that are not open; empty if none need be
   * @param pages by their paths
   * @throws io.wexrun.core.diagnose.OutsideException if the address cannot be listened at
   */
  public Pages(Address address, Optional<Tokens> tokens, Map<String, Page> pages) {
    this.tokens = tokens;
    this.server = new HttpServer(doors, address, Optional.empty());
    pages.forEach((path, page) -> server.add(route(path, page)));
  }

  /** The port that it listens at. */
  public int port() {
    return server.port();
  }

  private Route route(String path, Page page) {
    return new Route(
        "GET",
        path,
        new Route.Taker() {
          @Override
          public Optional<Answer> refuse(Request head, Optional<Long> length) {
            return page.open() ? Optional.empty() : refused(head);
          }

          @Override
          public CompletableFuture<Answer> take(Request request) {
            return CompletableFuture.supplyAsync(page.answer(), thread);
          }

          @Override
          public int most() {
            return 0;
          }
        });
  }

  private Optional<Answer> refused(Request head) {
    if (tokens.isEmpty()) {
      return Optional.empty();
    }
    String shown = head.header("authorization").orElse("");
    Optional<Token> token =
        shown.toLowerCase(Locale.ROOT).startsWith(BEARER)
            ? tokens.get().of(shown.substring(BEARER.length()).strip())
            : Optional.empty();
    if (token.isEmpty()) {
      return Optional.of(
          Answer.problem(Answer.UNKNOWN, "send it with Authorization: Bearer SECRET")
              .with("www-authenticate", "Bearer"));
    }
    return token.get().figures()
        ? Optional.empty()
        : Optional.of(Answer.problem(Answer.FORBIDDEN, "this token does not read figures"));
  }

  /** Listens no more. */
  @Override
  public void close() {
    server.close();
    doors.close();
    thread.shutdownNow();
  }
}
