package io.wexrun.project;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.diagnose.Severity;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.run.Setback;
import io.wexrun.core.tally.Tally;
import io.wexrun.core.target.Resending;
import io.wexrun.project.facts.Finding;
import io.wexrun.project.facts.Finding.Kind;
import io.wexrun.project.facts.PipelineStatus;
import io.wexrun.project.facts.QueueFacts;
import io.wexrun.project.facts.RebuildFacts;
import io.wexrun.project.open.Ends;
import io.wexrun.project.open.WorkspaceSite;
import java.io.IOException;
import java.nio.file.FileStore;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermission;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Set;
import java.util.TreeSet;
import java.util.concurrent.locks.LockSupport;

/**
 * Looks at a workspace as somebody would who is called the day after: rights, room, clock, who runs
 * what, what waits where, and whether books and stores agree. Changes nothing.
 */
final class WorkspaceDoctor {
  private static final long LITTLE_ROOM = 500L << 20;
  private static final long LITTLE_HEAP = 128L << 20;
  private static final Duration CLOCK_SLACK = Duration.ofMinutes(2);
  private static final Duration BETWEEN_LOOKS = Duration.ofMillis(100);
  private static final List<PosixFilePermission> OTHERS =
      List.of(PosixFilePermission.GROUP_READ, PosixFilePermission.OTHERS_READ);

  private final Workspace workspace;
  private final WorkspaceSite site;
  private final Ends ends;
  private final List<Finding> found = new ArrayList<>();

  WorkspaceDoctor(Workspace workspace, WorkspaceSite site, Ends ends) {
    this.workspace = workspace;
    this.site = site;
    this.ends = ends;
  }

  /** A part of the look, which may fail by itself. */
  @FunctionalInterface
  private interface Part {
    void look() throws IOException;
  }

  List<Finding> look() {
    part("rights", this::rights);
    part("room", this::room);
    part("clock", this::clock);
    part("machine", this::machine);
    part("files", this::mistakes);
    part("runs", this::runs);
    part("books", this::books);
    part("replays", this::replays);
    part("rebuilds", this::rebuilds);
    part("stores", this::stores);
    part("queues", this::queues);
    part("deliveries", this::deliveries);
    part("sources", this::sources);
    return found;
  }

  private void part(String subject, Part part) {
    int before = found.size();
    try {
      part.look();
      if (found.size() == before) {
        found.add(new Finding(Kind.GOOD, subject, "nothing is wrong", ""));
      }
    } catch (IOException | OutsideException e) {
      found.add(new Finding(Kind.WRONG, subject, String.valueOf(e.getMessage()), ""));
    }
  }

  private void add(Kind kind, String subject, String what, String then) {
    found.add(new Finding(kind, subject, what, then));
  }

  /** A size as people say it. */
  private static String about(long bytes) {
    long gigabyte = 1L << 30;
    return bytes < gigabyte
        ? (bytes >> 20) + " MB"
        : String.format(Locale.ROOT, "%.1f GB", bytes / (double) gigabyte);
  }

  private void rights() throws IOException {
    String user = System.getProperty("user.name");
    for (Path folder : List.of(workspace.folder(), workspace.data())) {
      if (!Files.exists(folder)) {
        continue;
      }
      String owner = Files.getOwner(folder).getName();
      if (!Files.isWritable(folder)) {
        add(
            Kind.WRONG,
            "rights",
            folder + " cannot be written by " + user + "; it belongs to " + owner,
            "start wexrun as " + owner + ", or give the folder to " + user);
      } else if (!owner.equals(user)) {
        add(
            Kind.DOUBTFUL,
            "rights",
            folder + " belongs to " + owner + ", and this is " + user,
            "files that are made now belong to " + user + ": let one user run the workspace");
      }
    }
    Path tokens = workspace.data().resolve("tokens.json");
    if (Files.exists(tokens) && Files.getFileStore(tokens).supportsFileAttributeView("posix")) {
      Set<PosixFilePermission> rights = Files.getPosixFilePermissions(tokens);
      if (OTHERS.stream().anyMatch(rights::contains)) {
        add(Kind.DOUBTFUL, "rights", tokens + " can be read by others", "chmod 600 " + tokens);
      }
    }
  }

