package io.wexrun.cli;

import io.wexrun.core.connect.RowsReader;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.look.FieldLook;
import io.wexrun.core.look.Look;
import io.wexrun.core.look.Looker;
import io.wexrun.core.look.SingleBytes;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.files.content.Sample;
import io.wexrun.files.whole.RowsLook;
import io.wexrun.project.Workspace;
import io.wexrun.project.draft.Drafts;
import io.wexrun.project.facts.FileDifference;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.ServiceLoader;
import java.util.concurrent.Callable;
import java.util.stream.Collectors;
import picocli.CommandLine;
import picocli.CommandLine.Command;
import picocli.CommandLine.Mixin;
import picocli.CommandLine.Model.CommandSpec;
import picocli.CommandLine.Option;
import picocli.CommandLine.Parameters;

@Command(
    name = "look",
    mixinStandardHelpOptions = true,
    description = {
      "Find out what data are: their format, fields and types; for lines, their templates.",
      "With --draft, write a pipeline and a table that load them."
    },
    footer = {
      "",
      "Exit codes: 0 done; 1 the workspace has mistakes; 2 no such pipeline; 3 a file cannot be"
          + " read, or the draft cannot be written; 4 --against has found a difference.",
      "",
      "Example: wexrun look incoming/depots/depots.syslog"
    })
final class LookCommand implements Callable<Integer> {
  private static final int SHOWN = 60;
  private static final int WIDTH = 110;
  private static final int KILOBYTE = 1024;
  private static final int SAMPLE_ROWS = 100_000;

  /** Files that hold rows, with the names of their formats. */
  private static final Map<String, String> TABLES =
      Map.of("a Parquet file", "parquet", "an Avro file", "avro", "an Arrow file", "arrow");

  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @CommandLine.Spec private CommandSpec spec;

  @Parameters(
      arity = "1..*",
      paramLabel = "FILE",
      description =
          "What to look at: files, also compressed ones and archives, which are taken as one; or a"
              + " folder with files. - is standard input.")
  private List<String> files;

  @Option(
      names = "--sample",
      paramLabel = "KB",
      defaultValue = "1024",
      description =
          "Look at so many kilobytes: of one plain file from its begin, its middle and its end"
              + " (default ${DEFAULT-VALUE}).")
  private int sample;

  @Option(
      names = "--encoding",
      paramLabel = "NAME",
      defaultValue = "",
      description =
          "Of text that is neither UTF-8 nor has a byte-order mark, such as windows-1252.")
  private String encoding;

  @Option(
      names = "--descriptors",
      paramLabel = "FILE",
      description =
          "For Protocol Buffers: a descriptor set, as protoc --include_imports"
              + " --descriptor_set_out writes it; with --message.")
  private String descriptors;

  @Option(
      names = "--message",
      paramLabel = "NAME",
      description = "For Protocol Buffers: the full name of the message that the file holds.")
  private String message;

  @Option(
      names = "--draft",
      paramLabel = "NAME",
      description = "Write pipelines/NAME.yaml, and table NAME into wexrun.yaml.")
  private String draft;

  @Option(
      names = "--against",
      paramLabel = "PIPELINE",
      description =
          "Tell how one file differs from what a pipeline of the workspace expects: what would"
              + " die, which fields are new, and which are in no record.")
  private String against;

  private boolean truncated;
  private boolean packed;
  private boolean folders;

  LookCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() throws IOException {
    if (sample < 1 || sample > 1 << 20) {
      throw new CommandLine.ParameterException(
          spec.commandLine(), "--sample is from 1 to 1048576 kilobytes");
    }
    if (against != null) {
      return lookAgainst();
    }
    if (descriptors != null || message != null) {
      return lookAtMessages();
    }
    byte[] data = read();
    String binary = binary(data);
    if (TABLES.containsKey(binary) && files.size() == 1 && !files.get(0).equals("-")) {
      return lookAtTable(binary);
    }
    if (!binary.isEmpty()) {
      requireNoDraft(binary + " has no lines to draft a pipeline from");
      terminal.out.println(binary + ", which has no lines to look at");
      terminal.flush();
      return ExitCode.DONE;
    }
    return shown(looked(data));
  }

  private Look looked(byte[] data) {
    String what =
        "trying layouts on " + WorkView.size(data.length) + " of records: this takes a moment";
    try (Patience patience = new Patience(terminal, what)) {
      return Looker.at(data);
    }
  }

