package io.wexrun.core.shape;

import static io.wexrun.core.pipeline.StepDefinition.of;
import static io.wexrun.core.pipeline.StepDefinition.template;
import static io.wexrun.core.shape.JsonStepTest.map;
import static io.wexrun.core.shape.Shaping.dead;
import static io.wexrun.core.shape.Shaping.rows;
import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.reference.ReferenceTable;
import io.wexrun.core.reference.References;
import java.nio.charset.StandardCharsets;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import java.util.TreeMap;
import java.util.function.Supplier;
import org.junit.jupiter.api.Test;

class LookupTest {
  /** Reference tables in memory, which a test may exchange. */
  private static final class Shelf implements References {
    private final Map<String, ReferenceTable> tables = new HashMap<>();

    Shelf put(String name, String... lines) {
      List<List<String>> rows =
          Arrays.stream(lines)
              .skip(1)
              .map(
                  line ->
                      Arrays.stream(line.split(",")).map(v -> v.equals("-") ? null : v).toList())
              .toList();
      tables.put(name, new ReferenceTable(name, List.of(lines[0].split(",")), rows));
      return this;
    }

    @Override
    public Supplier<ReferenceTable> file(String name) {
      if (!tables.containsKey(name)) {
        throw new OutsideException("there is no file '" + name + "'");
      }
      return () -> tables.get(name);
    }

    @Override
    public Supplier<ReferenceTable> table(String name) {
      return file(name);
    }

    @Override
    public byte[] bytes(String name) {
      return name.getBytes(StandardCharsets.UTF_8);
    }
  }

  private final Shelf shelf =
      new Shelf()
          .put("stops", "stop,line,name,zone", "7,a,Ropewalk,1", "07,b,Harbour,-", "-,b,Nowhere,3")
          .put(
              "nets",
              "network,place",
              "10.20.0.0/16,Old Town",
              "10.20.64.0/18,Lantern Hill",
              "fd00::/16,West")
          .put(
              "fares",
              "product,since,price",
              "day,2026-01-01T00:00:00Z,7.00",
              "day,2026-05-01T00:00:00Z,7.50",
              "ride,2026-01-01T00:00:00Z,2.90");

  private List<String> shape(String template, StepDefinition lookup, String... lines) {
    return rows(Shaping.over(shelf, template(template), lookup).lines(lines), "all");
  }

  @Test
  void rowsAreFoundByEqualValuesOfTheFieldsTypes() {
    StepDefinition lookup =
        of(
            "lookup",
            map(
                "file",
                "stops",
                "equal",
                map("stop", "stop", "line", "line"),
                "add",
                map("name", "text", "area", "int from zone")));
    assertThat(shape("{stop:int?} {line}", lookup, "7 a", "007 b", "7 c", "- b"))
        .containsExactly(
            "{stop=7, line=a, name=Ropewalk, area=1}",
            "{stop=7, line=b, name=Harbour}",
            "{stop=7, line=c}",
            "{line=b}");
  }

  @Test
  void theSmallestNetworkThatHoldsTheAddressWins() {
    StepDefinition lookup =
        of(
            "lookup",
            map("file", "nets", "network", map("network", "ip"), "add", map("place", "text")));
    assertThat(shape("{ip}", lookup, "10.20.1.1", "10.20.65.1", "10.21.0.1", "fd00::1", "here"))
        .containsExactly(
            "{ip=10.20.1.1, place=Old Town}",
            "{ip=10.20.65.1, place=Lantern Hill}",
            "{ip=10.21.0.1}",
            "{ip=fd00::1, place=West}",
            "{ip=here}");
  }

  @Test
  void theLatestRowThatIsNotAfterTheFieldWins() {
    StepDefinition lookup =
        of(
            "lookup",
            map(
                "table",
                "fares",
                "equal",
                map("product", "product"),
                "latest",
                map("since", "time"),
                "add",
                map("price", "decimal(7,2)"),
                "missing",
                "die"));
    Shaped shaped =
        Shaping.over(shelf, template("{product} {time:timestamp}"), lookup)
            .lines(
                "day 2026-04-30T23:59:59Z",
                "day 2026-05-01T00:00:00Z",
                "ride 2026-09-01T00:00:00Z",
                "ride 2025-12-31T23:59:59Z",
                "month 2026-05-01T00:00:00Z");
    assertThat(rows(shaped, "all"))
        .extracting(row -> row.replaceAll(".*price=", ""))
        .containsExactly("700}", "750}", "290}");
    assertThat(dead(shaped))
        .containsExactly(
            "no-lookup shape[1].lookup nothing in fares for product \"ride\", time"
                + " \"2025-12-31T23:59:59Z\"",
            "no-lookup shape[1].lookup nothing in fares for product \"month\", time"
                + " \"2026-05-01T00:00:00Z\"");
  }

