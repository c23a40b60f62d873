package io.wexrun.network.access;

import io.wexrun.core.diagnose.OutsideException;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.NoSuchFileException;
import java.nio.file.Path;
import java.nio.file.StandardCopyOption;
import java.nio.file.attribute.PosixFilePermissions;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.security.SecureRandom;
import java.time.DateTimeException;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Base64;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

/**
 * The tokens of a workspace, in a file that only its owner may read. A secret has 256 random bits,
 * so a plain digest of it cannot be turned back. What another process changes counts within a
 * second. For several threads.
 */
public final class Tokens {
  private static final JsonMapper JSON = new JsonMapper();
  private static final long LOOK = 1_000_000_000L;
  private static final int SECRET_BYTES = 32;
  private static final String PREFIX = "wxr_";

  private final Path file;
  private Map<String, Token> byDigest = Map.of();
  private final Map<String, Rate> rates = new LinkedHashMap<>();
  private String stamp = "";

  /** Why the file cannot be read; null if it can. */
  private OutsideException damage;

  private long lookedAt = System.nanoTime() - LOOK;

  /** A token that was made, with the secret that is shown only now. */
  public record Made(Token token, String secret) {}

  /**
   * The tokens of a workspace.
   *
   * @param data the folder of its state
   */
  public Tokens(Path data) {
    this.file = data.resolve("tokens.json");
  }

  /** All of them, in the order in which they were made. */
  public synchronized List<Token> all() {
    refresh(true);
    return List.copyOf(byDigest.values());
  }

  /** The token that a secret is of; empty if there is none. */
  public synchronized Optional<Token> of(String secret) {
    refresh(false);
    // A digest tells nothing of the secret, so it need not be compared in constant time.
    return Optional.ofNullable(byDigest.get(digest(secret)));
  }

  /**
   * Whether a token's holder may append so many records now, which then count.
   *
   * @return after how many seconds it may try again; 0 if it may
   */
  public synchronized int wait(Token token, int records) {
    if (token.rate() == 0) {
      return 0;
    }
    Rate rate = rates.computeIfAbsent(token.digest(), d -> new Rate(token.rate()));
    return rate.wait(records, System.nanoTime());
  }

  /**
   * Makes a token.
   *
   * @param append the queues that may be appended to
   * @param figures whether the figures of a run may be read
   * @throws OutsideException if there is one of the name, or the file cannot be written
   */
  public synchronized Made add(
      String name, List<String> append, boolean figures, long rate, long most) {
    refresh(true);
    if (byDigest.values().stream().anyMatch(token -> token.name().equals(name))) {
      throw new OutsideException(
          "there is a token '" + name + "' already: revoke it, or take another name");
    }
    byte[] random = new byte[SECRET_BYTES];
    new SecureRandom().nextBytes(random);
    String secret = PREFIX + Base64.getUrlEncoder().withoutPadding().encodeToString(random);
    Instant now = Instant.now().truncatedTo(ChronoUnit.SECONDS);
    Token token = new Token(name, digest(secret), append, figures, rate, most, now);
    List<Token> tokens = new ArrayList<>(byDigest.values());
    tokens.add(token);
    write(tokens);
    return new Made(token, secret);
  }

  /**
   * Revokes a token.
   *
   * @return false if there is none of the name
   */
  public synchronized boolean revoke(String name) {
    refresh(true);
    List<Token> tokens = new ArrayList<>(byDigest.values());
    boolean there = tokens.removeIf(token -> token.name().equals(name));
    if (there) {
      write(tokens);
    }
    return there;
  }

  private static String digest(String secret) {
    try {
      MessageDigest sha = MessageDigest.getInstance("SHA-256");
      return HexFormat.of().formatHex(sha.digest(secret.getBytes(StandardCharsets.UTF_8)));
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java has SHA-256", e);
    }
  }

  private void refresh(boolean now) {
    if (!now && System.nanoTime() - lookedAt < LOOK) {
      if (damage != null) {
        throw damage;
      }
      return;
    }
    lookedAt = System.nanoTime();
    try {
      look();
      damage = null;
    } catch (OutsideException e) {
      damage = e;
      throw e;
    }
  }

  private void look() {
    try {
      String seen = Files.getLastModifiedTime(file) + " " + Files.size(file);
      if (!seen.equals(stamp)) {
        byDigest = read();
        stamp = seen;
      }
    } catch (NoSuchFileException e) {
      byDigest = Map.of();
      stamp = "";
    } catch (IOException e) {
      throw new OutsideException("cannot read " + file + ": " + e.getMessage(), e);
    }
  }

  private Map<String, Token> read() throws IOException {
    Map<String, Token> tokens = new LinkedHashMap<>();
    try {
      for (JsonNode node : JSON.readTree(Files.readAllBytes(file)).path("tokens")) {
        List<String> append = new ArrayList<>();
        node.path("append").forEach(queue -> append.add(queue.asString()));
        Token token =
            new Token(
                node.path("name").asString(),
                node.path("digest").asString(),
                append,
                node.path("figures").asBoolean(false),
                node.path("rate").asLong(0),
                node.path("most").asLong(0),
                Instant.parse(node.path("made").asString()));
        tokens.put(token.digest(), token);
      }
    } catch (JacksonException e) {
      throw damaged("it is not JSON", e);
    } catch (DateTimeException e) {
      throw damaged(e.getMessage(), e);
    }
    return tokens;
  }

  private OutsideException damaged(String why, Exception e) {
    String then = "); put a copy of it back, or delete it and make the tokens anew";
    return new OutsideException(file + " is damaged (" + why + then, e);
  }

  private void write(List<Token> tokens) {
    List<Map<String, Object>> all = new ArrayList<>();
    for (Token token : tokens) {
      Map<String, Object> one = new LinkedHashMap<>();
      one.put("name", token.name());
      one.put("digest", token.digest());
      one.put("append", token.append());
      one.put("figures", token.figures());
      one.put("rate", token.rate());
      one.put("most", token.most());
      one.put("made", token.made().toString());
      all.add(one);
    }
    Path next = file.resolveSibling("tokens.json.new");
    try {
      Files.createDirectories(file.getParent());
      Files.deleteIfExists(next);
      if (Files.getFileStore(file.getParent()).supportsFileAttributeView("posix")) {
        Files.createFile(
            next,
            PosixFilePermissions.asFileAttribute(PosixFilePermissions.fromString("rw-------")));
      }
      Files.write(next, JSON.writeValueAsBytes(Map.of("tokens", all)));
      Files.move(next, file, StandardCopyOption.ATOMIC_MOVE, StandardCopyOption.REPLACE_EXISTING);
    } catch (IOException e) {
      throw new OutsideException("cannot write " + file + ": " + e.getMessage(), e);
    }
    refresh(true);
  }
}
