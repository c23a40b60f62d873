package io.wexrun.network;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.target.Resending;
import io.wexrun.core.target.Store;
import io.wexrun.network.collector.Collector;
import io.wexrun.network.collector.Manners;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Collections;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.regex.Pattern;
import java.util.stream.Collectors;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.function.Executable;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ObjectNode;

/** Rows that could not be delivered for long: put aside, counted, sent again. */
class UndeliveredTest extends DeliverySetup {
  private static final String DEAD = "http://127.0.0.1:1/{table}";

  @Test
  void whatFailsForLongIsPutAsideAndSentWhenSomebodySaysSo() throws Exception {
    Collector collector = collector(Manners.GOOD);
    String address = address(collector);
    Object[] more = {
      "undelivered", Map.of("after", "1ms", "to", "later"), "compress", "gzip", "timeout", "1s"
    };
    String dead = "http://127.0.0.1:1/{table}";
    assertThatThrownBy(() -> deliver(0, rows(20), dead, more))
        .hasMessageContaining("cannot be delivered to store office");
    assertThat(deliver(0, rows(20), dead, more).skipped()).isEqualTo(20);
    assertThat(deliver(20, rows(5), dead, more).written()).isEqualTo(5);
    try (Store store = store(dead, more)) {
      List<Resending.PutAside> waiting = ((Resending) store).putAside();
      assertThat(waiting).extracting(Resending.PutAside::rows).containsExactly(20L, 5L);
      assertThat(waiting.get(0).table()).isEqualTo("scans");
      assertThat(waiting.get(0).pipeline()).isEqualTo("passages");
      assertThat(waiting.get(0).why()).containsAnyOf("nobody listens", "does not answer in time");
      assertThat(waiting.get(0).file().getParent()).isEqualTo(folder.resolve("later"));
      assertThatThrownBy(() -> ((Resending) store).resend(false, r -> {}))
          .hasMessageContaining("cannot be delivered to store office");
      assertThat(((Resending) store).putAside()).hasSize(2);
    }
    assertThat(deliver(25, rows(2), address, more).written()).isEqualTo(2);
    try (Store store = store(address, more)) {
      List<Resending.Resent> told = new ArrayList<>();
      ((Resending) store).resend(false, told::add);
      assertThat(told).extracting(Resending.Resent::refused).containsExactly(0L, 0L);
      assertThat(((Resending) store).putAside()).isEmpty();
    }
    assertThat(taken.stream().flatMap(t -> t.rows().stream())).hasSize(27);
  }

  @Test
  void rowsThatAreRefusedWhenTheyAreSentAgainAreKept() throws Exception {
    Object[] more = with(List.of());
    putAside(3, more);
    Scripted server =
        new Scripted(new Says(200, Map.of(), "{\"records\":[{\"record\":2,\"detail\":\"no\"}]}"));
    try (Store store = store(server.address("/in"), more)) {
      List<Resending.Resent> told = new ArrayList<>();
      ((Resending) store).resend(false, told::add);
      assertThat(told).hasSize(1);
      assertThat(told.get(0).refused()).isEqualTo(1);
      Path kept = told.get(0).kept().orElseThrow();
      assertThat(Files.readString(kept)).contains("\"refused\":{\"1\":\"no\"}");
      assertThat(((Resending) store).putAside())
          .singleElement()
          .satisfies(
              each -> {
                assertThat(each.refused()).isTrue();
                assertThat(each.rows()).isEqualTo(1);
                assertThat(each.file()).content().contains("g1").doesNotContain("g0", "g2");
              });
    }
  }

  private static Map<String, Object> envelope() {
    return Map.of("id", "{id}", "n", "{count}", "events", "{rows}");
  }

  /** Every way in which a body is written. */
  private static List<List<Object>> forms() {
    return List.of(
        List.of(),
        List.of("compress", "gzip"),
        List.of("body", "array"),
        List.of("body", "array", "compress", "gzip"),
        List.of("envelope", envelope()),
        List.of("envelope", envelope(), "compress", "gzip"),
        List.of("body", "csv"),
        List.of("body", "csv", "compress", "gzip"));
  }

