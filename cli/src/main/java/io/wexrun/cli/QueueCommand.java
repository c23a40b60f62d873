package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.project.Workspace;
import io.wexrun.project.facts.QueueFacts;
import io.wexrun.project.facts.ReaderFacts;
import io.wexrun.queue.log.PartitionInfo;
import java.time.Instant;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
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
        overview(workspace.queues().facts());
        return ExitCode.DONE;
      }
      NamesGiven.known("queue", name, names, spec);
      QueueFacts queue = workspace.queues().facts(name);
      queue
          .cannotOpen()
          .ifPresent(
              why -> {
                throw new OutsideException(why);
              });
      if (queue.partitions().isEmpty()) {
        terminal.say("queue " + name + " is empty: nothing was ever appended");
        return ExitCode.DONE;
      }
      partitions(queue);
      return ExitCode.DONE;
    }
  }

  private void overview(List<QueueFacts> queues) {
    List<Map<String, Object>> facts = new ArrayList<>();
    List<List<String>> rows = new ArrayList<>();
    List<Map<String, Object>> waiting = new ArrayList<>();
    List<String> lines = new ArrayList<>();
    for (QueueFacts queue : queues) {
      if (queue.cannotOpen().isPresent()) {
        // One that cannot be opened must not hide the others.
        facts.add(Map.of("queue", queue.name(), "cannotOpen", queue.cannotOpen().get()));
        rows.add(List.of(queue.name(), "·", "·", "·", "·"));
        terminal.say(queue.cannotOpen().get());
      } else if (queue.held().isPresent()) {
        // Its records are blocks: what counts is how many records wait in them.
        long held = queue.held().getAsLong();
        waiting.add(Map.of("channel", queue.name(), "held", held, "bytes", queue.bytes()));
        lines.add(
            queue.name()
                + ": "
                + Counted.of(held, "record")
                + (held == 1 ? " waits, " : " wait, ")
                + Counted.of(queue.bytes(), "byte"));
      } else {
        Map<String, Object> fact = new LinkedHashMap<>();
        fact.put("queue", queue.name());
        fact.put("partitions", queue.partitions().size());
        fact.put("records", queue.records());
        fact.put("packs", queue.packs());
        fact.put("bytes", queue.bytes());
        facts.add(fact);
        rows.add(
            List.of(
                queue.name(),
                Integer.toString(queue.partitions().size()),
                Counted.number(queue.records()),
                Counted.number(queue.packs()),
                Counted.number(queue.bytes())));
      }
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

  private static Map<String, Object> facts(ReaderFacts reader) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("reader", reader.name());
    facts.put("kind", kind(reader));
    facts.put("lag", reader.lag());
    return facts;
  }

  private static String kind(ReaderFacts reader) {
    return reader.kind().name().toLowerCase(Locale.ROOT);
  }

  private void partitions(QueueFacts queue) {
    List<PartitionInfo> infos = queue.partitions();
    List<ReaderFacts> readers = queue.readers();
    if (workspaceOption.json()) {
      Map<String, Object> facts = new LinkedHashMap<>();
      facts.put("queue", queue.name());
      facts.put("partitions", infos.stream().map(QueueCommand::facts).toList());
      facts.put("readers", readers.stream().map(QueueCommand::facts).toList());
      terminal.json(facts);
      return;
    }
    List<List<String>> rows = new ArrayList<>();
    for (PartitionInfo info : infos) {
      rows.add(
          List.of(
              Integer.toString(info.partition()),
              Counted.number(info.oldest()),
              Counted.number(info.end()),
              Counted.number(info.records()),
              Counted.number(info.packs()),
              Counted.number(info.bytes()),
              Integer.toString(info.segments()),
              time(info.oldestMillis()),
              time(info.newestMillis())));
    }
    terminal.table(
        List.of("partition", "oldest", "end", "records", "packs", "bytes", "files", "from", "to"),
        List.of(true, true, true, true, true, true, true, false, false),
        rows);
    if (queue.lost() > 0) {
      terminal.out.println(
          Counted.number(queue.lost()) + " positions have no record since a repair");
    }
    if (!readers.isEmpty()) {
      terminal.out.println();
      terminal.table(
          List.of("read by", "kind", "lag"),
          List.of(false, false, true),
          readers.stream()
              .map(reader -> List.of(reader.name(), kind(reader), Counted.number(reader.lag())))
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
