package io.wexrun.core.shape;

import com.google.re2j.PatternSyntaxException;
import io.wexrun.core.change.ChangeSteps;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.field.Patterns;
import io.wexrun.core.parse.ParseSteps;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.reference.ReferenceTable;
import io.wexrun.core.reference.References;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.ServiceLoader;
import java.util.function.Supplier;

/** The kinds of steps that there are: ours, and those of other jars. Immutable. */
public final class Steps {
  private final Map<String, StepKind> kinds;
  private final References references;

  private Steps(Map<String, StepKind> kinds, References references) {
    this.kinds = kinds;
    this.references = references;
  }

  /** These kinds, with a way to find reference tables; without one there are none. */
  public Steps with(References found) {
    return new Steps(kinds, found);
  }

  /** Finds reference tables. */
  public References references() {
    return references;
  }

  /** Where there is no workspace. */
  private static final class NoReferences implements References {
    @Override
    public Supplier<ReferenceTable> file(String name) {
      throw new OutsideException("there are no files to look up in");
    }

    @Override
    public Supplier<ReferenceTable> table(String name) {
      throw new OutsideException("there are no tables to look up in");
    }

    @Override
    public byte[] bytes(String name) {
      throw new OutsideException("there are no files to read");
    }
  }

  /** Our kinds, and those that a class loader finds as services. */
  public static Steps with(ClassLoader loader) {
    Map<String, StepKind> kinds = new LinkedHashMap<>();
    List<StepKind> all = new ArrayList<>(ParseSteps.kinds());
    all.addAll(ChangeSteps.kinds());
    ServiceLoader.load(StepKind.class, loader).forEach(all::add);
    all.forEach(kind -> kinds.put(kind.name(), kind));
    return new Steps(kinds, new NoReferences());
  }

  /** Compiles named patterns; those that are none go to the diagnostics, used or not. */
  public static void checkPatterns(Map<String, String> patterns, Diagnostics diagnostics) {
    patterns.forEach(
        (name, regex) -> {
          try {
            Patterns.compile(regex, patterns);
          } catch (PatternSyntaxException | IllegalArgumentException e) {
            diagnostics.error(
                "bad-pattern",
                KeyPath.ROOT.key("patterns").key(name),
                "pattern '" + name + "' is none: " + e.getMessage(),
                Optional.of("it is in RE2 syntax"));
          }
        });
  }

  /** Our kinds alone. */
  public static Steps ours() {
    return with(StepKind.class.getClassLoader());
  }

  /** Their names, ours first. */
  public List<String> names() {
    return List.copyOf(kinds.keySet());
  }

  /** What may be written under each name. */
  public Map<String, Form> forms() {
    Map<String, Form> forms = new LinkedHashMap<>();
    kinds.forEach((name, kind) -> forms.put(name, kind.form()));
    return forms;
  }

  /** The steps of a definition that stands at {@code path}; mistakes go to the diagnostics. */
  public List<Step> compile(
      StepDefinition definition, StepContext context, KeyPath path, Diagnostics diagnostics) {
    StepKind kind = kinds.get(definition.kind());
    KeyPath at = path.key(definition.kind());
    if (kind == null) {
      diagnostics.keyError(
          "unknown-step",
          at,
          "there is no step '" + definition.kind() + "'",
          Diagnostics.nearestOrKnown(definition.kind(), names(), all -> "the steps are " + all));
      context.doubtful().addAny();
      return List.of();
    }
    int errors = diagnostics.errors();
    int named = context.doubtful().added();
    List<Step> steps = kind.compile(new Written(definition.value(), at, diagnostics), context);
    boolean failed = diagnostics.errors() > errors && context.doubtful().added() == named;
    if (failed && givesFields(steps, context)) {
      context.doubtful().addAny();
    }
    return steps;
  }

  private static boolean givesFields(List<Step> steps, StepContext context) {
    return steps.isEmpty()
        || !steps.get(steps.size() - 1).output().names().equals(context.input().names());
  }
}
