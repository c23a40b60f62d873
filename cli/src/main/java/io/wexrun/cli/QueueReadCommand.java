package io.wexrun.cli;

import io.wexrun.project.Workspace;
import io.wexrun.queue.Queue;
import io.wexrun.queue.Reader;
import io.wexrun.queue.log.PartitionInfo;
import io.wexrun.queue.log.QueueRecord;
import java.time.DateTimeException;
import java.time.Duration;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
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
    name = "read",
    mixinStandardHelpOptions = true,
    description = "Write records of a queue; works while others append, and changes nothing.",
    footer = {
      "",
      "Exit codes: 0 done; 2 no such queue, partition or start; 3 no workspace.",
      "",
      "Example: wexrun queue read gate-events --limit 3 --partition 2"
    })
final class QueueReadCommand implements Callable<Integer> {
  private final Terminal terminal;

  /** How records are written. */
  enum Form {
    TEXT,
    JSON,
    HEX;

    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  @Parameters(index = "0", paramLabel = "QUEUE", description = "Which queue.")
  private String name;

  @Option(
      names = "--from",
      paramLabel = "START",
      defaultValue = "oldest",
      description = {
        "oldest, newest (what is appended from now on), a position, or a time such as",
        "2026-05-03T05:00:00Z (default ${DEFAULT-VALUE})."
      })
  private String from;

  @Option(names = "--limit", paramLabel = "N", description = "At most so many records.")
  private Long limit;

  @Option(names = "--follow", description = "Go on with what is appended, until Ctrl-C.")
  private boolean follow;

  @Option(names = "--partition", paramLabel = "P", description = "Only this partition, from 0.")
  private Integer partition;

  @Option(
      names = "--as",
      paramLabel = "FORM",
      defaultValue = "text",
      description = {
        "text: the values; json: an object a line, with place, time, key and headers;",
        "hex: place and bytes (default ${DEFAULT-VALUE})."
      })
  private Form form;

  QueueReadCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    if (limit != null && limit < 1) {
      throw new ParameterException(spec.commandLine(), "--limit is 1 or more");
    }
    try (Workspace workspace = workspaceOption.open()) {
      NamesGiven.known("queue", name, workspace.queues().names(), spec);
      Optional<Queue> queue = workspace.queues().read(name);
      if (queue.isEmpty()) {
        terminal.say("queue " + name + " is empty: nothing was ever appended");
        return ExitCode.DONE;
      }
      try (Queue open = queue.get()) {
        read(open);
      }
      return ExitCode.DONE;
    }
  }

  private void read(Queue queue) {
    if (partition != null && (partition < 0 || partition >= queue.partitions())) {
      String known = "queue " + name + " has partitions 0 to " + (queue.partitions() - 1);
      throw new ParameterException(spec.commandLine(), known + ", not " + partition);
    }
    boolean waits = follow || from.equals("newest");
    Duration wait = follow ? Duration.ofSeconds(1) : Duration.ofSeconds(waits ? 10 : 0);
    Reader reader = reader(queue, from, "--from", spec).goOnFromOldest();
    List<Map<String, Object>> facts = new ArrayList<>();
    long left = limit == null ? Long.MAX_VALUE : limit;
    long written = 0;
    while (left > 0) {
      List<QueueRecord> records = reader.poll(1000, wait);
      if (records.isEmpty() && !follow) {
        break;
      }
      for (QueueRecord each : records) {
        if (left > 0 && (partition == null || partition == each.partition())) {
          left--;
          written++;
          if (workspaceOption.json() && follow) {
            terminal.json(facts(each)); // There is no end at which a list could be closed.
          } else if (workspaceOption.json()) {
            facts.add(facts(each));
          } else {
            write(each);
          }
        }
      }
      if (follow) {
        terminal.flush();
      }
    }
    if (workspaceOption.json() && !follow) {
      terminal.json(Map.of("records", facts));
    }
    terminal.flush();
    if (written == 0) {
      terminal.say("no records there");
    }
  }

  private void write(QueueRecord record) {
    switch (form) {
      case TEXT -> terminal.records.println(record.text());
      case JSON -> terminal.out.println(Terminal.compact(facts(record)));
      case HEX ->
          terminal.out.println(
              record.partition()
                  + "@"
                  + record.position()
                  + " "
                  + HexFormat.of().formatHex(record.value()));
    }
  }

  /** A reader from a start as it is written on the command line. */
  static Reader reader(Queue queue, String start, String option, CommandSpec spec) {
    if (start.equals("oldest")) {
      return queue.readFromOldest();
    }
    if (start.equals("newest")) {
      return queue.readFromNewest();
    }
    if (start.matches("\\d{1,18}")) {
      long[] positions = new long[queue.partitions()];
      Arrays.fill(positions, Long.parseLong(start));
      for (PartitionInfo info : queue.describe()) {
        int i = info.partition();
        positions[i] = Math.max(info.oldest(), Math.min(info.end(), positions[i]));
      }
      return queue.readFrom(positions);
    }
    try {
      return queue.readFrom(Instant.parse(start));
    } catch (DateTimeException e) {
      throw new ParameterException(
          spec.commandLine(),
          option
              + " is oldest, newest, a position, or a time such as 2026-05-03T05:00:00Z, not '"
              + start
              + "'");
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
