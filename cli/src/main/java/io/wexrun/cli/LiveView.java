package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.run.Notice;
import io.wexrun.core.run.Progress;
import io.wexrun.core.run.Situation;
import io.wexrun.core.tally.Tally;
import io.wexrun.project.Workspace;
import io.wexrun.project.WorkspaceRun;
import io.wexrun.project.facts.PipelineStatus;
import java.io.IOException;
import java.time.Duration;
import java.time.Instant;
import java.time.ZoneId;
import java.time.format.DateTimeFormatter;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import org.jline.terminal.Attributes;
import org.jline.terminal.Size;
import org.jline.terminal.Terminal;
import org.jline.terminal.TerminalBuilder;
import org.jline.utils.AttributedString;
import org.jline.utils.AttributedStringBuilder;
import org.jline.utils.AttributedStyle;
import org.jline.utils.Display;
import org.jline.utils.InfoCmp;
import org.jline.utils.NonBlockingReader;

/**
 * A run as a person watches it in a terminal: a row for each pipeline, what happened last below,
 * and keys to choose, pause and end. The screen is given back as it was.
 */
final class LiveView implements AutoCloseable {
  private static final long DRAW_MILLIS = 500;
  private static final int KEPT = 240;
  private static final int INDENT = 10;
  private static final int SMALLEST_WIDTH = 60;
  private static final int SMALLEST_HEIGHT = 8;
  private static final String BARS = "▁▂▃▄▅▆▇█";
  private static final DateTimeFormatter CLOCK =
      DateTimeFormatter.ofPattern("HH:mm:ss").withZone(ZoneId.systemDefault());
  private static final AttributedStyle PLAIN = AttributedStyle.DEFAULT;
  private static final AttributedStyle DIM = PLAIN.faint();
  private static final AttributedStyle BOLD = PLAIN.bold();

  private final Workspace workspace;
  private final Terminal screen;
  private final Attributes before;
  private final Display display;
  private final NonBlockingReader keys;
  private final boolean plain;
  private final Instant begun = Instant.now();
  private final Map<String, Deque<Double>> rates = new HashMap<>();
  private int longest;
  private int chosen;
  private boolean detail;
  private boolean stopping;

  private LiveView(Workspace workspace, Terminal screen, boolean plain) {
    this.workspace = workspace;
    this.screen = screen;
    this.plain = plain;
    this.before = screen.enterRawMode();
    this.display = new Display(screen, true);
    this.keys = screen.reader();
    screen.puts(InfoCmp.Capability.enter_ca_mode);
    screen.puts(InfoCmp.Capability.cursor_invisible);
    screen.flush();
  }

  /** A view on the process's terminal; empty if that cannot show one. */
  static Optional<LiveView> open(Workspace workspace, boolean plain) {
    try {
      Terminal screen =
          TerminalBuilder.builder().system(true).dumb(true).nativeSignals(false).build();
      if (screen.getType().startsWith(Terminal.TYPE_DUMB)) {
        screen.close();
        return Optional.empty();
      }
      return Optional.of(new LiveView(workspace, screen, plain));
    } catch (IOException | IllegalStateException e) {
      return Optional.empty();
    }
  }

  /** Shows a run until all of its pipelines have ended. */
  void over(WorkspaceRun run) throws InterruptedException, IOException {
    long drawn = 0;
    long sampled = 0;
    while (!run.ended()) {
      long now = System.nanoTime();
      if (now - sampled > 1_000_000_000L) {
        sampled = now;
        run.status().forEach(this::sample);
      }
      if (now - drawn > DRAW_MILLIS * 1_000_000) {
        drawn = now;
        draw(run);
      }
      int key = keys.read(100);
      if (key >= 0) {
        act(key, run);
        drawn = 0;
      }
    }
  }

  private void sample(PipelineStatus each) {
    Deque<Double> kept = rates.computeIfAbsent(each.pipeline(), p -> new ArrayDeque<>());
    kept.add(each.rate());
    if (kept.size() > KEPT) {
      kept.remove();
    }
  }

