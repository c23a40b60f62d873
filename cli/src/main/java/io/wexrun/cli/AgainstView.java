package io.wexrun.cli;

import io.wexrun.core.diagnose.Counted;
import io.wexrun.project.facts.FileDifference;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;

/** Shows how the records of a file differ from what a pipeline expects. */
final class AgainstView {
  private static final int WIDTH = 100;

  private final Terminal terminal;

  AgainstView(Terminal terminal) {
    this.terminal = terminal;
  }

  /** Shows it. */
  void show(String pipeline, FileDifference difference) {
    double share = 100.0 * difference.passes() / Math.max(1, difference.records());
    terminal.out.println(
        terminal.style(Terminal.Style.BOLD, pipeline)
            + ": of "
            + Counted.of(difference.records(), "record")
            + String.format(Locale.ROOT, " %.1f %% would pass", share));
    for (FileDifference.Death death : difference.deaths()) {
      terminal.out.println(
          String.format("%9s  ", Counted.number(death.count()))
              + terminal.style(Terminal.Style.BAD, "would die: " + death.kind().reason().code())
              + " in "
              + death.kind().step()
              + (death.kind().field().isEmpty() ? "" : ", " + death.kind().field())
              + ": "
              + Terminal.brief(death.kind().pattern(), WIDTH));
      terminal.out.println(
          "           "
              + terminal.style(Terminal.Style.DIM, Terminal.brief(death.example(), WIDTH)));
    }
    difference
        .ways()
        .forEach(
            (way, count) ->
                terminal.out.println(
                    String.format("%9s  ", Counted.number(count)) + "taken by " + way));
    if (!difference.absent().isEmpty()) {
      terminal.out.println("  in no record: " + String.join(", ", difference.absent()));
    }
    difference
        .fresh()
        .forEach(
            field ->
                terminal.out.println(
                    "  new, and not read: "
                        + field.name()
                        + ": "
                        + field.written()
                        + (field.examples().isEmpty()
                            ? ""
                            : ", such as " + Terminal.brief(field.examples().get(0), 40))));
    if (difference.none()) {
      terminal.out.println("  nothing is there that it does not expect");
    }
    terminal.flush();
  }

  /** The same for machines. */
  static Map<String, Object> facts(FileDifference difference) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("records", difference.records());
    facts.put("passes", difference.passes());
    facts.put("deaths", difference.deaths().stream().map(AgainstView::facts).toList());
    facts.put("ways", difference.ways());
    facts.put("absent", difference.absent());
    facts.put("fresh", List.copyOf(difference.fresh()));
    return facts;
  }

  private static Map<String, Object> facts(FileDifference.Death death) {
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("count", death.count());
    facts.put("reason", death.kind().reason().code());
    facts.put("step", death.kind().step());
    facts.put("field", death.kind().field());
    facts.put("pattern", death.kind().pattern());
    facts.put("example", death.example());
    return facts;
  }
}
