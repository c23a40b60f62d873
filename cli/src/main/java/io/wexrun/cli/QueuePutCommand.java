package io.wexrun.cli;

import com.google.re2j.Matcher;
import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.project.Workspace;
import io.wexrun.queue.Producer;
import io.wexrun.queue.ProducerFigures;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueMessage;
import java.io.BufferedInputStream;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.Map;
import java.util.Optional;
import java.util.concurrent.Callable;
import java.util.concurrent.atomic.AtomicLong;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.ParameterException;
import picocli.CommandLine.Parameters;
import picocli.CommandLine.Spec;
import tools.jackson.core.JacksonException;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;

@Command(
    name = "put",
    mixinStandardHelpOptions = true,
    description = "Append the lines of a file, or of standard input, to a queue.",
    footer = {
      "",
      "Exit codes: 0 all lines are stored; 2 no such queue or partition; 3 the queue is held by",
      "  another process, or the disk fails: what was stored is said.",
      "",
      "Example: wexrun queue put gate-events incoming/gates/gates-north.log --key 'card=(\\S+)'"
    })
final class QueuePutCommand implements Callable<Integer> {
  /** No queue takes a longer record. */
  private static final int LONGEST_LINE = 16 << 20;

  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @Spec private CommandSpec spec;

  private final JsonMapper json = JsonMapper.builder().build();
  private long unkeyed;

  @Parameters(index = "0", paramLabel = "QUEUE", description = "Which queue.")
  private String name;

  @Parameters(
      index = "1",
      arity = "0..1",
      paramLabel = "FILE",
      description = "Take lines from it; - or nothing reads standard input.")
  private String file;

  @Option(
      names = "--key",
      paramLabel = "PATTERN",
      description = "The key of a line: what the first group of this pattern (RE2) matches in it.")
  private String key;

  @Option(
      names = "--key-field",
      paramLabel = "PATH",
      description =
          "The key of a line that is a JSON object: this member, such as card or $.tram.id.")
  private String keyField;

  @Option(
      names = "--header",
      paramLabel = "NAME=TEXT",
      description = "A header for every record; may be repeated.")
  private Map<String, String> headers = new LinkedHashMap<>();

  @Option(names = "--partition", paramLabel = "P", description = "Put all into this partition.")
  private Integer partition;

  @Option(
      names = "--producer",
      paramLabel = "NAME",
      description = {
        "Number the lines under this name: if it is called again with the same",
        "lines and key, as after it was cut off, those that are stored are not",
        "appended again. Another file takes another name."
      })
  private String producerName;

  private final AtomicLong repeated = new AtomicLong();
  private long number;

  QueuePutCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() {
    if (key != null && keyField != null) {
      throw new ParameterException(spec.commandLine(), "--key and --key-field exclude each other");
    }
    if (keyField != null && !keyField.matches("(\\$\\.)?[^.]+(\\.[^.]+)*")) {
      throw new ParameterException(
          spec.commandLine(),
          "--key-field '" + keyField + "' is not a path: it is names with a '.' between them");
    }
    Pattern pattern = pattern();
    try (Workspace workspace = workspaceOption.open()) {
      NamesGiven.known("queue", name, workspace.queues().defined(), spec);
      ProducerFigures figures;
      try (InputStream in = open();
          Producer producer = producer(workspace.queues().open(name))) {
        byte[] line = line(in);
        while (line != null) {
          producer
              .append(message(line, pattern))
              .thenAccept(at -> repeated.addAndGet(at.repeated() ? 1 : 0));
          line = line(in);
        }
        producer.flush();
        figures = producer.figures();
      } catch (IllegalArgumentException e) {
        throw new ParameterException(spec.commandLine(), e.getMessage());
      } catch (IOException e) {
        throw isInput()
            ? Terminal.noInput(e)
            : new OutsideException("cannot read " + file + ": " + e.getMessage(), e);
      }
      if (workspaceOption.json()) {
        Map<String, Object> facts = new LinkedHashMap<>();
        facts.put("records", figures.recordsAcknowledged() - repeated.get());
        facts.put("repeated", repeated.get());
        facts.put("packs", figures.packsWritten());
        facts.put("unkeyed", unkeyed);
        terminal.json(facts);
      } else {
        terminal.say(
            "appended "
                + Counted.of(figures.recordsAcknowledged() - repeated.get(), "record")
                + " in "
                + Counted.of(figures.packsWritten(), "pack")
                + " to queue "
                + name
                + (repeated.get() > 0
                    ? "; "
                        + Counted.of(repeated.get(), "record")
                        + (repeated.get() == 1 ? " was" : " were")
                        + " there already"
                    : "")
                + (unkeyed > 0 && (key != null || keyField != null)
                    ? "; "
                        + Counted.number(unkeyed)
                        + (unkeyed == 1 ? " of them has no key" : " of them have no key")
                    : ""));
      }
      return ExitCode.DONE;
    }
  }

