package ostrel;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.framing.Placed;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.Source;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.schema.Instants;
import java.nio.file.Path;
import java.sql.Connection;
import java.sql.DriverManager;
import java.sql.PreparedStatement;
import java.sql.ResultSet;
import java.sql.SQLException;
import java.sql.Statement;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;

/**
 * Takes the messages of an outbox in the order of their ids, which are the positions. SQLite lets
 * one transaction write at a time, so a smaller id never appears behind a larger one; where a
 * database lets them, an outbox needs another order.
 *
 * <p>What is accounted for is deleted. So a tram's ids have gaps, and the first one that is left is
 * not where the tram begins.
 */
final class OutboxIntake implements Intake {
  /** What a program makes once, and then inserts into. */
  static final String TABLE =
      "create table if not exists outbox"
          + " (id integer primary key autoincrement, tram text not null, message text not null)";

  private static final int MOST = 1000;

  private final Path file;
  private final Connection connection;
  private final String identity;
  private final Map<SourcePartition, Long> assigned = new LinkedHashMap<>();
  private final Map<SourcePartition, Source> found = new TreeMap<>();
  private int turn;
  private boolean drained;
  private boolean closed;

  /**
   * Opens an outbox.
   *
   * @throws OutsideException if it cannot be read, or is another one than before
   */
  OutboxIntake(Path file, List<KnownSource> known) {
    this.file = file;
    try {
      connection = DriverManager.getConnection("jdbc:sqlite:" + file);
      identity = identify();
    } catch (SQLException e) {
      throw cannot("open", e);
    }
    for (KnownSource source : known) {
      Identity now = identity(source.partition());
      if (!source.identity().orElse(now).equals(now)) {
        close();
        throw OutsideException.lasting(
            "outbox "
                + file
                + " is another one than that from which "
                + source.partition()
                + " was taken: its ids begin anew. Put the old one back, or give the new one a new"
                + " name");
      }
      found.put(source.partition(), source(source.partition()));
    }
  }

  /** Who the outbox is: made when it is opened for the first time. */
  private String identify() throws SQLException {
    try (Statement statement = connection.createStatement()) {
      statement.execute("pragma busy_timeout = 10000");
      statement.execute(TABLE);
      statement.execute("create table if not exists outbox_identity (id text not null)");
      statement.execute(
          "insert into outbox_identity select lower(hex(randomblob(16)))"
              + " where not exists (select 1 from outbox_identity)");
      try (ResultSet rows = statement.executeQuery("select id from outbox_identity")) {
        rows.next();
        return rows.getString(1);
      }
    }
  }

  private Identity identity(SourcePartition partition) {
    return new Identity(identity + "/" + partition.name());
  }

  private Source source(SourcePartition partition) {
    return new Source(partition, Optional.of(identity(partition)), 0);
  }

  private OutsideException cannot(String what, SQLException e) {
    return new OutsideException("cannot " + what + " outbox " + file + ": " + e.getMessage(), e);
  }

  @Override
  public synchronized List<Source> look() {
    try (Statement statement = connection.createStatement();
        ResultSet rows = statement.executeQuery("select distinct tram from outbox")) {
      while (rows.next()) {
        SourcePartition partition = new SourcePartition(rows.getString(1));
        found.put(partition, source(partition));
      }
    } catch (SQLException e) {
      throw cannot("read", e);
    }
    return List.copyOf(found.values());
  }

  @Override
  public synchronized void assign(SourcePartition partition, long position) {
    assigned.put(partition, position);
    drained = false;
  }

  @Override
  public synchronized void revoke(SourcePartition partition) {
    assigned.remove(partition);
  }

  @Override
  public synchronized Optional<Block> poll(Duration wait) {
    Optional<Block> block = next();
    if (block.isEmpty() && !wait.isZero() && !closed) {
      try {
        wait(Math.max(1, wait.toMillis()));
      } catch (InterruptedException e) {
        Thread.currentThread().interrupt();
      }
      block = next();
    }
    drained = block.isEmpty();
    return block;
  }

  /** The next block of some tram; each has its turn. */
  private Optional<Block> next() {
    List<SourcePartition> partitions = new ArrayList<>(assigned.keySet());
    for (int i = 0; i < partitions.size() && !closed; i++) {
      SourcePartition partition = partitions.get(turn++ % partitions.size());
      Optional<Block> block = block(partition, assigned.get(partition));
      if (block.isPresent()) {
        assigned.put(partition, block.get().end());
        return block;
      }
    }
    return Optional.empty();
  }

  private Optional<Block> block(SourcePartition partition, long from) {
    Placed placed = Placed.block(partition, from);
    try (PreparedStatement select =
        connection.prepareStatement(
            "select id, cast(message as blob) from outbox where tram = ? and id >= ?"
                + " order by id limit "
                + MOST)) {
      select.setString(1, partition.name());
      select.setLong(2, from);
      try (ResultSet rows = select.executeQuery()) {
        while (rows.next() && placed.bytes() < 1 << 20) {
          placed.add(rows.getLong(1), rows.getBytes(2));
        }
      }
    } catch (SQLException e) {
      throw cannot("read", e);
    }
    return placed.records() == 0
        ? Optional.empty()
        : Optional.of(placed.build(Instants.micros(Instant.now())));
  }

  @Override
  public synchronized boolean drained() {
    return drained;
  }

  /** It is loaded and in the books, so the program's outbox need not keep it. */
  @Override
  public synchronized void accounted(Map<SourcePartition, Long> positions) {
    try (PreparedStatement delete =
        connection.prepareStatement("delete from outbox where tram = ? and id < ?")) {
      for (Map.Entry<SourcePartition, Long> each : positions.entrySet()) {
        delete.setString(1, each.getKey().name());
        delete.setLong(2, each.getValue());
        delete.executeUpdate();
      }
    } catch (SQLException e) {
      throw cannot("clear", e);
    }
  }

  @Override
  public synchronized void close() {
    closed = true;
    notifyAll();
    try {
      connection.close();
    } catch (SQLException e) {
      throw cannot("close", e);
    }
  }
}