  private void requireNoDraft(String why) {
    if (draft != null) {
      throw new OutsideException(why + ": nothing was written");
    }
  }

  private int shown(Look look) {
    if (look.records() == 0) {
      requireNoDraft("there are no records to draft a pipeline from");
      terminal.say("there are no records to look at");
      return ExitCode.DONE;
    }
    if (workspaceOption.json()) {
      terminal.json(facts(look));
    } else {
      show(look);
    }
    return draft == null ? ExitCode.DONE : draft(look);
  }

  private int lookAgainst() throws IOException {
    if (files.size() != 1 || files.contains("-") || draft != null) {
      throw new CommandLine.ParameterException(
          spec.commandLine(), "--against compares one file, without --draft");
    }
    byte[] data = read();
    if (data.length == 0) {
      throw new OutsideException("there are no records in " + files.get(0) + " to compare");
    }
    try (Workspace workspace = workspaceOption.open(Map.of())) {
      NamesGiven.pipelines(workspace, against, spec);
      FileDifference difference =
          workspace.against(against, terminal.at(files.get(0)), looked(data), SAMPLE_ROWS);
      if (workspaceOption.json()) {
        terminal.json(Map.of("against", against, "difference", AgainstView.facts(difference)));
      } else {
        new AgainstView(terminal).show(against, difference);
      }
      return difference.none() ? ExitCode.DONE : ExitCode.UNBALANCED;
    }
  }

  /** Looks at a file that holds a table. */
  private int lookAtTable(String what) throws IOException {
    Path file = terminal.at(files.get(0));
    String format = TABLES.get(what);
    RowsReader reader =
        ServiceLoader.load(RowsReader.class).stream()
            .map(ServiceLoader.Provider::get)
            .filter(r -> r.format().equals(format))
            .findFirst()
            .orElseThrow();
    RowsLook look = rows(reader, file);
    if (workspaceOption.json()) {
      terminal.json(Map.of("format", format, "records", look.rows(), "fields", look.fields()));
    } else {
      terminal.out.println(
          terminal.style(Terminal.Style.PLACE, what)
              + ": "
              + Counted.of(look.rows(), "row")
              + (look.more() ? " looked at, and there are more" : ""));
      terminal.out.println();
      show(look.fields(), look.rows());
      terminal.flush();
    }
    if (draft == null) {
      return ExitCode.DONE;
    }
    Path folder = workspaceOption.folder().orElseGet(this::nearest);
    return drafted(Drafts.write(folder, draft, look.columns(), format, relative(folder, file)));
  }

  private RowsLook rows(RowsReader reader, Path file) {
    try {
      return RowsLook.at(reader, file, SAMPLE_ROWS);
    } catch (IOException e) {
      throw new OutsideException("cannot read " + files.get(0) + ": " + e.getMessage(), e);
    }
  }

  /** Looks at messages of which a descriptor set tells what they are. */
  private int lookAtMessages() throws IOException {
    if (descriptors == null || message == null || files.size() != 1 || files.contains("-")) {
      throw new CommandLine.ParameterException(
          spec.commandLine(), "messages need --descriptors, --message and one file");
    }
    Path file = terminal.at(files.get(0));
    if (Files.isDirectory(file)) {
      throw new OutsideException(
          files.get(0) + " is a folder: name one file in it, to see what its messages are");
    }
    if (!Files.isRegularFile(file)) {
      throw new OutsideException("there is no file " + files.get(0));
    }
    Path set = terminal.at(descriptors);
    Sample read = Sample.ofBytes(file, sample * KILOBYTE);
    packed = read.packed();
    truncated = read.more();
    read.broken().ifPresent(terminal::say);
    Path folder = workspaceOption.folder().orElseGet(this::nearest);
    Look look = Drafts.look(folder, read.bytes(), relative(folder, set), message);
    return shown(look);
  }