  private Producer producer(Queue queue) {
    if (producerName == null) {
      return queue.producer();
    }
    if (!producerName.matches("[A-Za-z0-9._-]{1,100}")) {
      throw new ParameterException(
          spec.commandLine(),
          "--producer is a name of letters, digits, '.', '-' and '_', not '" + producerName + "'");
    }
    return queue.producer("put/" + producerName);
  }

  private Pattern pattern() {
    try {
      return key == null ? null : Pattern.compile(key);
    } catch (PatternSyntaxException e) {
      throw new ParameterException(spec.commandLine(), "--key is not a pattern: " + e.getMessage());
    }
  }

  private boolean isInput() {
    return file == null || file.equals("-");
  }

  private InputStream open() throws IOException {
    if (isInput()) {
      return terminal.input();
    }
    Path path = terminal.at(file);
    if (!Files.isRegularFile(path)) {
      throw new OutsideException("there is no file " + file);
    }
    return new BufferedInputStream(Files.newInputStream(path), 1 << 16);
  }

  /** The next line without its end; null at the end of the data. */
  private static byte[] line(InputStream in) throws IOException {
    ByteArrayOutputStream line = new ByteArrayOutputStream(256);
    int b = in.read();
    if (b < 0) {
      return null;
    }
    while (b >= 0 && b != '\n') {
      line.write(b);
      if (line.size() > LONGEST_LINE) {
        throw new OutsideException(
            "a line has more than " + (LONGEST_LINE >> 20) + " MB: nothing of it was appended");
      }
      b = in.read();
    }
    byte[] bytes = line.toByteArray();
    boolean carriage = bytes.length > 0 && bytes[bytes.length - 1] == '\r';
    return carriage ? Arrays.copyOf(bytes, bytes.length - 1) : bytes;
  }

  private QueueMessage message(byte[] line, Pattern pattern) {
    QueueMessage message = QueueMessage.of(line);
    Optional<byte[]> found = pattern == null ? member(line) : match(line, pattern);
    if (found.isPresent()) {
      message = message.key(found.get());
    } else {
      unkeyed++;
    }
    for (Map.Entry<String, String> header : headers.entrySet()) {
      message = message.header(header.getKey(), header.getValue());
    }
    message = producerName == null ? message : message.number(number++);
    return partition == null ? message : message.to(partition);
  }

  private static Optional<byte[]> match(byte[] line, Pattern pattern) {
    Matcher matcher = pattern.matcher(line);
    int group = matcher.groupCount() > 0 ? 1 : 0;
    return matcher.find() && matcher.start(group) >= 0
        ? Optional.of(Arrays.copyOfRange(line, matcher.start(group), matcher.end(group)))
        : Optional.empty();
  }

  private Optional<byte[]> member(byte[] line) {
    if (keyField == null) {
      return Optional.empty();
    }
    try {
      JsonNode node = json.readTree(line);
      for (String name : keyField.replaceFirst("^\\$\\.", "").split("\\.")) {
        node = node.path(name);
      }
      boolean none = node.isMissingNode() || node.isNull() || node.isContainer();
      return none
          ? Optional.empty()
          : Optional.of(node.asString().getBytes(StandardCharsets.UTF_8));
    } catch (JacksonException e) {
      return Optional.empty(); // No JSON, so no member: it is counted, and told in the end.
    }
  }
}
