package io.wexrun.network.door;

import java.net.InetAddress;
import java.net.InetSocketAddress;
import java.net.UnknownHostException;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * An address to listen at.
 *
 * <pre>{@code
 * Address --> (Host ":")? Port        Host --> name | IPv4 | "[" IPv6 "]" | "*"
 * }</pre>
 *
 * @param host {@code *} for all of the machine's addresses; the loopback address if none is written
 * @param port 0 to 65535; 0 for one that the system chooses
 */
public record Address(String host, int port) {
  private static final Pattern FORM =
      Pattern.compile("(?:(\\[[0-9A-Fa-f:.]+]|[A-Za-z0-9._-]+|\\*):)?([0-9]{1,5})");
  private static final String LOOPBACK = "127.0.0.1";
  private static final int MOST = 65_535;

  /** Reads an address; empty if it is none. */
  public static Optional<Address> read(String written) {
    Matcher matcher = FORM.matcher(written);
    if (!matcher.matches() || Integer.parseInt(matcher.group(2)) > MOST) {
      return Optional.empty();
    }
    String host = matcher.group(1) == null ? LOOPBACK : matcher.group(1);
    return Optional.of(new Address(host, Integer.parseInt(matcher.group(2))));
  }

  /** Whether only programs of this machine reach it. A name that cannot be resolved is not. */
  public boolean isLoopback() {
    if (host.equals("*")) {
      return false;
    }
    try {
      return InetAddress.getByName(host).isLoopbackAddress();
    } catch (UnknownHostException e) {
      return false;
    }
  }

  InetSocketAddress socket() {
    return host.equals("*") ? new InetSocketAddress(port) : new InetSocketAddress(host, port);
  }

  @Override
  public String toString() {
    return host + ":" + port;
  }
}
