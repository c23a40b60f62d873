package io.wexrun.project;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.core.shape.Shaper;
import io.wexrun.project.dead.Chosen;
import io.wexrun.project.facts.DeadFilter;
import io.wexrun.project.facts.DeadGroup;
import io.wexrun.project.facts.KeptLetter;
import io.wexrun.project.facts.Neighbour;
import io.wexrun.project.facts.ReplayFacts;
import io.wexrun.queue.Queue;
import io.wexrun.queue.Reader;
import io.wexrun.queue.log.Packs;
import io.wexrun.queue.log.Partition;
import io.wexrun.queue.log.QueueRecord;
import io.wexrun.state.Replays;
import io.wexrun.state.WorkspaceState;
import java.io.IOException;
import java.io.RandomAccessFile;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.Duration;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Optional;
import java.util.function.Function;
import java.util.function.Predicate;
import java.util.function.Supplier;

/** The dead letters of a workspace. */
public final class WorkspaceDead {
  private static final int AROUND = 64 << 10;

  private final WorkspaceQueues queues;
  private final Path folder;
  private final Function<String, Shaper> shapers;
  private final Supplier<Optional<WorkspaceState>> state;

  /**
   * The dead letters of a workspace.
   *
   * @param folder where the names of its files start
   * @param shapers compiles a pipeline
   * @param state knows what was replayed
   */
  WorkspaceDead(
      WorkspaceQueues queues,
      Path folder,
      Function<String, Shaper> shapers,
      Supplier<Optional<WorkspaceState>> state) {
    this.state = state;
    this.queues = queues;
    this.folder = folder;
    this.shapers = shapers;
  }

  /**
   * Reads dead letters of a pipeline, oldest first within each partition; without those that were
   * replayed and given up.
   *
   * @param reader takes each one that is wanted; returns whether it wants another
   * @throws OutsideException if they cannot be read
   */
  public void read(String pipeline, DeadFilter filter, Predicate<KeptLetter> reader) {
    Chosen all = Chosen.of(pipeline, state.get());
    readBy(
        pipeline,
        filter,
        queue -> {
          Chosen chosen = all.in(queue);
          return letter -> chosen.isGone(letter) || reader.test(letter);
        });
  }

  /**
   * The same with those that were replayed and given up, as far as their queue still keeps them.
   */
  void readAll(String pipeline, DeadFilter filter, Predicate<KeptLetter> reader) {
    readBy(pipeline, filter, queue -> reader);
  }

  private void readBy(
      String pipeline, DeadFilter filter, Function<Queue, Predicate<KeptLetter>> readers) {
    Optional<Queue> queue = queues.read("dead/" + pipeline);
    if (queue.isEmpty()) {
      return;
    }
    try (Queue open = queue.get()) {
      Predicate<KeptLetter> reader = readers.apply(open);
      Reader records = open.readFromOldest();
      while (true) {
        List<QueueRecord> next = records.poll(10_000, Duration.ZERO);
        if (next.isEmpty()) {
          return;
        }
        for (QueueRecord record : next) {
          KeptLetter letter = Chosen.kept(pipeline, record);
          if (filter.wants(letter) && !reader.test(letter)) {
            return;
          }
        }
      }
    }
  }

  /** The dead letters of a pipeline that are wanted, those that are alike summed up. */
  public List<DeadGroup> groups(String pipeline, DeadFilter filter) {
    DeadGroup.Sums sums = new DeadGroup.Sums();
    read(
        pipeline,
        filter,
        letter -> {
          sums.add(letter);
          return true;
        });
    return sums.largestFirst();
  }

  /**
   * What somebody chose to do with a letter.
   *
   * @return empty if nobody has chosen it
   */
  public Optional<ReplayFacts> chosen(KeptLetter letter) {
    return by(letter)
        .flatMap(
            by ->
                WorkspaceReplays.all(letter.pipeline(), state.get()).stream()
                    .filter(facts -> facts.number() == by.number())
                    .findFirst());
  }

  /** The replay that has chosen a letter; empty if none has. */
  Optional<Replays.Replay> by(KeptLetter letter) {
    Optional<Queue> queue = queues.read("dead/" + letter.pipeline());
    if (queue.isEmpty()) {
      return Optional.empty();
    }
    try (Queue open = queue.get()) {
      return Chosen.of(letter.pipeline(), state.get()).in(open).by(letter);
    }
  }