  private byte[] read() throws IOException {
    if (files.contains("-")) {
      return readInput();
    }
    List<Path> paths = new ArrayList<>();
    for (String file : files) {
      Path path = terminal.at(file);
      if (Files.isDirectory(path)) {
        folders = true;
        List<Path> inside = Sample.filesOf(path);
        if (inside.isEmpty()) {
          throw new OutsideException("there is no file in the folder " + file);
        }
        paths.addAll(inside);
      } else if (Files.isRegularFile(path)) {
        paths.add(path);
      } else {
        throw new OutsideException("there is no file " + file);
      }
    }
    Sample read = Sample.of(paths, encoding, sample * KILOBYTE);
    if (encoding.isEmpty() && SingleBytes.in(read.bytes())) {
      encoding = SingleBytes.ENCODING;
      terminal.say(
          "it is not UTF-8, and is read as "
              + encoding
              + ": --encoding names another one, such as iso-8859-2");
      read = Sample.of(paths, encoding, sample * KILOBYTE);
    }
    packed = read.packed();
    read.broken().ifPresent(terminal::say);
    truncated = read.more();
    return read.bytes();
  }

  private byte[] readInput() {
    if (files.size() > 1) {
      throw new CommandLine.ParameterException(
          spec.commandLine(), "standard input is looked at alone, without other files");
    }
    byte[] data = terminal.input(sample * KILOBYTE);
    truncated = data.length == sample * KILOBYTE && terminal.hasMoreInput();
    int end = data.length;
    while (truncated && end > 1 && data[end - 1] != '\n') {
      end--; // A line that the sample cuts would look spoiled.
    }
    return Arrays.copyOf(data, end > 1 ? end : data.length);
  }

  /** The name of a format that is known by how it begins, but not made of lines. */
  private static String binary(byte[] data) {
    String head =
        new String(data, 0, Math.min(4, data.length), java.nio.charset.StandardCharsets.ISO_8859_1);
    if (head.equals("PAR1")) {
      return "a Parquet file";
    }
    if (head.startsWith("Obj\u0001")) {
      return "an Avro file";
    }
    if (new String(data, 0, Math.min(6, data.length), java.nio.charset.StandardCharsets.ISO_8859_1)
        .equals("ARROW1")) {
      return "an Arrow file";
    }
    if (head.startsWith("PK")) {
      return "a ZIP archive";
    }
    int zeros = 0;
    for (int i = 0; i < Math.min(data.length, 4096); i++) {
      zeros += data[i] == 0 ? 1 : 0;
    }
    return zeros > 0 ? "binary data" : "";
  }

  private static String separator(char separator) {
    return switch (separator) {
      case '\t' -> "tab";
      case ' ' -> "blank";
      default -> String.valueOf(separator);
    };
  }

  private static String name(Look look) {
    return switch (look.format()) {
      case LINES ->
          look.intake().containsKey("framing") ? "events of one or more lines" : lines(look);
      case JSON -> "JSON, an object on each line";
      case CSV ->
          "separated values ("
              + separator(look.separator())
              + "), "
              + (look.header() ? "with" : "without")
              + " a header";
      case PAIRS -> "key=value pairs";
      case MESSAGES -> "messages, each behind its length (" + look.intake().get("framing") + ")";
      case SYSLOG -> "syslog" + (look.oldSyslog() ? ", some of it RFC 3164" : " (RFC 5424)");
    };
  }

  private static String lines(Look look) {
    List<String> behind = look.further().stream().map(StepDefinition::kind).toList();
    if (behind.contains("json")) {
      return "text lines that end in JSON";
    } else if (behind.contains("pairs")) {
      return "text lines that end in key=value pairs";
    }
    return look.templates().stream().anyMatch(t -> t.text().contains("{method} {path}"))
        ? "lines of a web server's access log"
        : "text lines";
  }

  private void show(Look look) {
    String share = String.format(Locale.ROOT, "%.1f", 100.0 * look.fits() / look.records());
    terminal.out.println(
        terminal.style(Terminal.Style.PLACE, name(look))
            + (packed ? ", compressed" : "")
            + ": "
            + Counted.of(look.records(), "record")
            + (truncated ? " in a sample of " + Counted.number(sample) + " KB" : "")
            + ", "
            + share
            + " % can be read");
    terminal.out.println();
    if (!look.templates().isEmpty()) {
      List<List<String>> rows = new ArrayList<>();
      for (Look.Template template : look.templates()) {
        rows.add(List.of(Counted.number(template.lines()), template.text()));
      }
      terminal.table(List.of("lines", "template"), List.of(true, false), rows);
      if (!look.further().isEmpty()) {
        terminal.out.println(
            "behind them: "
                + look.further().stream()
                    .map(LookCommand::named)
                    .collect(Collectors.joining(", then ")));
      }
      terminal.out.println();
    }
    show(look.fields(), look.fits());
    unshaped(look);
    if (!look.notes().isEmpty()) {
      terminal.out.println();
      terminal.out.println(terminal.style(Terminal.Style.WARNING, "look at this yourself"));
      look.notes().forEach(note -> terminal.out.println("  " + note));
    }
    if (!look.misfits().isEmpty()) {
      terminal.out.println();
      terminal.out.println(terminal.style(Terminal.Style.WARNING, "cannot be read, for example"));
      look.misfits().forEach(this::show);
    }
    terminal.flush();
  }

