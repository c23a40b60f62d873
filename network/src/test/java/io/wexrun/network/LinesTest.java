package io.wexrun.network;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.framing.Framings;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import java.io.ByteArrayInputStream;
import java.io.InputStream;
import java.io.OutputStream;
import java.net.DatagramPacket;
import java.net.DatagramSocket;
import java.net.InetAddress;
import java.net.Socket;
import java.net.UnixDomainSocketAddress;
import java.nio.ByteBuffer;
import java.nio.channels.SocketChannel;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** Senders that write into sockets. */
class LinesTest {
  @TempDir private Path folder;

  private static Socket connect(Receiver receiver) throws Exception {
    return new Socket("127.0.0.1", receiver.port());
  }

  private static void write(Socket socket, String... parts) throws Exception {
    for (String part : parts) {
      socket.getOutputStream().write(part.getBytes(StandardCharsets.UTF_8));
      socket.getOutputStream().flush();
    }
  }

  private static List<String> texts(List<Receiver.Taken> taken) {
    return taken.stream().map(Receiver.Taken::text).toList();
  }

  @ParameterizedTest
  @CsvSource(
      delimiter = '~',
      value = {
        "tcp ~ lines ~ a|b||c ~ a, b, c",
        "tcp ~ csv ~ 1,\"x|y\"|2,z| ~ 1,\"x|y\", 2,z",
        "tcp ~ syslog ~ 5 <1>ab<2>line|7 <3>a|bc<4>last ~ <1>ab, <2>line, <3>a|bc, <4>last",
        "tcp ~ syslog ~ 0 is no length|12345678 nor is this| ~ 0 is no length, 12345678 nor is"
            + " this",
        "syslog ~ ~ 5 <1>ab5 <2>cd ~ <1>ab, <2>cd",
      })
  void aConnectionIsCutIntoRecords(String kind, String framing, String sent, String records)
      throws Exception {
    Object[] more =
        kind.equals("tcp") ? new Object[] {"framing", framing} : new Object[] {"over", "tcp"};
    for (int piece : List.of(1, 3, 1000)) {
      try (Receiver receiver = Receiver.of(folder.resolve("" + piece), kind, 0, more)) {
        String bytes = sent.replace('|', '\n');
        try (Socket socket = connect(receiver)) {
          for (int at = 0; at < bytes.length(); at += piece) {
            write(socket, bytes.substring(at, Math.min(bytes.length(), at + piece)));
          }
        }
        String[] expected = records.split(", ");
        assertThat(String.join(", ", texts(receiver.take(expected.length))).replace('\n', '|'))
            .as("in pieces of %s", piece)
            .isEqualTo(records);
      }
    }
  }

  @Property(tries = 300)
  void syslogFramesAreFoundHoweverTheyAreCut(@ForAll long seed) {
    SplittableRandom dice = new SplittableRandom(seed);
    StringBuilder sent = new StringBuilder();
    List<String> expected = new ArrayList<>();
    for (int i = 0; i < 20; i++) {
      boolean counted = dice.nextBoolean();
      String text = "<13>message " + i + (counted && dice.nextInt(3) == 0 ? "\nat a place" : "");
      expected.add(text);
      sent.append(counted ? text.length() + " " + text : text + "\n");
    }
    byte[] data = sent.toString().getBytes(StandardCharsets.UTF_8);
    Framing framing = Framings.named("syslog").orElseThrow();
    List<String> found = new ArrayList<>();
    int from = 0;
    for (int to = 1; to <= data.length; to = Math.min(data.length + 1, to + 1 + dice.nextInt(40))) {
      int upTo = Math.min(to, data.length);
      byte[] there = java.util.Arrays.copyOfRange(data, from, upTo);
      int end = framing.end(there, 0, there.length);
      if (end > 0) {
        found.addAll(cut(there, end, framing));
        from += end;
      }
    }
    byte[] rest = java.util.Arrays.copyOfRange(data, from, data.length);
    found.addAll(cut(rest, rest.length, framing));
    assertThat(found).isEqualTo(expected);
  }

  private static List<String> cut(byte[] data, int length, Framing framing) {
    Records records =
        framing.cut(new Block(new SourcePartition("x"), 0, length, data, length, framing));
    List<String> texts = new ArrayList<>();
    for (int i = 0; i < records.count(); i++) {
      texts.add(new String(records.bytes(i), StandardCharsets.UTF_8));
    }
    return texts;
  }

  @Test
  void anEventOfSeveralLinesEndsWhenNothingFollows() throws Exception {
    try (Receiver receiver =
            Receiver.of(folder, "tcp", 0, "framing", Map.of("begins", "^[A-Z]"), "peer", true);
        Socket socket = connect(receiver)) {
      write(socket, "A failed\n  at x\nB failed\n", "  at y\n");
      List<Receiver.Taken> taken = receiver.take(2);
      assertThat(texts(taken)).containsExactlyInAnyOrder("A failed\n  at x", "B failed\n  at y");
      assertThat(taken.get(0).headers()).isEqualTo(Map.of("peer", "127.0.0.1"));
    }
  }

