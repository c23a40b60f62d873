package io.wexrun.core.address;

import java.nio.charset.StandardCharsets;
import java.util.Optional;

/**
 * An internet address: IPv4 in dotted decimal form (RFC 3986, IPv4address), or IPv6 (RFC 4291,
 * 2.2). An IPv6 address that maps an IPv4 one ({@code ::ffff:a.b.c.d}) is that IPv4 address.
 *
 * @param v4 whether it is IPv4; then {@code high} is 0 and {@code low} holds its 32 bits
 * @param high the first 64 bits
 * @param low the last 64 bits
 */
public record Address(boolean v4, long high, long low) implements Comparable<Address> {
  private static final long MAPPED = 0xFFFFL;

  /** Reads an address; empty if the text is none. */
  public static Optional<Address> parse(String text) {
    byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
    return parse(bytes, 0, bytes.length);
  }

  /** Reads an address from text in UTF-8; empty if it is none. */
  public static Optional<Address> parse(byte[] text, int from, int to) {
    for (int at = from; at < to; at++) {
      if (text[at] == ':') {
        return sixteen(text, from, to);
      }
    }
    long four = four(text, from, to);
    return four < 0 ? Optional.empty() : Optional.of(new Address(true, 0, four));
  }

  /** The 32 bits of an IPv4 address; -1 if the text is none. */
  private static long four(byte[] text, int from, int to) {
    long bits = 0;
    int parts = 0;
    int at = from;
    while (at < to && parts < 4) {
      int start = at;
      int part = 0;
      while (at < to && at - start < 3 && text[at] >= '0' && text[at] <= '9') {
        part = part * 10 + text[at++] - '0';
      }
      boolean leadingZero = at - start > 1 && text[start] == '0';
      if (at == start || part > 255 || leadingZero) {
        return -1;
      }
      bits = bits << 8 | part;
      parts++;
      if (at < to && (text[at++] != '.' || at == to)) {
        return -1;
      }
    }
    return parts == 4 && at == to ? bits : -1;
  }

  private static Optional<Address> sixteen(byte[] text, int from, int to) {
    int[] groups = new int[8];
    int count = 0;
    int gap = -1;
    int at = from;
    if (to - from >= 2 && text[from] == ':' && text[from + 1] == ':') {
      gap = 0;
      at += 2;
    }
    while (at < to) {
      if (count == 8) {
        return Optional.empty();
      }
      int start = at;
      int group = 0;
      while (at < to && at - start < 4 && Character.digit(text[at], 16) >= 0) {
        group = group * 16 + Character.digit(text[at++], 16);
      }
      if (at < to && text[at] == '.') {
        long four = four(text, start, to);
        if (four < 0 || count > 6) {
          return Optional.empty();
        }
        groups[count++] = (int) (four >>> 16);
        groups[count++] = (int) four & 0xFFFF;
        break;
      }
      if (at == start) {
        return Optional.empty();
      }
      groups[count++] = group;
      if (at == to) {
        break;
      }
      if (text[at++] != ':') {
        return Optional.empty();
      }
      if (at < to && text[at] == ':') {
        if (gap >= 0) {
          return Optional.empty();
        }
        gap = count;
        at++;
      } else if (at == to) {
        return Optional.empty();
      }
    }
    if (gap < 0 ? count != 8 : count > 7) {
      return Optional.empty();
    }
    return Optional.of(ofGroups(groups, count, gap));
  }

  private static Address ofGroups(int[] groups, int count, int gap) {
    long[] halves = new long[2];
    int missing = 8 - count;
    for (int i = 0; i < 8; i++) {
      int place = gap < 0 || i < gap ? i : i - missing;
      boolean zero = gap >= 0 && i >= gap && i < gap + missing;
      halves[i / 4] = halves[i / 4] << 16 | (zero ? 0 : groups[place]);
    }
    boolean mapped = halves[0] == 0 && halves[1] >>> 32 == MAPPED;
    return mapped
        ? new Address(true, 0, halves[1] & 0xFFFFFFFFL)
        : new Address(false, halves[0], halves[1]);
  }

  /** How many bits it has: 32 or 128. */
  public int bits() {
    return v4 ? 32 : 128;
  }

  /** This address with all but the first {@code prefix} bits zero. */
  Address masked(int prefix) {
    if (v4) {
      return new Address(true, 0, prefix == 0 ? 0 : low & -1L << 32 - prefix);
    }
    long keepHigh = prefix == 0 ? 0 : prefix >= 64 ? -1 : -1L << 64 - prefix;
    long keepLow = prefix <= 64 ? 0 : -1L << 128 - prefix;
    return new Address(false, high & keepHigh, low & keepLow);
  }

  @Override
  public int compareTo(Address other) {
    if (v4 != other.v4) {
      return v4 ? -1 : 1;
    }
    int highs = Long.compareUnsigned(high, other.high);
    return highs != 0 ? highs : Long.compareUnsigned(low, other.low);
  }

  /** Dotted decimal, or IPv6 in the form of RFC 5952. */
  @Override
  public String toString() {
    if (v4) {
      return (low >>> 24) + "." + (low >>> 16 & 255) + "." + (low >>> 8 & 255) + "." + (low & 255);
    }
    int[] groups = new int[8];
    for (int i = 0; i < 8; i++) {
      groups[i] = (int) ((i < 4 ? high : low) >>> 48 - i % 4 * 16 & 0xFFFF);
    }
    int best = -1;
    int longest = 1;
    for (int i = 0; i < 8; i++) {
      int run = 0;
      while (i + run < 8 && groups[i + run] == 0) {
        run++;
      }
      if (run > longest) {
        best = i;
        longest = run;
      }
    }
    StringBuilder text = new StringBuilder();
    for (int i = 0; i < 8; i++) {
      if (i == best) {
        text.append("::");
        i += longest - 1;
      } else {
        boolean first = text.isEmpty() || text.charAt(text.length() - 1) == ':';
        text.append(first ? "" : ":").append(Integer.toHexString(groups[i]));
      }
    }
    return text.toString();
  }
}