  private void act(int key, WorkspaceRun run) throws IOException {
    List<PipelineStatus> all = run.status();
    String name = all.isEmpty() ? "" : all.get(Math.min(chosen, all.size() - 1)).pipeline();
    switch (key) {
      case 'q', 'Q', 3 -> {
        if (stopping) {
          Runtime.getRuntime().halt(130); // As a second signal does; nothing is lost by that.
        }
        stopping = true;
        run.stop();
      }
      case 'j' -> chosen = Math.min(all.size() - 1, chosen + 1);
      case 'k' -> chosen = Math.max(0, chosen - 1);
      case 'p' -> run.pause(name);
      case 'r' -> run.resume(name);
      case '\r', '\n' -> detail = !detail;
      case 27 -> arrow(all.size());
      default -> {} // No other key means anything.
    }
  }

  /** Cursor keys come as ESC [ A or ESC O A. */
  private void arrow(int count) throws IOException {
    int second = keys.read(20);
    if (second != '[' && second != 'O') {
      detail = false; // The key ESC alone.
      return;
    }
    int third = keys.read(20);
    if (third == 'A') {
      chosen = Math.max(0, chosen - 1);
    } else if (third == 'B') {
      chosen = Math.min(count - 1, chosen + 1);
    }
  }

  private AttributedStyle coloured(AttributedStyle style, int colour) {
    return plain ? style : style.foreground(colour);
  }

  private void draw(WorkspaceRun run) {
    Size size = screen.getSize();
    int width = Math.max(1, size.getColumns());
    int height = Math.max(1, size.getRows());
    List<PipelineStatus> all = run.status();
    if (width < SMALLEST_WIDTH || height < SMALLEST_HEIGHT) {
      display.resize(height, width);
      display.update(List.of(line("too small; q quits", PLAIN, width)), -1);
      return;
    }
    chosen = Math.max(0, Math.min(chosen, all.size() - 1));
    longest = all.stream().mapToInt(each -> each.pipeline().length()).max().orElse(0);
    List<AttributedString> lines = new ArrayList<>();
    lines.add(title(all, width));
    lines.add(header(width));
    // What happened gets what the pipelines leave, and at least a third.
    int room = Math.max(1, Math.min(all.size(), height - 3 - height / 3));
    int first = Math.max(0, Math.min(chosen - room / 2, all.size() - room));
    for (int i = first; i < first + room && i < all.size(); i++) {
      lines.add(row(all.get(i), i == chosen, width));
    }
    int left = height - 1 - lines.size();
    List<AttributedString> below = new ArrayList<>();
    if (detail) {
      below.addAll(details(all, width));
    }
    String whose = detail && !all.isEmpty() ? all.get(chosen).pipeline() : "";
    below.addAll(happened(run, whose, width, left - below.size()));
    lines.addAll(below.subList(0, Math.min(left, below.size())));
    while (lines.size() < height - 1) {
      lines.add(AttributedString.EMPTY);
    }
    lines.add(
        line(
            stopping
                ? " stopping: what is held is flushed; q again ends at once"
                : " q quit   ↑↓ choose   enter detail   p pause   r resume",
            DIM,
            width));
    display.resize(height, width);
    display.update(lines.subList(0, Math.min(lines.size(), height)), -1);
  }

  private AttributedString title(List<PipelineStatus> all, int width) {
    Map<PipelineStatus.State, Long> states = new java.util.EnumMap<>(PipelineStatus.State.class);
    all.forEach(each -> states.merge(each.state(), 1L, Long::sum));
    StringBuilder text = new StringBuilder(" " + workspace.definition().name());
    text.append("  for ").append(StatusCommand.time(Duration.between(begun, Instant.now())));
    text.append("  ").append(Counted.of(all.size(), "pipeline")).append(':');
    String before = " ";
    for (Map.Entry<PipelineStatus.State, Long> each : states.entrySet()) {
      text.append(before).append(each.getValue()).append(' ').append(word(each.getKey()));
      before = ", ";
    }
    return line(text.toString(), BOLD, width);
  }

  private static String word(PipelineStatus.State state) {
    return state.name().toLowerCase(Locale.ROOT);
  }

  private int nameWidth(int width) {
    return Math.max(10, Math.min(longest, width - 66));
  }

  /** The numbers do not fit beside a name and a curve where it is narrow. */
  private static boolean isNarrow(int width) {
    return width < 110;
  }

  private AttributedString header(int width) {
    String names = String.format("%-" + nameWidth(width) + "s", "pipeline");
    String numbers =
        String.format(
            numbers(width), "taken", "loaded", "dead", "held", "oldest", "behind", "rec/s");
    return line(
        " " + names + " state   " + numbers + (isNarrow(width) ? "lately" : "last minutes"),
        DIM,
        width);
  }