  @Test
  void aLineWithoutAnEndIsCutAndCostsNoMoreMemory() throws Exception {
    try (Receiver receiver = Receiver.of(folder, "tcp", 0, "longest", "64KB")) {
      try (Socket socket = connect(receiver)) {
        byte[] piece = "x".repeat(100_000).getBytes();
        OutputStream out = socket.getOutputStream();
        for (int i = 0; i < 100; i++) {
          out.write(piece);
        }
      }
      int bytes = 0;
      while (bytes < 10_000_000) {
        for (Receiver.Taken taken : receiver.take(1)) {
          assertThat(taken.text().length()).isBetween(1, 200_000);
          bytes += taken.text().length();
        }
      }
      assertThat(bytes).isEqualTo(10_000_000);
    }
  }

  @Test
  void aDatagramHasRecords() throws Exception {
    try (Receiver lines = Receiver.of(folder.resolve("a"), "udp", 0);
        Receiver syslog =
            Receiver.of(folder.resolve("b"), "syslog", 0, "over", "udp", "peer", true);
        DatagramSocket socket = new DatagramSocket()) {
      send(socket, lines.port(), "a\nb\n");
      send(socket, lines.port(), "\n");
      send(socket, lines.port(), "c");
      send(socket, syslog.port(), "<13>one\nmessage\n");
      assertThat(texts(lines.take(3))).containsExactlyInAnyOrder("a", "b", "c");
      Receiver.Taken taken = syslog.take(1).get(0);
      assertThat(taken.text()).isEqualTo("<13>one\nmessage");
      assertThat(taken.headers()).isEqualTo(Map.of("peer", "127.0.0.1"));
    }
  }

  private static void send(DatagramSocket socket, int port, String text) throws Exception {
    byte[] bytes = text.getBytes(StandardCharsets.UTF_8);
    InetAddress here = InetAddress.getByName("127.0.0.1");
    socket.send(new DatagramPacket(bytes, bytes.length, here, port));
  }

  @Test
  void aSocketOfThisMachineIsAFileThatIsMadeAnew() throws Exception {
    for (int i = 0; i < 2; i++) {
      try (Receiver receiver = Receiver.of(folder, "unix", "run/x.sock");
          SocketChannel channel =
              SocketChannel.open(UnixDomainSocketAddress.of(folder.resolve("run/x.sock")))) {
        channel.write(ByteBuffer.wrap("a\nb\n".getBytes()));
        assertThat(receiver.take(2)).hasSize(2);
        receiver.texts();
      }
    }
    Files.writeString(folder.resolve("file"), "precious");
    assertThatThrownBy(() -> Receiver.of(folder, "unix", "file").close())
        .hasMessageContaining("there is a file");
    assertThat(folder.resolve("file")).hasContent("precious");
  }

  @Test
  void encryptedSyslogComesOverTls() throws Exception {
    Pem server = Pem.of(folder, "server");
    Map<String, Object> tls = Map.of("certificate", "server.pem", "key", "server-key.pem");
    try (Receiver receiver = Receiver.of(folder, "syslog", 0, "tls", tls)) {
      try (Socket socket =
          server.client(null).getSocketFactory().createSocket("127.0.0.1", receiver.port())) {
        write(socket, "12 <13>one\nline15 <13>another one");
      }
      try (Socket plain = connect(receiver)) {
        write(plain, "<13>not encrypted\n");
      }
      assertThat(texts(receiver.take(2)))
          .containsExactlyInAnyOrder("<13>one\nline", "<13>another one");
      assertThat(receiver.texts()).isEmpty();
    }
  }

  @Test
  void whatHasComeIsTakenWhenTheDoorIsClosed() throws Exception {
    try (Socket socket = new Socket()) {
      try (Receiver receiver = Receiver.of(folder, "tcp", 0)) {
        socket.connect(new java.net.InetSocketAddress("127.0.0.1", receiver.port()));
        write(socket, "first\nrest without an end");
        receiver.take(1);
      }
      try (Receiver receiver = Receiver.toTheEnd(folder, "tcp", 0)) {
        assertThat(receiver.notices).isEmpty();
        assertThat(receiver.texts()).contains("rest without an end");
      }
    }
  }

  @Test
  void standardInputEndsTheRun() {
    InputStream before = System.in;
    try {
      String all = "a line\n".repeat(200_000) + "the last";
      System.setIn(new ByteArrayInputStream(all.getBytes()));
      try (Receiver receiver = Receiver.toTheEnd(folder, "stdin", "lines")) {
        List<String> taken = new ArrayList<>();
        while (!receiver.drained()) {
          taken.addAll(receiver.texts());
        }
        taken.addAll(receiver.texts());
        assertThat(taken).hasSize(200_001).contains("the last");
      }
    } finally {
      System.setIn(before);
    }
  }

  @Test
  void settingsAreChecked() {
    assertThat(Receiver.mistakes(folder, "tcp", 5100)).isEmpty();
    assertThat(Receiver.mistakes(folder, "tcp", "*:5100", "framing", "words"))
        .containsExactly(
            "bad-value: 'words' is neither lines nor csv nor syslog nor varint nor int32, nor a"
                + " rule such as {begins: PATTERN}",
            "open-door: whoever reaches *:5100 may send records");
    assertThat(Receiver.mistakes(folder, "syslog", "x:y", "over", List.of("tcp", "sctp")))
        .containsExactly(
            "bad-address: 'x:y' is not an address to listen at",
            "bad-value: 'sctp' is not udp or tcp");
    assertThat(Receiver.mistakes(folder, "unix", "x".repeat(120))).hasSize(1);
    assertThat(Receiver.mistakes(folder, "stdin", "words")).hasSize(1);
  }
}
