package io.wexrun.network;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.JsonRows;
import io.wexrun.contract.StoreContract;
import io.wexrun.contract.TargetContract;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Target;
import io.wexrun.network.collector.Collector;
import io.wexrun.network.collector.Manners;
import io.wexrun.network.delivery.DeliveryConnector;
import io.wexrun.network.door.Address;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.List;
import java.util.Map;
import java.util.concurrent.CopyOnWriteArrayList;
import java.util.regex.Pattern;
import java.util.stream.Stream;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.Nested;
import org.junit.jupiter.api.io.TempDir;

/** Rows that are delivered, and a receiver that refuses some and drops repeats. */
class DeliveryContractTest {
  private static final Manners SOME_REFUSED = Manners.GOOD.withRefused(Pattern.compile("-refused"));

  private static Store open(Path folder, Collector collector) {
    return new DeliveryConnector()
        .open(
            "office",
            Receiver.settings(
                "http",
                "http://127.0.0.1:" + collector.port() + "/{table}",
                "batch",
                Map.of("rows", 7)),
            new FolderSite(folder));
  }

  @Nested
  class AsTarget extends TargetContract {
    private final List<Collector.Taken> taken = new CopyOnWriteArrayList<>();
    private final Collector collector =
        new Collector(Address.read("0").orElseThrow(), SOME_REFUSED, taken::add);
    private int lives;

    @TempDir private Path base;

    @AfterEach
    void close() {
      collector.close();
    }

    private Path folder() {
      return base.resolve("life" + lives);
    }

    @Override
    protected Target open(String writer) {
      return DeliveryContractTest.open(folder(), collector)
          .target(writer, new Table("rows", "office", SCHEMA, Map.of()));
    }

    @Override
    protected List<String> committed() {
      return taken.stream()
          .flatMap(post -> post.rows().stream())
          .map(row -> row.substring("{\"key\":\"".length(), row.length() - 2))
          .toList();
    }

    @Override
    protected boolean refuses() {
      return true;
    }

    /** The files as they are at this moment, with nobody who has them open. */
    @Override
    protected void crash() {
      Path before = folder();
      lives++;
      try (Stream<Path> files = Files.walk(before)) {
        for (Path file : files.toList()) {
          Files.copy(file, folder().resolve(before.relativize(file).toString()));
        }
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      }
    }
  }

  @Nested
  class AsStore extends StoreContract {
    private final List<Collector.Taken> taken = new CopyOnWriteArrayList<>();
    private final Collector collector =
        new Collector(Address.read("0").orElseThrow(), Manners.GOOD, taken::add);

    @TempDir private Path folder;

    @AfterEach
    void close() {
      collector.close();
    }

    @Override
    protected Store open() {
      return DeliveryContractTest.open(folder, collector);
    }

    @Override
    protected boolean replaces() {
      return false;
    }

    @Override
    protected boolean rollsUp() {
      return false;
    }

    @Override
    protected boolean keepsColumns() {
      return false;
    }

    private Path known() {
      return folder.resolve(".wexrun/deliveries/office");
    }

    @Override
    protected void remove() {
      delete(known());
    }

    @Override
    protected void drop(String table) {
      delete(known().resolve(table));
    }

    private static void delete(Path path) {
      try (Stream<Path> files = Files.walk(path)) {
        for (Path file : files.sorted(Comparator.reverseOrder()).toList()) {
          Files.delete(file);
        }
      } catch (IOException e) {
        throw new UncheckedIOException(e);
      }
    }

    @Override
    protected List<List<Object>> rows(Table table) {
      List<List<Object>> rows = new ArrayList<>();
      for (Collector.Taken post : taken) {
        if (post.table().equals(table.name())) {
          post.rows().forEach(row -> rows.add(JsonRows.values(table, row)));
        }
      }
      return rows;
    }
  }
}