  private static String numbers(int width) {
    return isNarrow(width) ? " %6s %6s %5s %5s %6s %6s %5s " : " %11s %11s %8s %8s %8s %9s %8s  ";
  }

  private AttributedString row(PipelineStatus each, boolean here, int width) {
    AttributedStyle base = here ? PLAIN.inverse() : PLAIN;
    AttributedStringBuilder row = new AttributedStringBuilder();
    String name = fitted(each.pipeline(), nameWidth(width));
    row.styled(here ? base.bold() : base, " " + name + " ");
    row.styled(stateStyle(each.state(), base), String.format("%-8s", word(each.state())));
    Progress done = each.progress();
    row.styled(
        base,
        String.format(
            numbers(width),
            brief(done.taken(), width),
            brief(done.loaded(), width),
            brief(done.dead(), width),
            brief(done.held(), width),
            WorkView.oldest(each.situation()).map(LiveView::tight).orElse("·"),
            WorkView.behind(each.situation()).map(LiveView::tight).orElse("·"),
            brief(Math.round(each.rate()), width)));
    int left = Math.max(0, width - row.columnLength() - 1);
    row.styled(here ? base : coloured(base, AttributedStyle.CYAN), curve(each.pipeline(), left));
    return row.toAttributedString().columnSubSequence(0, width);
  }

  private AttributedStyle stateStyle(PipelineStatus.State state, AttributedStyle base) {
    return switch (state) {
      case RUNNING -> coloured(base, AttributedStyle.GREEN);
      case FAILED, WAITING -> coloured(base, AttributedStyle.RED);
      case PAUSED -> coloured(base, AttributedStyle.YELLOW);
      default -> base;
    };
  }

  /** A size or a time without blanks and words. */
  private static String tight(String text) {
    return text.replaceAll("^0 bytes$", "0")
        .replaceAll(" bytes?$", "B")
        .replace("min", "m")
        .replace(" ", "");
  }

  /** A number, in at most five characters where it is narrow. */
  private static String brief(long number, int width) {
    if (number < (isNarrow(width) ? 10_000 : 1_000_000)) {
      return Counted.number(number);
    }
    double shown = number;
    int unit = -1;
    while (shown >= 1000) {
      shown /= 1000;
      unit++;
    }
    return String.format(
        Locale.ROOT, shown < 100 ? "%.1f%s" : "%.0f%s", shown, "kMGT".charAt(unit));
  }

  /** The rates of the last seconds, the newest at the right. */
  private String curve(String pipeline, int room) {
    List<Double> kept = List.copyOf(rates.getOrDefault(pipeline, new ArrayDeque<>()));
    List<Double> shown = kept.subList(Math.max(0, kept.size() - room), kept.size());
    double most = shown.stream().max(Comparator.naturalOrder()).orElse(0.0);
    StringBuilder text = new StringBuilder();
    for (double rate : shown) {
      int level = most <= 0 ? 0 : (int) Math.round(rate / most * (BARS.length() - 1));
      text.append(rate <= 0 ? ' ' : BARS.charAt(level));
    }
    return " ".repeat(Math.max(0, room - text.length())) + text;
  }

  /** What happened last, to one pipeline or to all. */
  private List<AttributedString> happened(WorkspaceRun run, String pipeline, int width, int room) {
    List<Notice> all =
        run.notices().stream()
            .filter(n -> pipeline.isEmpty() || n.pipeline().equals(pipeline))
            .toList();
    List<AttributedString> lines = new ArrayList<>();
    lines.add(line(" what happened " + "─".repeat(Math.max(0, width - 16)), DIM, width));
    List<AttributedString> events = new ArrayList<>();
    for (Notice each : all.subList(Math.max(0, all.size() - Math.max(0, room)), all.size())) {
      boolean bad = each.kind() == Notice.Kind.WAITS;
      AttributedStyle style = bad ? coloured(PLAIN, AttributedStyle.RED) : PLAIN;
      String text = " " + CLOCK.format(each.at()) + " " + shown(each.toString());
      int from = 0;
      while (from < text.length()) {
        String before = from == 0 ? "" : " ".repeat(INDENT);
        int to = broken(text, from, width - before.length());
        events.add(line(before + text.substring(from, to).stripTrailing(), style, width));
        from = to < text.length() && text.charAt(to) == ' ' ? to + 1 : to;
      }
    }
    int most = Math.max(1, room - 1);
    lines.addAll(events.subList(Math.max(0, events.size() - most), events.size()));
    if (all.isEmpty()) {
      lines.add(line(" nothing yet", DIM, width));
    }
    return lines;
  }