  private void room() throws IOException {
    Path where = Files.exists(workspace.data()) ? workspace.data() : workspace.folder();
    FileStore disk = Files.getFileStore(where);
    long free = disk.getUsableSpace();
    if (free < LITTLE_ROOM) {
      add(
          Kind.WRONG,
          "room",
          "only " + about(free) + " are free on the disk of " + where,
          "make room, or lower 'keep' of queues");
    }
    for (Pipeline pipeline : workspace.definition().pipelines()) {
      Sizes.bytes(pipeline.channel().main())
          .filter(bytes -> bytes > free)
          .ifPresent(
              bytes ->
                  add(
                      Kind.DOUBTFUL,
                      "room",
                      "the channel of "
                          + pipeline.name()
                          + " may grow to "
                          + about(bytes)
                          + ", and "
                          + about(free)
                          + " are free",
                      "make room, or let it be smaller"));
    }
    if (found.stream().noneMatch(f -> f.subject().equals("room"))) {
      add(Kind.GOOD, "room", about(free) + " are free on the disk of " + where, "");
    }
  }

  private void clock() throws IOException {
    Path state = workspace.data().resolve("state.db");
    if (!Files.exists(state)) {
      return;
    }
    Instant written = Files.getLastModifiedTime(state).toInstant();
    Duration ahead = Duration.between(Instant.now(), written);
    if (ahead.compareTo(CLOCK_SLACK) > 0) {
      add(
          Kind.WRONG,
          "clock",
          "the state was written "
              + Sizes.show(Duration.ofSeconds(ahead.toSeconds()))
              + " in the future, so the clock was set back",
          "set the clock; what was taken meanwhile has times that are not in order");
    }
  }

  private void machine() {
    long heap = Runtime.getRuntime().maxMemory();
    if (heap < LITTLE_HEAP) {
      add(
          Kind.DOUBTFUL,
          "machine",
          "the heap is bounded to " + about(heap),
          "WEXRUN_JAVA_OPTS=-Xmx512m gives more");
    }
    add(
        Kind.GOOD,
        "machine",
        "Java "
            + System.getProperty("java.version")
            + " with "
            + Counted.of(Runtime.getRuntime().availableProcessors(), "core")
            + " and a heap of "
            + about(heap),
        "");
  }

  private void mistakes() {
    List<Diagnostic> all = workspace.check();
    long errors = all.stream().filter(d -> d.severity() == Severity.ERROR).count();
    if (errors > 0) {
      add(
          Kind.WRONG,
          "files",
          "the files have " + Counted.of(errors, "mistake"),
          "'wexrun check' shows where");
    } else if (!all.isEmpty()) {
      add(
          Kind.DOUBTFUL,
          "files",
          "the files have " + Counted.of(all.size(), "warning"),
          "'wexrun check' shows them");
    }
  }

  private void runs() throws IOException {
    List<PipelineStatus> running = workspace.runs().status();
    for (PipelineStatus each : running) {
      each.why()
          .ifPresent(
              why ->
                  add(
                      Kind.WRONG,
                      "runs",
                      "pipeline " + each.pipeline() + " does not run: " + why,
                      ""));
    }
    List<String> names = running.stream().map(PipelineStatus::pipeline).toList();
    for (Pipeline pipeline : workspace.definition().pipelines()) {
      Path lock = workspace.data().resolve("locks").resolve(pipeline.name() + ".lock");
      boolean held = site.stateIfAny().map(s -> s.isHeld(pipeline.name())).orElse(false);
      if (held && !names.contains(pipeline.name())) {
        add(
            Kind.DOUBTFUL,
            "runs",
            "pipeline "
                + pipeline.name()
                + " is held by "
                + Files.readString(lock).strip()
                + ", which does not answer",
            "if it hangs, end that process: nothing is lost by that");
      }
    }
    if (!names.isEmpty()) {
      add(Kind.GOOD, "runs", Counted.of(names.size(), "pipeline") + " in runs that go on", "");
    }
  }

  private void books() {
    for (Tally tally : workspace.tally()) {
      if (!tally.balanced()) {
        add(
            Kind.WRONG,
            "books",
            "the books of " + tally.pipeline() + " do not balance",
            "'wexrun tally " + tally.pipeline() + "' shows them");
      }
      long dead = tally.counts().allDead();
      if (dead > 0 && dead * 2 > tally.counts().taken()) {
        add(
            Kind.DOUBTFUL,
            "books",
            Counted.of(dead, "record")
                + " of the "
                + Counted.number(tally.counts().taken())
                + " that "
                + tally.pipeline()
                + " took died",
            "'wexrun dead " + tally.pipeline() + "' says why");
      }
    }
    for (String name : workspace.undefined()) {
      add(
          Kind.DOUBTFUL,
          "books",
          "pipeline " + name + " has books, and is not defined any more",
          "if it was renamed: wexrun adopt " + name + " NEW");
    }
  }