  @Test
  void theLatestRowIsTheOneThatASortedMapGives() {
    SplittableRandom random = new SplittableRandom(5);
    TreeMap<Long, String> map = new TreeMap<>();
    for (int i = 0; i < 300; i++) {
      map.put(random.nextLong(1000), "v" + i);
    }
    shelf.put(
        "steps",
        java.util.stream.Stream.concat(
                java.util.stream.Stream.of("n,v"),
                map.entrySet().stream().map(e -> e.getKey() + "," + e.getValue()))
            .toArray(String[]::new));
    StepDefinition lookup =
        of("lookup", map("file", "steps", "latest", map("n", "n"), "add", map("v", "text")));
    String[] lines = random.longs(500, -10, 1010).mapToObj(Long::toString).toArray(String[]::new);
    List<String> rows = shape("{n:long}", lookup, lines);
    for (int i = 0; i < lines.length; i++) {
      Map.Entry<Long, String> floor = map.floorEntry(Long.parseLong(lines[i]));
      String v = floor == null ? "" : ", v=" + floor.getValue();
      assertThat(rows.get(i)).isEqualTo("{n=" + lines[i] + v + "}");
    }
  }

  @Test
  void aTableThatChangesIsUsedFromTheNextBlockOn() {
    StepDefinition lookup =
        of(
            "lookup",
            map(
                "file",
                "nets",
                "network",
                map("network", "ip"),
                "add",
                map("place", "text"),
                "missing",
                "drop"));
    Shaping shaping = Shaping.over(shelf, template("{ip}"), lookup);
    Shaper shaper = shaping.shaper();
    assertThat(rows(Shaping.lines(shaper, "10.20.1.1"), "all"))
        .containsExactly("{ip=10.20.1.1, place=Old Town}");
    shelf.put("nets", "network,place", "10.20.1.1,Here");
    Shaped shaped = Shaping.lines(shaper, "10.20.1.1", "10.20.1.2");
    assertThat(rows(shaped, "all")).containsExactly("{ip=10.20.1.1, place=Here}");
    assertThat(shaped.dropped()).isEqualTo(1);
    shelf.put("nets", "net,place", "10.20.1.1,Here");
    assertThatThrownBy(() -> Shaping.lines(shaper, "10.20.1.1"))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("lacks column 'network'");
  }

  private List<String> mistakes(Object... entries) {
    return new Shaping()
        .references(shelf)
        .shape(template("{ip} {n:int} {x:double}"), of("lookup", map(entries)))
        .mistakes();
  }

  @Test
  void mistakesAreToldBeforeTheRun() {
    Map<String, Object> add = map("place", "text");
    assertThat(mistakes("file", "net", "network", map("network", "ip"), "add", add))
        .anyMatch(
            m -> m.startsWith("missing-reference shape[1].lookup.file: there is no file 'net'"));
    assertThat(
            mistakes(
                "file", "nets", "network", map("networks", "ip"), "add", map("plaice", "text")))
        .anyMatch(
            m -> m.contains("shape[1].lookup.network.networks: nets has no column 'networks'"))
        .anyMatch(m -> m.contains("shape[1].lookup.add.plaice: nets has no column 'plaice'"));
    assertThat(mistakes("file", "nets", "network", map("network", "n"), "add", add))
        .anyMatch(m -> m.contains("an address is text, not an int"));
    assertThat(mistakes("file", "nets", "latest", map("place", "x"), "add", add))
        .anyMatch(m -> m.contains("no earlier or later for a double"));
    assertThat(mistakes("file", "nets", "latest", map("place", "n"), "add", add))
        .anyMatch(m -> m.contains("nets, row 1: column 'place': \"Old Town\" is not an int"));
    assertThat(mistakes("file", "nets", "equal", map("place", "pi"), "add", add))
        .anyMatch(m -> m.startsWith("unknown-field"));
    assertThat(mistakes("file", "nets", "add", add)).anyMatch(m -> m.startsWith("missing-key"));
    assertThat(mistakes("file", "nets", "table", "x", "equal", map("place", "ip"), "add", add))
        .anyMatch(m -> m.contains("either 'file' or 'table'"));
    shelf.put("twice", "network,place", "10.0.0.0/8,a", "10.1.0.0/8,b");
    assertThat(mistakes("file", "twice", "network", map("network", "ip"), "add", add))
        .anyMatch(m -> m.contains("twice, row 2: its key stands in row 1 already"));
    shelf.put("odd", "network,place", "10.0.0.0/99,a");
    assertThat(mistakes("file", "odd", "network", map("network", "ip"), "add", add))
        .anyMatch(m -> m.contains("odd, row 1: \"10.0.0.0/99\" is not a network"));
  }
}