  /** The letter at a place; empty if there is none, or the queue does not keep it any more. */
  public Optional<KeptLetter> letter(String pipeline, KeptLetter.Place place) {
    Optional<Queue> queue = queues.read("dead/" + pipeline);
    if (queue.isEmpty()) {
      return Optional.empty();
    }
    try (Queue open = queue.get()) {
      return record(open, place.partition(), place.position())
          .map(record -> Chosen.kept(pipeline, record));
    }
  }

  private static Optional<QueueRecord> record(Queue queue, int number, long position) {
    if (number >= queue.partitions()) {
      return Optional.empty();
    }
    Partition partition = queue.partition(number);
    if (position < partition.oldest() || position >= partition.end()) {
      return Optional.empty();
    }
    return partition
        .read(position, 1)
        .flatMap(
            chunk ->
                Packs.records(number, chunk.data(), chunk.length(), position).stream()
                    .filter(record -> record.position() == position)
                    .findFirst());
  }

  /**
   * What the pipeline, as it is now, makes of a letter's record; nothing is written anywhere.
   *
   * @throws io.wexrun.core.diagnose.MistakesException if the pipeline has mistakes
   */
  public RecordTrial trial(KeptLetter letter) {
    return shapers.apply(letter.pipeline()).tryOut(letter.letter().block()).trials().get(0);
  }

  /**
   * The records around a letter's in its source, as far as the source still has them, with itself.
   *
   * @param most how many before it, and how many behind it
   * @return none if the source is not there any more, cannot be read so, or has others there
   */
  public List<Neighbour> neighbours(KeptLetter letter, int most) {
    DeadLetter.Original record = letter.letter().record();
    List<Neighbour> around = inQueue(record, most);
    return around.isEmpty() ? inFile(record, most) : around;
  }

  private List<Neighbour> inQueue(DeadLetter.Original record, int most) {
    int slash = record.source().lastIndexOf('/');
    String number = record.source().substring(slash + 1);
    if (slash < 0 || !number.matches("[0-9]{1,9}")) {
      return List.of();
    }
    Optional<Queue> queue = queues.read(record.source().substring(0, slash));
    if (queue.isEmpty()) {
      return List.of();
    }
    List<Neighbour> around = new ArrayList<>();
    try (Queue open = queue.get()) {
      for (long at = record.position() - most; at <= record.position() + most; at++) {
        record(open, Integer.parseInt(number), at)
            .ifPresent(found -> around.add(new Neighbour(found.position(), found.value())));
      }
    }
    return has(around, record) ? around : List.of();
  }

  private static boolean has(List<Neighbour> around, DeadLetter.Original record) {
    return around.stream()
        .anyMatch(n -> n.position() == record.position() && Arrays.equals(n.raw(), record.raw()));
  }

  /** Lines of a file that is not packed, and is still under its name. */
  private List<Neighbour> inFile(DeadLetter.Original record, int most) {
    Path file = folder.resolve(record.source());
    if (!Files.isRegularFile(file)) {
      return List.of();
    }
    long from = Math.max(0, record.position() - AROUND);
    byte[] bytes = new byte[2 * AROUND];
    int length = 0;
    try (RandomAccessFile open = new RandomAccessFile(file.toFile(), "r")) {
      open.seek(from);
      int read = open.read(bytes);
      while (read > 0) {
        length += read;
        read = open.read(bytes, length, bytes.length - length);
      }
    } catch (IOException e) {
      return List.of(); // As if it were gone.
    }
    List<Neighbour> lines = lines(bytes, length, from);
    if (!has(lines, record)) {
      return List.of();
    }
    int here = 0;
    while (lines.get(here).position() != record.position()) {
      here++;
    }
    return lines.subList(Math.max(0, here - most), Math.min(lines.size(), here + most + 1));
  }

  private static List<Neighbour> lines(byte[] bytes, int length, long from) {
    List<Neighbour> lines = new ArrayList<>();
    int begin = 0;
    boolean whole = from == 0; // Otherwise the first one may be the end of a line.
    for (int i = 0; i < length; i++) {
      if (bytes[i] == '\n') {
        if (whole) {
          int end = i > begin && bytes[i - 1] == '\r' ? i - 1 : i;
          lines.add(new Neighbour(from + begin, Arrays.copyOfRange(bytes, begin, end)));
        }
        whole = true;
        begin = i + 1;
      }
    }
    return lines;
  }

  /** A record as text for people; what is not UTF-8 shows as replacement characters. */
  public static String text(byte[] raw) {
    return new String(raw, StandardCharsets.UTF_8);
  }
}