  private void replays() {
    for (String pipeline : workspace.pipelineNames()) {
      workspace.replays().all(pipeline).stream()
          .filter(replay -> replay.ended().isEmpty())
          .forEach(
              replay ->
                  add(
                      Kind.DOUBTFUL,
                      "books",
                      "replay "
                          + replay.number()
                          + " of dead letters of "
                          + pipeline
                          + " has not ended: it was killed, or goes on",
                      "if it does not go on, 'wexrun replay " + pipeline + "' ends it"));
    }
  }

  private void rebuilds() {
    for (String pipeline : workspace.pipelineNames()) {
      for (RebuildFacts each : workspace.rebuilds().all(pipeline)) {
        String go = "'wexrun rebuild " + pipeline;
        switch (each.state()) {
          case "preparing", "running" ->
              add(
                  Kind.DOUBTFUL,
                  "books",
                  "rebuild " + each.number() + " of " + pipeline + " has not ended",
                  go + "' goes on with it, " + go + " --swap' or --discard ends it");
          case "swapping", "mending" ->
              add(
                  Kind.WRONG,
                  "books",
                  "the swap of rebuild " + each.number() + " of " + pipeline + " was killed",
                  go + " --swap' finishes it");
          default -> {
            continue;
          }
        }
      }
    }
  }

  private void stores() {
    Set<String> unreachable = new TreeSet<>();
    for (WorkspaceTables.Facts table : workspace.tables().facts()) {
      String name = table.table().name();
      String store = table.table().store();
      String show = "'wexrun table " + name + "' shows ";
      if (table.failure().isPresent()) {
        if (unreachable.add(store)) {
          add(Kind.WRONG, "stores", table.failure().get().getMessage(), "");
        }
      } else if (!table.grants().isEmpty()) {
        add(
            Kind.WRONG,
            "stores",
            "the user of store " + store + " lacks rights to load table " + name,
            show + "the statements that grant them");
      } else if (table.difference().isPresent()) {
        add(
            Kind.WRONG,
            "stores",
            "table " + name + " in store " + store + " differs from its definition",
            show + "how");
      } else if (table.missing()) {
        add(
            Kind.WRONG,
            "stores",
            "table " + name + " is not in store " + store + ", and is never made here",
            "make it, or change 'manage'");
      }
    }
    for (Setback setback : workspace.setbacks()) {
      add(Kind.WRONG, "stores", setback.toString(), "'wexrun reconcile' says what can be done");
    }
  }

  private void queues() {
    for (QueueFacts queue : workspace.queues().facts()) {
      queue
          .cannotOpen()
          .ifPresent(
              why ->
                  add(
                      Kind.WRONG,
                      "queues",
                      "queue " + queue.name() + " cannot be opened: " + why,
                      "'wexrun queue verify " + queue.name() + "' looks further"));
    }
    for (Map.Entry<String, Long> channel : workspace.queues().channels().entrySet()) {
      if (channel.getValue() > 0) {
        add(
            Kind.DOUBTFUL,
            "queues",
            Counted.of(channel.getValue(), "record") + " wait in " + channel.getKey(),
            "a run of the pipeline delivers them");
      }
    }
  }

  private void deliveries() {
    for (String store : workspace.deliveries().stores()) {
      List<Resending.Outstanding> booked = workspace.deliveries().outstanding(store);
      long waiting = booked.stream().mapToLong(Resending.Outstanding::waiting).sum();
      if (waiting > 0) {
        add(
            Kind.DOUBTFUL,
            "deliveries",
            Counted.of(waiting, "row") + " that store " + store + " put aside wait to be sent",
            "'wexrun resend " + store + "' sends them");
      }
      long refused = booked.stream().mapToLong(Resending.Outstanding::refused).sum();
      if (refused > 0) {
        add(
            Kind.DOUBTFUL,
            "deliveries",
            Counted.of(refused, "row") + " were refused by the receiver of store " + store,
            "'wexrun resend --list' shows why; when that is fixed, 'wexrun resend --refused "
                + store
                + "' sends them");
      }
    }
  }

  /** What the next run would find of files that were cut, replaced, removed or rotated. */
  private void sources() {
    for (Pipeline pipeline : workspace.definition().pipelines()) {
      String name = pipeline.name();
      if (!pipeline.intake().kind().equals("files")
          || site.sources(name).isEmpty()
          || site.state().isHeld(name)) {
        continue; // A run that goes on looks at its files itself.
      }
      try (Intake intake =
          ends.intake(
              pipeline,
              notice -> add(Kind.DOUBTFUL, "sources", name + ": " + notice, ""),
              false,
              () -> true)) {
        intake.look();
        LockSupport.parkNanos(BETWEEN_LOOKS.toNanos());
        intake.look(); // A file that is just being renamed is at its new place by now.
      }
    }
  }
}
