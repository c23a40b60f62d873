package io.wexrun.cli;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.project.Workspace;
import io.wexrun.queue.PartitionInfo;
import io.wexrun.queue.Queue;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "queue",
    mixinStandardHelpOptions = true,
    description = {
      "Show the queues of a workspace, or the partitions of one; works while a run goes on.",
      "The commands below make, read, fill, look after and remove queues."
    },
    subcommands = {
      QueueCreateCommand.class,
      QueueReadCommand.class,
      QueuePutCommand.class,
      QueueTrimCommand.class,
      QueueGroupsCommand.class,
      QueueVerifyCommand.class,
      QueueRepairCommand.class,
      QueueDeleteCommand.class
    },
    footer = {
      "",
      "Exit codes: 0 done; 2 no such queue; 3 no workspace.",
      "",
      "Example: wexrun queue gate-events"
    })
final class QueueCommand implements Callable<Integer> {
  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(
      arity = "0..1",
      paramLabel = "QUEUE",
      description = "Which queue; dead letters are in dead/PIPELINE. Without it, all.")
  private String name;

  QueueCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      List<String> names = workspace.queues().names();
      if (name == null) {
        overview(workspace, names);
        return ExitCode.DONE;
      }
      NamesGiven.known("queue", name, names, spec);
      Optional<Queue> queue = workspace.queues().read(name);
      if (queue.isEmpty()) {
        terminal.say("queue " + name + " is empty: nothing was ever appended");
        return ExitCode.DONE;
      }
      try (Queue open = queue.get()) {
        partitions(open, readers(workspace, open));
      }
      return ExitCode.DONE;
    }
  }

  private void overview(Workspace workspace, List<String> names) {
    List<Map<String, Object>> facts = new ArrayList<>();
    List<List<String>> rows = new ArrayList<>();
    Map<String, Long> channels = workspace.queues().channels();
    List<Map<String, Object>> waiting = new ArrayList<>();
    List<String> lines = new ArrayList<>();
    for (String each : names) {
      List<PartitionInfo> infos;
      try {
        infos = describe(workspace, each);
      } catch (OutsideException e) {
        // One that cannot be opened must not hide the others.
        facts.add(Map.of("queue", each, "cannotOpen", e.getMessage()));
        rows.add(List.of(each, "·", "·", "·", "·"));
        terminal.say(e.getMessage());
        continue;
      }
      if (channels.containsKey(each)) {
        // Its records are blocks: what counts is how many records wait in them.
        long bytes = infos.stream().mapToLong(PartitionInfo::bytes).sum();
        waiting.add(Map.of("channel", each, "held", channels.get(each), "bytes", bytes));
        lines.add(
            each
                + ": "
                + Terminal.count(channels.get(each))
                + " records wait, "
                + Terminal.count(bytes)
                + " bytes");
        continue;
      }
      long records = infos.stream().mapToLong(PartitionInfo::records).sum();
      long packs = infos.stream().mapToLong(PartitionInfo::packs).sum();
      long bytes = infos.stream().mapToLong(PartitionInfo::bytes).sum();
      Map<String, Object> fact = new LinkedHashMap<>();
      fact.put("queue", each);
      fact.put("partitions", infos.size());
      fact.put("records", records);
      fact.put("packs", packs);
      fact.put("bytes", bytes);
      facts.add(fact);
      rows.add(
          List.of(
              each,
              Integer.toString(infos.size()),
              Terminal.count(records),
              Terminal.count(packs),
              Terminal.count(bytes)));
    }
    if (workspaceOption.json()) {
      terminal.json("queues", facts, "channels", waiting);
    } else {
      terminal.table(
          List.of("queue", "partitions", "records", "packs", "bytes"),
          List.of(false, true, true, true, true),
          rows);
      lines.forEach(terminal.out::println);
      terminal.flush();
    }
  }

  private static List<PartitionInfo> describe(Workspace workspace, String queue) {
    Optional<Queue> open = workspace.queues().read(queue);
    if (open.isEmpty()) {
      return List.of();
    }
    try (Queue opened = open.get()) {
      return opened.describe();
    }
  }

  /** Groups and pipelines that read a queue, with how many records they are behind. */
  private static List<Map<String, Object>> readers(Workspace workspace, Queue queue) {
    List<Map<String, Object>> readers = new ArrayList<>();
    queue
        .groups()
        .forEach(each -> readers.add(reader("group", each, queue.committed(each), queue)));
    workspace
        .queues()
        .readers(queue.name())
        .forEach((each, passed) -> readers.add(reader("pipeline", each, passed, queue)));
    return readers;
  }

  private static Map<String, Object> reader(
      String kind, String reader, long[] positions, Queue queue) {
    long lag = 0;
    for (PartitionInfo info : queue.describe()) {
      int partition = info.partition();
      long at = partition < positions.length ? positions[partition] : 0;
      lag += queue.recordsFrom(partition, at);
    }
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("reader", reader);
    facts.put("kind", kind);
    facts.put("lag", lag);
    return facts;
  }

  private void partitions(Queue queue, List<Map<String, Object>> readers) {
    List<PartitionInfo> infos = queue.describe();
    if (workspaceOption.json()) {
      Map<String, Object> facts = new LinkedHashMap<>();
      facts.put("queue", queue.name());
      facts.put("partitions", infos.stream().map(QueueCommand::facts).toList());
      facts.put("readers", readers);
      terminal.json(facts);
      return;
    }
    List<List<String>> rows = new ArrayList<>();
    for (PartitionInfo info : infos) {
      rows.add(
          List.of(
              Integer.toString(info.partition()),
              Terminal.count(info.oldest()),
              Terminal.count(info.end()),
              Terminal.count(info.records()),
              Terminal.count(info.packs()),
              Terminal.count(info.bytes()),
              Integer.toString(info.segments()),
              time(info.oldestMillis()),
              time(info.newestMillis())));
    }
    terminal.table(
        List.of("partition", "oldest", "end", "records", "packs", "bytes", "files", "from", "to"),
        List.of(true, true, true, true, true, true, true, false, false),
        rows);
    long lost = infos.stream().mapToLong(PartitionInfo::lost).sum();
    if (lost > 0) {
      terminal.out.println(Terminal.count(lost) + " positions have no record since a repair");
    }
    if (!readers.isEmpty()) {
      terminal.out.println();
      terminal.table(
          List.of("read by", "kind", "lag"),
          List.of(false, false, true),
          readers.stream()
              .map(
                  reader ->
                      List.of(
                          (String) reader.get("reader"),
                          (String) reader.get("kind"),
                          Terminal.count((long) reader.get("lag"))))
              .toList());
    }
    terminal.flush();
  }

  private static String time(Optional<Long> millis) {
    return millis.map(t -> Instant.ofEpochMilli(t).toString()).orElse("·");
  }

  private static Map<String, Object> facts(PartitionInfo info) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("partition", info.partition());
    facts.put("oldest", info.oldest());
    facts.put("end", info.end());
    facts.put("records", info.records());
    facts.put("lost", info.lost());
    facts.put("packs", info.packs());
    facts.put("bytes", info.bytes());
    facts.put("files", info.segments());
    info.oldestMillis().ifPresent(t -> facts.put("from", Instant.ofEpochMilli(t).toString()));
    info.newestMillis().ifPresent(t -> facts.put("to", Instant.ofEpochMilli(t).toString()));
    return facts;
  }
}
