package io.wexrun.core.address;

import java.util.Optional;

/**
 * A range of addresses that share a prefix, as in {@code 10.20.0.0/16} (RFC 4632, RFC 4291).
 *
 * @param first its first address: the bits behind the prefix are zero
 * @param prefix how many leading bits its addresses share; 0 to 32, or to 128
 */
public record Network(Address first, int prefix) {
  /** Clears the bits behind the prefix. */
  public Network {
    first = first.masked(prefix);
  }

  /** Reads {@code ADDRESS/PREFIX}, or an address as a network of one; empty if it is none. */
  public static Optional<Network> parse(String text) {
    int slash = text.indexOf('/');
    Optional<Address> address = Address.parse(slash < 0 ? text : text.substring(0, slash));
    if (address.isEmpty() || slash < 0) {
      return address.map(one -> new Network(one, one.bits()));
    }
    String length = text.substring(slash + 1);
    boolean valid =
        length.matches("0|[1-9][0-9]{0,2}") && Integer.parseInt(length) <= address.get().bits();
    return valid
        ? Optional.of(new Network(address.get(), Integer.parseInt(length)))
        : Optional.empty();
  }

  /** Whether an address is one of this network. */
  public boolean holds(Address address) {
    return address.v4() == first.v4() && address.masked(prefix).equals(first);
  }

  @Override
  public String toString() {
    return first + "/" + prefix;
  }
}
