package io.wexrun.core.address;

import static org.assertj.core.api.Assertions.assertThat;

import java.net.InetAddress;
import java.net.UnknownHostException;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.constraints.Size;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;
import org.junit.jupiter.params.provider.ValueSource;

class AddressTest {
  @ParameterizedTest
  @CsvSource({
    "10.20.7.1, 10.20.7.1",
    "::, ::",
    "::1, ::1",
    "2001:DB8:0:0:1:0:0:1, 2001:db8::1:0:0:1",
    "1:0:2:0:0:3:0:4, 1:0:2::3:0:4",
    "fe80::, fe80::",
    "1:2:3:4:5:6:7::, 1:2:3:4:5:6:7:0",
    "::ffff:10.20.7.1, 10.20.7.1",
    "64:ff9b::10.20.7.1, 64:ff9b::a14:701"
  })
  void addressesAreReadAndWrittenInTheirShortForm(String text, String form) {
    assertThat(Address.parse(text).orElseThrow()).hasToString(form);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {
        "",
        "1.2.3",
        "1.2.3.4.",
        "1.2.3.256",
        "01.2.3.4",
        "1.2.3.4.5",
        ".1.2.3",
        "1..2.3",
        ":",
        ":::",
        "1:2:3:4:5:6:7",
        "1:2:3:4:5:6:7:8:9",
        "1::2::3",
        "12345::",
        "g::",
        "1:2:3:4:5:6:7:8::",
        "::1.2.3",
        "1:",
        ":1",
        "1:2:3:4:5:6:7:1.2.3.4"
      })
  void whatIsNoAddressIsNotTaken(String text) {
    assertThat(Address.parse(text)).isEmpty();
  }

  @Property
  void everyAddressIsReadAsThePlatformReadsIt(@ForAll @Size(16) byte[] bytes)
      throws UnknownHostException {
    InetAddress theirs = InetAddress.getByAddress(bytes);
    Address ours = Address.parse(theirs.getHostAddress()).orElseThrow();
    assertThat(Address.parse(ours.toString())).contains(ours);
    assertThat(InetAddress.getByName(ours.toString())).isEqualTo(theirs);
  }

  @ParameterizedTest
  @CsvSource({
    "10.20.0.0/16, 10.20.255.255, true",
    "10.20.0.0/16, 10.21.0.0, false",
    "10.20.7.9/16, 10.20.0.1, true",
    "0.0.0.0/0, 255.255.255.255, true",
    "0.0.0.0/0, ::1, false",
    "10.20.7.1, 10.20.7.1, true",
    "2001:db8::/33, 2001:db8:7fff::1, true",
    "2001:db8::/33, 2001:db8:8000::1, false",
    "2001:db8::/65, 2001:db8::7fff:0:0:1, true",
    "::/0, 2001:db8::1, true"
  })
  void aNetworkHoldsWhatSharesItsPrefix(String network, String address, boolean holds) {
    assertThat(Network.parse(network).orElseThrow().holds(Address.parse(address).orElseThrow()))
        .isEqualTo(holds);
  }

  @ParameterizedTest
  @ValueSource(
      strings = {"10.0.0.0/33", "10.0.0.0/", "10.0.0.0/08", "::/129", "x/8", "10.0.0.0/-1"})
  void whatIsNoNetworkIsNotTaken(String text) {
    assertThat(Network.parse(text)).isEmpty();
  }
}