  /** Where a line ends that begins somewhere in a text: at a blank, if there is one. */
  private static int broken(String text, int from, int room) {
    if (text.length() - from <= room) {
      return text.length();
    }
    int blank = text.lastIndexOf(' ', from + room);
    return blank > from + room / 2 ? blank : from + room;
  }

  private List<AttributedString> details(List<PipelineStatus> all, int width) {
    if (all.isEmpty()) {
      return List.of();
    }
    PipelineStatus each = all.get(chosen);
    List<AttributedString> lines = new ArrayList<>();
    lines.add(line(" " + each.pipeline() + " " + "─".repeat(Math.max(0, width - 3)), DIM, width));
    workspace
        .definition()
        .pipeline(each.pipeline())
        .ifPresent(
            pipeline -> {
              String about = pipeline.about().isEmpty() ? "" : "; " + pipeline.about();
              lines.add(
                  line(
                      " takes " + pipeline.intake().kind() + " " + pipeline.intake().main() + about,
                      PLAIN,
                      width));
            });
    Situation now = each.situation();
    lines.add(
        line(
            " intake "
                + WorkView.behind(now)
                    .map(behind -> behind + " behind its source")
                    .orElse("running")
                + "   channel "
                + percent(now.channel())
                + " full   buffers "
                + percent(now.buffers())
                + " of a flush   oldest held "
                + WorkView.oldest(now).orElse("none"),
            PLAIN,
            width));
    each.work()
        .places()
        .forEach(
            (place, e) ->
                lines.add(
                    line(
                        String.format(
                            Locale.ROOT,
                            "  %-24s in %9s   out %9s   dead %7s   %4s of the time",
                            place,
                            brief(e.in(), SMALLEST_WIDTH),
                            brief(e.out(), SMALLEST_WIDTH),
                            brief(e.dead(), SMALLEST_WIDTH),
                            percent((double) e.nanos() / Math.max(1, each.work().nanos()))),
                        PLAIN,
                        width)));
    WorkView.brief(each.work()).forEach(text -> lines.add(line("  -> " + text, PLAIN, width)));
    Tally books = workspace.tally(each.pipeline());
    lines.add(line(" loaded, over all time: " + counts(books.counts().loaded()), PLAIN, width));
    Map<String, Long> reasons = new HashMap<>();
    books.counts().dead().forEach((reason, n) -> reasons.put(reason.code(), n));
    lines.add(line(" dead, over all time: " + counts(reasons), PLAIN, width));
    lines.add(
        line(
            " "
                + word(each.state())
                + " for "
                + StatusCommand.time(Duration.between(each.since(), Instant.now()))
                + "; failed "
                + Counted.of(each.failures(), "time")
                + each.why().map(why -> "; " + shown(why)).orElse(""),
            each.why().isPresent() ? coloured(PLAIN, AttributedStyle.RED) : PLAIN,
            width));
    return lines;
  }

  private static String percent(double share) {
    return Math.round(100 * share) + " %";
  }

  private static String counts(Map<String, Long> counts) {
    return counts.isEmpty()
        ? "none"
        : String.join(
            ", ",
            counts.entrySet().stream()
                .sorted(Map.Entry.<String, Long>comparingByValue().reversed())
                .map(e -> e.getKey() + " " + Counted.number(e.getValue()))
                .toList());
  }

  /** What comes from records may not move the cursor. */
  private static String shown(String text) {
    return text.replaceAll("\\p{Cntrl}", " ");
  }

  private static String fitted(String text, int width) {
    return text.length() > width
        ? text.substring(0, width - 1) + "…"
        : text + " ".repeat(width - text.length());
  }

  private static AttributedString line(String text, AttributedStyle style, int width) {
    return new AttributedString(text, style).columnSubSequence(0, width);
  }

  @Override
  public void close() {
    screen.puts(InfoCmp.Capability.cursor_visible);
    screen.puts(InfoCmp.Capability.exit_ca_mode);
    screen.setAttributes(before);
    screen.flush();
    try {
      screen.close();
    } catch (IOException e) {
      return; // The terminal is gone, and nobody looks at it.
    }
  }
}