  private static Object[] with(List<Object> form) {
    List<Object> all = new ArrayList<>(form);
    Collections.addAll(all, "undelivered", Map.of("after", "1ms"), "batch", Map.of("rows", 50));
    return all.toArray();
  }

  /** Nobody listens: a short timeout, since no answer is worth waiting for. */
  private void putAside(int count, Object[] settings) {
    Object[] brief = Arrays.copyOf(settings, settings.length + 2);
    brief[settings.length] = "timeout";
    brief[settings.length + 1] = "100ms";
    assertThatThrownBy(() -> deliver(0, rows(count), DEAD, brief))
        .hasMessageContaining("cannot be delivered to store office");
    assertThat(deliver(0, rows(count), DEAD, brief).skipped()).isEqualTo(count);
  }

  private static void assertOutstanding(Store store, long waiting, long refused) {
    Resending resending = (Resending) store;
    List<Resending.Outstanding> expected =
        List.of(new Resending.Outstanding("scans", "passages", waiting, refused));
    assertThat(resending.booked()).as("in the books").isEqualTo(expected);
    assertThat(resending.counted())
        .as("in the files")
        .isEqualTo(waiting + refused == 0 ? List.of() : expected);
  }

  /** As a flush does: good rows are delivered once, bad ones are kept, whatever the form. */
  @ParameterizedTest
  @MethodSource("forms")
  void everyRowThatWasPutAsideIsDeliveredOnceOrKept(List<Object> form) {
    Object[] settings = with(form);
    putAside(120, settings);
    Collector collector =
        collector(Manners.GOOD.withRefused(Pattern.compile("g7\\b|g77\\b")).withWhole());
    try (Store store = store(address(collector), settings)) {
      assertOutstanding(store, 120, 0);
      List<Resending.Resent> told = new ArrayList<>();
      ((Resending) store).resend(false, told::add);
      assertThat(told.stream().mapToLong(Resending.Resent::delivered).sum()).isEqualTo(118);
      assertOutstanding(store, 0, 2);
    }
    assertThat(taken.stream().flatMap(t -> t.rows().stream())).hasSize(118).doesNotHaveDuplicates();
    Collector fixed = collector(Manners.GOOD);
    try (Store store = store(address(fixed), settings)) {
      ((Resending) store).resend(true, r -> {});
      assertOutstanding(store, 0, 0);
    }
    assertThat(taken.stream().flatMap(t -> t.rows().stream()))
        .hasSize(120)
        .doesNotHaveDuplicates()
        .anyMatch(row -> row.contains("g7"))
        .anyMatch(row -> row.contains("g77"));
  }

  /** The answer names the rows: the others are sent again, as in a flush. */
  @Test
  void rowsThatAnAnswerNamesAreKeptAndTheOthersOfThePostAreSent() throws Exception {
    Object[] settings = with(List.of());
    putAside(6, settings);
    Scripted server =
        new Scripted(new Says(422, Map.of(), "{\"record\":4,\"detail\":\"no such gate\"}"));
    try (Store store = store(server.address("/in"), settings)) {
      ((Resending) store).resend(false, r -> {});
      assertOutstanding(store, 0, 1);
    }
    String sent = server.came.stream().skip(1).map(Came::text).collect(Collectors.joining());
    assertThat(sent.lines()).hasSize(5).noneMatch(line -> line.contains("g3"));
  }

  @Test
  void rowsAreSafeOnlyWhenTheReceiverConfirmsThem() throws Exception {
    Object[] settings = with(List.of("confirm", Map.of("every", "10ms")));
    putAside(3, settings);
    Says accepted = new Says(202, Map.of("Location", "/posts/1"), "");
    Scripted server = new Scripted(accepted, Says.status(202), Says.status(410), accepted);
    try (Store store = store(server.address("/in"), settings)) {
      ((Resending) store).resend(false, r -> {});
      assertOutstanding(store, 0, 0);
    }
    assertThat(server.came.stream().map(Came::path))
        .containsExactly("POST /in", "GET /posts/1", "GET /posts/1", "POST /in", "GET /posts/1");
  }

