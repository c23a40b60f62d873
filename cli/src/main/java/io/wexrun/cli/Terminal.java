package io.wexrun.cli;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.diagnose.Shown;
import java.io.BufferedOutputStream;
import java.io.FileDescriptor;
import java.io.FileOutputStream;
import java.io.IOException;
import java.io.InputStream;
import java.io.OutputStream;
import java.io.PrintStream;
import java.io.PrintWriter;
import java.nio.charset.StandardCharsets;
import java.nio.file.Path;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.concurrent.CompletableFuture;
import java.util.regex.Pattern;
import tools.jackson.databind.SerializationFeature;
import tools.jackson.databind.json.JsonMapper;

/**
 * Where the command is called: the folder that relative names start from, what it reads, and where
 * it writes: data to {@code out}, messages to {@code err}. Colour only where a person looks at it,
 * and never with {@code NO_COLOR} (no-color.org).
 */
final class Terminal {
  /** How a text is set off. */
  enum Style {
    BOLD("1"),
    DIM("2"),
    GOOD("32"),
    WARNING("33"),
    BAD("31"),
    PLACE("36");

    private final String code;

    Style(String code) {
      this.code = code;
    }
  }

  private static final Pattern STYLES =
      Pattern.compile(Pattern.quote(SafeStream.ESCAPE) + "\\[[0-9]*m");

  private final InputStream in;
  final PrintStream out;
  final PrintStream err;

  /** Records as they came, unless a person looks at them. */
  final PrintStream records;

  private final Path here;
  private final String terminals;
  private final boolean plain;

  private final CompletableFuture<Integer> exitCode = new CompletableFuture<>();

  /** The command's exit code, once it has one. */
  CompletableFuture<Integer> exitCode() {
    return exitCode;
  }

  /**
   * A terminal of any streams.
   *
   * @param here the folder that relative names start from
   * @param terminals which streams are a person's: {@code out,err,in}
   * @param plain whether there is no colour in any case
   */
  Terminal(
      Path here,
      InputStream in,
      OutputStream out,
      OutputStream err,
      String terminals,
      boolean plain) {
    this.here = here;
    this.in = in;
    this.terminals = terminals;
    this.out = new PrintStream(safe(out), false, StandardCharsets.UTF_8);
    this.err = new PrintStream(safe(err), false, StandardCharsets.UTF_8);
    this.records = outIsTerminal() ? this.out : new PrintStream(out, false, StandardCharsets.UTF_8);
    this.plain = plain;
  }

  private static OutputStream safe(OutputStream stream) {
    return new SafeStream(new BufferedOutputStream(stream));
  }

  /** Where help is written, whose own sequences are let through. */
  PrintWriter helpTo(PrintStream stream) {
    return new PrintWriter(stream, true) {
      @Override
      public void write(String text, int from, int length) {
        String own = text.substring(from, from + length).replace("\u001b", SafeStream.ESCAPE);
        super.write(own, 0, own.length());
      }

      @Override
      public void write(String text) {
        write(text, 0, text.length());
      }
    };
  }

  /** The process's own; the launcher says which of its streams are terminals. */
  static Terminal ofProcess() {
    String noColor = System.getenv("NO_COLOR");
    return new Terminal(
        Path.of(""),
        StandardInput.settle(),
        new FileOutputStream(FileDescriptor.out),
        new FileOutputStream(FileDescriptor.err),
        System.getProperty("wexrun.terminal", ""),
        noColor != null && !noColor.isEmpty() || "dumb".equals(System.getenv("TERM")));
  }

  /** Standard input; a person who types it is told so. */
  InputStream input() {
    if (terminals.contains("in")) {
      say("reading standard input, up to Ctrl-D");
    }
    return in;
  }

  /**
   * Standard input, up to a number of bytes.
   *
   * @throws OutsideException if it cannot be read, such as because it is closed
   */
  byte[] input(int most) {
    try {
      return input().readNBytes(most);
    } catch (IOException e) {
      throw noInput(e);
    }
  }

  /**
   * Whether standard input has more.
   *
   * @throws OutsideException if it cannot be read
   */
  boolean hasMoreInput() {
    try {
      return in.read() >= 0;
    } catch (IOException e) {
      throw noInput(e);
    }
  }

  /** Why standard input cannot be read. */
  static OutsideException noInput(IOException e) {
    return new OutsideException(
        "cannot read standard input: " + e.getMessage() + ". Redirect a file or a pipe to it", e);
  }

  /** The folder that relative names start from, as a whole path. */
  Path here() {
    return here.toAbsolutePath();
  }

  /** A file or folder that the user named. */
  Path at(Path named) {
    return here.resolve(named);
  }

  /** A file or folder that the user named. */
  Path at(String named) {
    return here.resolve(named);
  }

  /** Whether a person sees what is written, and types what is read, on a screen with colours. */
  boolean isScreen() {
    return outIsTerminal() && errIsTerminal() && terminals.contains("in") && !isDumb();
  }

