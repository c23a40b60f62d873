package io.wexrun.core.look;

import io.wexrun.core.pipeline.StepDefinition;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Lines of which templates read the head, and another step the JSON or the pairs behind it. */
final class TailLook {
  /** So many of the lines a layout of theirs reads, not the one that takes any. */
  private static final double MOSTLY = 0.9;

  private TailLook() {}

  /** What lines are by a looker of them; empty if they are nothing like that. */
  static Optional<Look> of(Looker looker, List<String> lines, List<String> some) {
    for (Tail.Kind kind : Tail.Kind.values()) {
      if (!Looker.are(some, line -> Tail.of(kind, line).isPresent()) || !kind.worthIt(some)) {
        continue;
      }
      List<Tail> tails = lines.stream().flatMap(line -> Tail.of(kind, line).stream()).toList();
      List<String> before = tails.stream().map(Tail::before).toList();
      LineTemplates templates = new LineTemplates(before);
      List<String> heads =
          new Looker(before)
              .templated(templates, templates.find()).templates().stream()
                  .map(Look.Template::text)
                  .toList();
      if (heads.stream().filter(t -> !t.equals(LineTemplates.ANY)).count() > 1) {
        heads = templates.heads(); // What tells them apart is the words, which are to be a field.
      }
      boolean words =
          heads.stream()
              .anyMatch(t -> t.endsWith("{" + Tail.WORDS + "}") && !t.equals(LineTemplates.ANY));
      List<Look.Template> found = new ArrayList<>();
      for (String template : heads) {
        boolean whole = template.equals(LineTemplates.ANY) || words && kind == Tail.Kind.PAIRS;
        String behind = words ? " {{{" + Tail.FIELD + "}" : " {" + Tail.FIELD + "}";
        found.add(new Look.Template(whole ? template : template + behind, 0));
      }
      Look head =
          new Look(
                  Look.Format.LINES,
                  lines.size(),
                  0,
                  List.of(),
                  found,
                  ' ',
                  false,
                  false,
                  List.of())
              .with(List.of(), templates.notes());
      FieldNames names = new FieldNames();
      Looker.types(head).keySet().forEach(names::unique);
      Looker inner = new Looker(tails.stream().map(Tail::text).toList());
      Look look = inner.fitting(kind == Tail.Kind.JSON ? inner.json(names) : inner.pairs(names));
      Look whole = looker.tested(head.with(further(look, words), head.notes()));
      long shaped =
          whole.templates().stream().filter(t -> !t.any()).mapToLong(Look.Template::lines).sum();
      if (shaped >= whole.records() * MOSTLY && whole.fits() >= whole.records() * Looker.ALL) {
        return Optional.of(looker.used(whole));
      }
    }
    return Optional.empty();
  }

  /**
   * Steps that read the tail of lines, and take it away.
   *
   * @param words whether the words before it are a field: then pairs stand in that, and JSON has
   *     lost its first brace, by which they were told apart
   */
  private static List<StepDefinition> further(Look tail, boolean words) {
    Map<String, Object> fields = new LinkedHashMap<>();
    tail.fields().forEach(field -> fields.put(field.name(), field.optional().written()));
    Map<String, Object> reading = new LinkedHashMap<>();
    reading.put("fields", fields);
    if (tail.format() == Look.Format.JSON) {
      reading.put("from", Tail.FIELD);
      StepDefinition whole = StepDefinition.of("set", Map.of(Tail.FIELD, "\"{\" + " + Tail.FIELD));
      List<StepDefinition> steps = new ArrayList<>(words ? List.of(whole) : List.of());
      steps.add(StepDefinition.of("json", reading));
      steps.add(StepDefinition.of("remove", List.of(Tail.FIELD)));
      return steps;
    }
    reading.put("words", "ignore");
    reading.put("from", words ? Tail.WORDS : Tail.FIELD);
    if (!words) {
      return List.of(
          StepDefinition.of("pairs", reading), StepDefinition.of("remove", List.of(Tail.FIELD)));
    }
    reading.put("before", Tail.FIELD);
    return List.of(
        StepDefinition.of("pairs", reading),
        StepDefinition.of("remove", List.of(Tail.WORDS)),
        StepDefinition.of("rename", Map.of(Tail.FIELD, Tail.WORDS)));
  }
}
