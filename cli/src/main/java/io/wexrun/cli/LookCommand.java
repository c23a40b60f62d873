package io.wexrun.cli;

import io.wexrun.core.connect.ReferenceReader;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.look.FieldLook;
import io.wexrun.core.look.Look;
import io.wexrun.core.look.Looker;
import io.wexrun.core.reference.ReferenceTable;
import io.wexrun.project.Workspace;
import io.wexrun.project.draft.Drafts;
import java.io.IOException;
import java.io.InputStream;
import java.io.SequenceInputStream;
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
import java.util.zip.GZIPInputStream;
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
      "Exit codes: 0 done; 3 a file cannot be read, or the draft cannot be written.",
      "",
      "Example: wexrun look incoming/depots/depots.syslog"
    })
final class LookCommand implements Callable<Integer> {
  private static final int SHOWN = 60;
  private static final int WIDTH = 110;
  private static final int KILOBYTE = 1024;
  private static final int SAMPLE_ROWS = 100_000;

  /** Files that hold tables, with the ending that their names have. */
  private static final Map<String, String> TABLES =
      Map.of("a Parquet file", ".parquet", "an Avro file", ".avro");

  private final Terminal terminal;

  @Mixin private WorkspaceOption workspaceOption;
  @CommandLine.Spec private CommandSpec spec;

  @Parameters(
      arity = "1..*",
      paramLabel = "FILE",
      description = "What to look at; several files are taken as one; - is standard input.")
  private List<String> files;

  @Option(
      names = "--sample",
      paramLabel = "KB",
      defaultValue = "4096",
      description = "Look at so many kilobytes (default ${DEFAULT-VALUE}).")
  private int sample;

  @Option(
      names = "--draft",
      paramLabel = "NAME",
      description = "Write pipelines/NAME.yaml, and table NAME into wexrun.yaml.")
  private String draft;

  private boolean truncated;
  private boolean packed;

  LookCommand(Terminal terminal) {
    this.terminal = terminal;
  }

  @Override
  public Integer call() throws IOException {
    if (sample < 1 || sample > 1 << 20) {
      throw new CommandLine.ParameterException(
          spec.commandLine(), "--sample is from 1 to 1048576 kilobytes");
    }
    byte[] data = read();
    String binary = binary(data);
    if (TABLES.containsKey(binary) && files.size() == 1 && !files.get(0).equals("-")) {
      return lookAtTable(binary);
    }
    if (!binary.isEmpty()) {
      terminal.out.println(binary + ", which has no lines to look at");
      terminal.flush();
      return ExitCode.DONE;
    }
    Look look = Looker.at(data);
    if (look.records() == 0) {
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

  /** Looks at a file that holds a table. */
  private int lookAtTable(String what) {
    Path file = terminal.at(files.get(0));
    ReferenceReader reader =
        ServiceLoader.load(ReferenceReader.class).stream()
            .map(ServiceLoader.Provider::get)
            .filter(r -> r.endings().contains(TABLES.get(what)))
            .findFirst()
            .orElseThrow();
    ReferenceTable table = reader.read(file, files.get(0), SAMPLE_ROWS);
    List<FieldLook> fields = Looker.at(table);
    int rows = table.rows().size();
    if (draft != null) {
      throw new OutsideException(
          "pipelines do not follow "
              + what.replaceFirst("an? ", "")
              + "s: 'lookup' reads one as a reference table");
    }
    if (workspaceOption.json()) {
      terminal.json(
          Map.of("format", TABLES.get(what).substring(1), "records", rows, "fields", fields));
      return ExitCode.DONE;
    }
    terminal.out.println(
        terminal.style(Terminal.Style.PLACE, what)
            + ": "
            + Counted.of(rows, "row")
            + (rows == SAMPLE_ROWS ? " looked at, there may be more" : ""));
    terminal.out.println();
    show(fields, rows);
    terminal.flush();
    return ExitCode.DONE;
  }

  private byte[] read() throws IOException {
    List<InputStream> streams = new ArrayList<>();
    try {
      for (String file : files) {
        if (!file.equals("-") && !Files.isRegularFile(terminal.at(file))) {
          boolean folder = Files.isDirectory(terminal.at(file));
          throw new OutsideException(folder ? file + " is a folder" : "there is no file " + file);
        }
        streams.add(file.equals("-") ? terminal.in : open(terminal.at(file)));
      }
      InputStream all = new SequenceInputStream(java.util.Collections.enumeration(streams));
      byte[] data = all.readNBytes(sample * KILOBYTE);
      truncated = data.length == sample * KILOBYTE && all.read() >= 0;
      int end = data.length;
      while (truncated && end > 1 && data[end - 1] != '\n') {
        end--; // A line that the sample cuts would look spoiled.
      }
      return Arrays.copyOf(data, end > 1 ? end : data.length);
    } finally {
      for (InputStream stream : streams) {
        stream.close();
      }
    }
  }

  private InputStream open(Path file) throws IOException {
    try (InputStream probe = Files.newInputStream(file)) {
      byte[] magic = probe.readNBytes(2);
      boolean gzip = magic.length == 2 && magic[0] == 0x1F && magic[1] == (byte) 0x8B;
      packed |= gzip;
      InputStream in = Files.newInputStream(file);
      return gzip ? new GZIPInputStream(in) : in;
    }
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
    if (head.startsWith("PK")) {
      return "a ZIP archive";
    }
    int zeros = 0;
    for (int i = 0; i < Math.min(data.length, 4096); i++) {
      zeros += data[i] == 0 ? 1 : 0;
    }
    return zeros > 0 ? "binary data" : "";
  }

  private static String name(Look look) {
    return switch (look.format()) {
      case LINES -> "text lines";
      case JSON -> "JSON, an object on each line";
      case CSV ->
          "separated values ("
              + (look.separator() == '\t' ? "tab" : look.separator())
              + "), "
              + (look.header() ? "with" : "without")
              + " a header";
      case PAIRS -> "key=value pairs";
      case SYSLOG -> "syslog" + (look.oldSyslog() ? ", some of it RFC 3164" : " (RFC 5424)");
    };
  }

  private void show(Look look) {
    String share = String.format(Locale.ROOT, "%.1f", 100.0 * look.fits() / look.records());
    terminal.out.println(
        terminal.style(Terminal.Style.PLACE, name(look))
            + (packed ? ", compressed with gzip" : "")
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
      terminal.out.println();
    }
    show(look.fields(), look.fits());
    if (!look.misfits().isEmpty()) {
      terminal.out.println();
      terminal.out.println(terminal.style(Terminal.Style.WARNING, "cannot be read, for example"));
      look.misfits().forEach(this::show);
    }
    terminal.flush();
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
    facts.put("templates", look.templates());
    facts.put("fields", look.fields());
    facts.put("misfits", look.misfits());
    return facts;
  }

  private int draft(Look look) {
    if (packed || files.contains("-")) {
      throw new OutsideException(
          "a draft needs plain files, which a pipeline can follow: unpack or save the data first");
    }
    Path folder = workspaceOption.folder().orElseGet(this::nearest);
    List<String> names = files.stream().map(f -> relative(folder, terminal.at(f))).toList();
    String pattern = names.size() == 1 ? names.get(0) : "{" + String.join(",", names) + "}";
    List<Path> written = Drafts.write(folder, draft, look, pattern);
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