  private static boolean isDumb() {
    String kind = System.getenv("TERM");
    return kind == null || kind.equals("dumb");
  }

  /** Whether there is no colour in any case. */
  boolean isPlain() {
    return plain;
  }

  boolean outIsTerminal() {
    return terminals.contains("out");
  }

  boolean errIsTerminal() {
    return terminals.contains("err");
  }

  boolean colour() {
    return outIsTerminal() && !plain;
  }

  /** A text for {@code out}, set off if it is seen by a person. */
  String style(Style style, String text) {
    return colour()
        ? SafeStream.ESCAPE + "[" + style.code + "m" + text + SafeStream.ESCAPE + "[0m"
        : text;
  }

  /** A text for {@code err}, set off if it is seen by a person. */
  String styleErr(Style style, String text) {
    return errIsTerminal() && !plain
        ? SafeStream.ESCAPE + "[" + style.code + "m" + text + SafeStream.ESCAPE + "[0m"
        : text;
  }

  /** Writes a value as JSON, on one line if it is piped. */
  void json(Object value) {
    JsonMapper mapper =
        JsonMapper.builder().configure(SerializationFeature.INDENT_OUTPUT, outIsTerminal()).build();
    out.println(safe(mapper.writeValueAsString(value)));
    flush();
  }

  /** A value as JSON on one line. */
  static String compact(Object value) {
    return JsonMapper.shared().writeValueAsString(value);
  }

  /** Writes a value as JSON on many lines. */
  void pretty(Object value) {
    JsonMapper mapper = JsonMapper.builder().enable(SerializationFeature.INDENT_OUTPUT).build();
    out.println(safe(mapper.writeValueAsString(value)));
    flush();
  }

  /** Writes a JSON object with two members, in this order. */
  void json(String name, Object value, String otherName, Object otherValue) {
    Map<String, Object> members = new LinkedHashMap<>();
    members.put(name, value);
    members.put(otherName, otherValue);
    json(members);
  }

  /** Writes a message. */
  void say(String message) {
    err.println(Shown.masked(message));
    err.flush();
  }

  /**
   * Writes rows under a header, columns aligned: numbers to the right, the rest to the left.
   *
   * @param rows texts; null shows as a dimmed dot
   */
  void table(List<String> header, List<Boolean> numeric, List<List<String>> rows) {
    int[] widths = new int[header.size()];
    for (int i = 0; i < widths.length; i++) {
      widths[i] = width(header.get(i));
      for (List<String> row : rows) {
        widths[i] = Math.max(widths[i], row.get(i) == null ? 1 : width(row.get(i)));
      }
    }
    out.println(style(Style.BOLD, line(header, numeric, widths)));
    for (List<String> row : rows) {
      out.println(line(row, numeric, widths));
    }
    flush();
  }

  private String line(List<String> cells, List<Boolean> numeric, int[] widths) {
    StringBuilder line = new StringBuilder();
    for (int i = 0; i < widths.length; i++) {
      String cell = cells.get(i) == null ? "·" : cells.get(i);
      String gap = " ".repeat(widths[i] - width(cell));
      boolean last = i == widths.length - 1;
      line.append(i == 0 ? "" : "  ");
      line.append(numeric.get(i) ? gap + cell : last ? cell : cell + gap);
    }
    return line.toString();
  }

  /** JSON in which what would steer a terminal is escaped; it stands in strings only. */
  private static String safe(String json) {
    StringBuilder safe = new StringBuilder(json.length());
    json.codePoints()
        .forEach(
            code -> {
              if (code > 126 && Shown.steers(code)) {
                for (char unit : Character.toChars(code)) {
                  safe.append(String.format(Locale.ROOT, "\\u%04x", (int) unit));
                }
              } else {
                safe.appendCodePoint(code);
              }
            });
    return safe.toString();
  }

  /** How many places a text takes where it is seen. */
  private static int width(String text) {
    String seen = text.contains(SafeStream.ESCAPE) ? STYLES.matcher(text).replaceAll("") : text;
    return seen.codePoints()
        .map(code -> Shown.steers(code) ? Shown.written(code).length() : 1)
        .sum();
  }

  /** A text on one line and no longer than {@code most} characters; controls are shown. */
  static String brief(String text, int most) {
    StringBuilder brief = new StringBuilder();
    text.codePoints()
        .limit(most + 1L)
        .forEach(
            c -> {
              if (c < 32 || c == 127) {
                brief.append(
                    Map.of(9, "\\t", 10, "\\n", 13, "\\r")
                        .getOrDefault(c, String.format("\\x%02x", c)));
              } else {
                brief.appendCodePoint(c);
              }
            });
    return brief.length() > most ? brief.substring(0, most - 1) + "…" : brief.toString();
  }

  void flush() {
    records.flush();
    out.flush();
    err.flush();
  }
}
