package io.wexrun.cli;

import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.project.Workspace;
import io.wexrun.queue.PartitionInfo;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueRecord;
import io.wexrun.queue.Reader;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;

@Command(
    name = "queue",
    mixinStandardHelpOptions = true,
    description = {
      "Show the queues of a workspace, the partitions of one, or some of its records.",
      "Works while a run goes on."
    },
    footer = {
      "",
      "Exit codes: 0 done; 2 no such queue, partition or start; 3 no workspace.",
      "",
      "Example: wexrun queue gate-events --read 3 --from oldest --partition 2"
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

  @Option(names = "--read", paramLabel = "N", description = "Read at most N records.")
  private int read;

  @Option(
      names = "--from",
      paramLabel = "START",
      defaultValue = "oldest",
      description = "oldest, newest (what is appended from now on, for 10 s), or a position.")
  private String from;

  @Option(names = "--partition", paramLabel = "P", description = "Only this partition, from 0.")
  private Integer partition;

  QueueCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    try (Workspace workspace = workspaceOption.open()) {
      List<String> names = new ArrayList<>(workspace.definition().queues().keySet());
      for (Pipeline pipeline : workspace.definition().pipelines()) {
        names.add(pipeline.deadLetters());
      }
      if (name == null) {
        overview(workspace, names);
        return ExitCode.DONE;
      }
      Names.known("queue", name, names, spec);
      Optional<Queue> queue = workspace.readQueue(name);
      if (queue.isEmpty()) {
        terminal.say("queue " + name + " is empty: nothing was ever appended");
        return ExitCode.DONE;
      }
      try (Queue open = queue.get()) {
        if (read > 0) {
          records(open);
        } else {
          partitions(open);
        }
      }
      return ExitCode.DONE;
    }
  }

  private void overview(Workspace workspace, List<String> names) {
    List<Map<String, Object>> facts = new ArrayList<>();
    List<List<String>> rows = new ArrayList<>();
    for (String each : names) {
      List<PartitionInfo> infos = describe(workspace, each);
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
      terminal.json(Map.of("queues", facts));
    } else {
      terminal.table(
          List.of("queue", "partitions", "records", "packs", "bytes"),
          List.of(false, true, true, true, true),
          rows);
    }
  }

  private static List<PartitionInfo> describe(Workspace workspace, String queue) {
    Optional<Queue> open = workspace.readQueue(queue);
    if (open.isEmpty()) {
      return List.of();
    }
    try (Queue opened = open.get()) {
      return opened.describe();
    }
  }

  private void partitions(Queue queue) {
    List<PartitionInfo> infos = queue.describe();
    if (workspaceOption.json()) {
      terminal.json("queue", queue.name(), "partitions", infos);
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
              Integer.toString(info.segments())));
    }
    terminal.table(
        List.of("partition", "oldest", "end", "records", "packs", "bytes", "files"),
        List.of(true, true, true, true, true, true, true),
        rows);
  }

  private void records(Queue queue) {
    if (partition != null && (partition < 0 || partition >= queue.partitions())) {
      throw new ParameterException(
          spec.commandLine(),
          "queue "
              + name
              + " has partitions 0 to "
              + (queue.partitions() - 1)
              + ", not "
              + partition);
    }
    Duration wait = from.equals("newest") ? Duration.ofSeconds(10) : Duration.ZERO;
    Reader reader = reader(queue);
    List<Map<String, Object>> facts = new ArrayList<>();
    int left = read;
    while (left > 0) {
      List<QueueRecord> records = reader.poll(partition == null ? left : 10_000, wait);
      if (records.isEmpty()) {
        break;
      }
      for (QueueRecord each : records) {
        if (left > 0 && (partition == null || partition == each.partition())) {
          left--;
          if (workspaceOption.json()) {
            facts.add(facts(each));
          } else {
            terminal.out.println(each.text());
          }
        }
      }
    }
    if (workspaceOption.json()) {
      terminal.json(Map.of("records", facts));
    }
    terminal.flush();
    if (left == read) {
      terminal.say("no records there");
    }
  }

  private Reader reader(Queue queue) {
    switch (from) {
      case "oldest":
        return queue.readFromOldest();
      case "newest":
        return queue.readFromNewest();
      default:
        long[] positions = new long[queue.partitions()];
        try {
          Arrays.fill(positions, Long.parseLong(from));
        } catch (NumberFormatException e) {
          throw new ParameterException(
              spec.commandLine(), "--from is oldest, newest or a position, not '" + from + "'");
        }
        for (PartitionInfo info : queue.describe()) {
          int i = info.partition();
          positions[i] = Math.max(info.oldest(), Math.min(info.end(), positions[i]));
        }
        return queue.readFrom(positions);
    }
  }

  private static Map<String, Object> facts(QueueRecord record) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("partition", record.partition());
    facts.put("position", record.position());
    facts.put("time", Instant.ofEpochMilli(record.timeMillis()).toString());
    facts.put("key", record.key().isEmpty() ? null : record.keyText());
    facts.put("headers", record.headers());
    facts.put("value", record.text());
    return facts;
  }
}