  /** A step, with the field that it reads. */
  private static String named(StepDefinition step) {
    return step.value() instanceof Map<?, ?> map && map.containsKey("from")
        ? step.kind() + " of {" + map.get("from") + "}"
        : step.kind();
  }

  /** Some of the lines that only the last template takes. */
  private void unshaped(Look look) {
    long rest =
        look.templates().stream().filter(Look.Template::any).mapToLong(t -> t.lines()).sum();
    if (rest > 0 && rest < look.records() && !look.unshaped().isEmpty()) {
      terminal.out.println();
      terminal.out.println(
          terminal.style(
              Terminal.Style.WARNING,
              Counted.of(rest, "line") + " that only the last template takes, for example"));
      look.unshaped()
          .forEach(
              line ->
                  terminal.out.println(
                      "  " + terminal.style(Terminal.Style.DIM, Terminal.brief(line, WIDTH))));
    }
  }

  private void show(List<FieldLook> fields, long records) {
    List<List<String>> rows = new ArrayList<>();
    for (FieldLook field : fields) {
      long percent = Math.round(100.0 * field.present() / Math.max(1, records));
      String distinct =
          field.distinct() >= FieldLook.MOST_DISTINCT ? "many" : "" + field.distinct();
      List<String> examples = field.examples().stream().map(e -> Terminal.brief(e, 28)).toList();
      rows.add(
          List.of(
              field.name(),
              field.written(),
              Math.min(100, percent) + " %",
              distinct,
              Terminal.brief(String.join(" | ", examples), SHOWN)));
    }
    terminal.table(
        List.of("field", "type", "present", "distinct", "examples"),
        List.of(false, false, true, true, false),
        rows);
  }

  private void show(Look.Misfit misfit) {
    terminal.out.println("  " + Terminal.brief(misfit.why(), WIDTH));
    String text = Terminal.brief(misfit.text(), WIDTH);
    terminal.out.println("    " + terminal.style(Terminal.Style.DIM, text));
  }

  private static Map<String, Object> facts(Look look) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("format", look.format().name().toLowerCase(Locale.ROOT));
    facts.put("records", look.records());
    facts.put("readable", look.fits());
    facts.put("header", look.header());
    facts.put("intake", look.intake());
    facts.put("templates", look.templates());
    facts.put("fields", look.fields());
    facts.put("misfits", look.misfits());
    facts.put("unshaped", look.unshaped());
    facts.put("notes", look.notes());
    return facts;
  }

  private int draft(Look look) {
    if (files.contains("-")) {
      throw new OutsideException(
          "a draft needs files, which a pipeline can follow: save the data first");
    }
    Path folder = workspaceOption.folder().orElseGet(this::nearest);
    List<String> names =
        files.stream()
            .map(f -> relative(folder, terminal.at(f)) + (isFolder(f) ? "/**/*" : ""))
            .toList();
    Object pattern = names.size() == 1 ? names.get(0) : names;
    Map<String, Object> settings = encoding.isEmpty() ? Map.of() : Map.of("encoding", encoding);
    return drafted(Drafts.write(folder, draft, look, pattern, settings));
  }

  private int drafted(List<Path> written) {
    terminal.say(
        "wrote "
            + written.get(0)
            + ", and table "
            + draft.replace('-', '_')
            + " into "
            + written.get(1));
    terminal.say(
        "go on: wexrun check --show, wexrun try " + draft + ", wexrun run --once " + draft);
    return ExitCode.DONE;
  }

  private boolean isFolder(String file) {
    return folders && Files.isDirectory(terminal.at(file));
  }

  private Path nearest() {
    Path here = terminal.here();
    return Workspace.find(here).orElse(here);
  }

  private static String relative(Path folder, Path file) {
    Path whole = file.toAbsolutePath().normalize();
    Path base = folder.toAbsolutePath().normalize();
    return (whole.startsWith(base) ? base.relativize(whole) : whole).toString().replace('\\', '/');
  }
}