  @Test
  void filesThatAreDamagedOrMissingAreReported() throws Exception {
    Object[] settings = with(List.of("body", "array"));
    putAside(3, settings);
    try (Store store = store(DEAD, settings)) {
      Path file = ((Resending) store).putAside().get(0).file();
      byte[] body = Files.readAllBytes(file);
      Files.write(file, Arrays.copyOf(body, body.length - 9));
      for (Executable act :
          List.<Executable>of(
              () -> ((Resending) store).counted(),
              () -> ((Resending) store).resend(false, r -> {}))) {
        assertThatThrownBy(act::execute)
            .isInstanceOf(OutsideException.class)
            .hasMessageContaining(file.getFileName().toString())
            .hasMessageContaining("is damaged");
      }
      Files.delete(file);
      assertThatThrownBy(() -> ((Resending) store).counted()).hasMessageContaining("is not there");
      assertThat(((Resending) store).booked().get(0).waiting()).isEqualTo(3);
    }
  }

  /** Between the note in the ledger and the removal of the files. */
  @Test
  void aPostThatWasDoneBeforeACrashIsNotCountedTwice() throws Exception {
    Object[] settings = with(List.of());
    putAside(3, settings);
    Map<Path, byte[]> files = new HashMap<>();
    try (var all = Files.list(folder.resolve("undelivered"))) {
      for (Path file : all.filter(Files::isRegularFile).toList()) {
        files.put(file, Files.readAllBytes(file));
      }
    }
    Collector collector = collector(Manners.GOOD);
    try (Store store = store(address(collector), settings)) {
      ((Resending) store).resend(false, r -> {});
      for (Map.Entry<Path, byte[]> file : files.entrySet()) {
        Files.write(file.getKey(), file.getValue());
      }
      assertOutstanding(store, 0, 0);
      ((Resending) store)
          .resend(
              false,
              r -> {
                throw new AssertionError("sent twice: " + r);
              });
      assertOutstanding(store, 0, 0);
      assertThat(((Resending) store).putAside()).isEmpty();
    }
  }

  /** Notes as they were before rows were counted, of which a post is sent as a whole. */
  @Test
  void postsThatAnEarlierVersionPutAsideAreCountedAndSent() throws Exception {
    Object[] settings = with(List.of());
    putAside(3, settings);
    Path note;
    try (var all = Files.list(folder.resolve("undelivered"))) {
      note = all.filter(f -> f.toString().endsWith(".json")).findFirst().orElseThrow();
    }
    JsonMapper json = JsonMapper.shared();
    ObjectNode facts = (ObjectNode) json.readTree(Files.readAllBytes(note));
    facts.remove(List.of("form", "crc", "before", "after", "sources", "positions", "ends"));
    Files.writeString(note, facts.toString());
    Path progress = folder.resolve(".wexrun/deliveries/office/scans/passages/progress");
    ObjectNode books = (ObjectNode) json.readTree(Files.readAllBytes(progress));
    books.remove("aside");
    Files.writeString(progress, books.toString());
    Collector collector = collector(Manners.GOOD);
    try (Store store = store(address(collector), settings)) {
      assertOutstanding(store, 3, 0);
      ((Resending) store).resend(false, r -> {});
      assertOutstanding(store, 0, 0);
    }
    assertThat(taken.stream().flatMap(t -> t.rows().stream())).hasSize(3);
    facts.put("body", note.getFileName().toString());
    Files.writeString(note, facts.toString());
    try (Store store = store(address(collector), settings)) {
      assertThatThrownBy(() -> ((Resending) store).putAside())
          .hasMessageContaining("has taken the place of the rows");
    }
  }
}
