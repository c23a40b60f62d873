package io.wexrun.network.http;

import io.netty.handler.codec.http.HttpHeaders;
import java.util.Map;
import java.util.Optional;

/**
 * A request that has come whole.
 *
 * @param path without its query
 * @param values of the path, by the names in the route
 * @param headers as they came
 * @param body as it came, perhaps compressed; nobody changes it
 * @param peer who sent it
 */
public record Request(
    String path, Map<String, String> values, HttpHeaders headers, byte[] body, String peer) {
  /** A header field; empty if it did not come. */
  public Optional<String> header(String name) {
    return Optional.ofNullable(headers.get(name));
  }
}
