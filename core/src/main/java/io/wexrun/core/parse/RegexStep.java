package io.wexrun.core.parse;

import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.field.Field;
import io.wexrun.core.field.FieldParser;
import io.wexrun.core.field.Patterns;
import io.wexrun.core.intake.Records;
import io.wexrun.core.pattern.Search;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.step.ParseStep;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.step.Unfinished;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.util.ArrayList;
import java.util.Comparator;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Reads texts by a regular expression with named groups (RE2 syntax), each group a field. The
 * expression is searched in the text; anchors bind it to the ends. Takes time linear in the text.
 */
public final class RegexStep extends ParseStep {
  private final Search search;
  private final List<Field> fields;
  private final int[] groups;

  private RegexStep(
      Schema input, Schema parsed, int from, Search search, List<Field> fields, int[] groups) {
    super(input, parsed, from);
    this.search = search;
    this.fields = fields;
    this.groups = groups;
  }

  /** {@code regex: PATTERN} or {@code {pattern: PATTERN, fields: {GROUP: SPEC}, from: FIELD}}. */
  public static final class Kind implements StepKind {
    @Override
    public String name() {
      return "regex";
    }

    @Override
    public Form form() {
      return Form.either(
              Form.text(),
              Form.keys(
                  Form.with(
                      "pattern",
                      Form.text(),
                      "fields",
                      Form.specs(),
                      "from",
                      Form.text().about("the field to read, if it is not the raw record")),
                  "pattern"))
          .about("a regular expression (RE2 syntax) whose named groups are fields");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      Map<String, Written> entries =
          written.isMap()
              ? written.entries("a regex", List.of("pattern", "fields", FROM))
              : Map.of("pattern", written);
      int before = written.diagnostics().errors();
      int from = from(entries, written, context);
      Written regex = entries.get("pattern");
      if (regex == null) {
        written.error("missing-key", "a regex needs 'pattern'", "");
        return List.of();
      }
      Map<String, Field> typed = new LinkedHashMap<>();
      if (entries.containsKey("fields")) {
        FieldParser.fields(entries.get("fields"), context.patterns())
            .forEach(read -> typed.put(read.field().name(), read.field()));
      }
      Optional<Pattern> pattern = pattern(regex, context);
      if (pattern.isEmpty()) {
        return List.of(
            new Unfinished(context.input(), FieldParser.schema(List.copyOf(typed.values()), true)));
      }
      List<Field> fields = new ArrayList<>();
      List<Integer> groups = new ArrayList<>();
      pattern.get().namedGroups().entrySet().stream()
          .sorted(Comparator.comparing(Map.Entry::getValue))
          .forEach(
              group -> {
                Field field = typed.remove(group.getKey());
                fields.add(field == null ? Field.text(group.getKey()) : field);
                groups.add(group.getValue());
              });
      for (String name : typed.keySet()) {
        Written at = entries.get("fields");
        List<String> known = List.copyOf(pattern.get().namedGroups().keySet());
        at.diagnostics()
            .keyError(
                "unknown-group",
                at.path().key(name),
                "the pattern has no group '" + name + "'",
                Diagnostics.nearestOrKnown(name, known, all -> "the groups are " + all));
      }
      if (fields.isEmpty()) {
        regex.error("bad-pattern", "the pattern names no group", "name one: (?<gate>\\S+)");
      }
      // A group inside an alternative that is not taken has no value.
      Schema parsed = FieldParser.schema(fields, true);
      int[] places = groups.stream().mapToInt(Integer::intValue).toArray();
      Search search = Search.of(pattern.get());
      search
          .whyNoAutomaton()
          .ifPresent(
              why ->
                  context
                      .onLibrary()
                      .add("regex " + search + " (no automaton, since it has " + why + ")"));
      return List.of(
          written.diagnostics().errors() > before
              ? new Unfinished(context.input(), parsed)
              : new RegexStep(context.input(), parsed, from, search, fields, places));
    }

    private static Optional<Pattern> pattern(Written regex, StepContext context) {
      try {
        return Optional.of(Patterns.compile(regex.text(), context.patterns()));
      } catch (PatternSyntaxException | IllegalArgumentException e) {
        regex.error("bad-pattern", "this is not a pattern: " + e.getMessage(), "use RE2 syntax");
        return Optional.empty();
      }
    }
  }

  @Override
  protected Reading begin(Records records, List<Vector> columns, Rejects rejects) {
    int[] found = new int[2 * search.groups() + 2];
    return (data, from, to, record) -> {
      if (!search.find(data, from, to, found)) {
        String detail = to == from ? "the line is empty" : "the pattern does not match";
        rejects.reject(record, Reason.NO_MATCH, "", detail);
        return false;
      }
      for (int i = 0; i < groups.length; i++) {
        int start = found[2 * groups[i]];
        int end = found[2 * groups[i] + 1];
        Field field = fields.get(i);
        if (start < 0) {
          columns.get(i).appendAbsent();
        } else if (!field.append(data, start, end, columns.get(i), records.written(record))) {
          rejects.reject(record, Reason.BAD_VALUE, field.name(), field.fault(data, start, end));
          return false;
        }
      }
      return true;
    };
  }
}
