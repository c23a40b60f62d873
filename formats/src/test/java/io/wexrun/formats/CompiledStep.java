package io.wexrun.formats;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.field.ValueText;
import io.wexrun.core.intake.Records;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.reference.ReferenceTable;
import io.wexrun.core.reference.References;
import io.wexrun.core.schema.Doubtful;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.shape.Steps;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.function.Supplier;

/** A step compiled with a file in memory, tried on single records. */
final class CompiledStep {
  private final Diagnostics diagnostics = Diagnostics.of("test");
  private final List<Step> steps;

  CompiledStep(StepDefinition definition, Map<String, byte[]> files) {
    this(definition, files, Schema.EMPTY);
  }

  CompiledStep(StepDefinition definition, Map<String, byte[]> files, Schema input) {
    References references =
        new References() {
          @Override
          public Supplier<ReferenceTable> file(String name) {
            throw new OutsideException("none");
          }

          @Override
          public Supplier<ReferenceTable> table(String name) {
            throw new OutsideException("none");
          }

          @Override
          public byte[] bytes(String name) {
            if (!files.containsKey(name)) {
              throw new OutsideException("there is no file '" + name + "'");
            }
            return files.get(name);
          }
        };
    StepContext context =
        new StepContext(
            input,
            input.size() == 0,
            Settings.of("x", ""),
            Map.of(),
            references,
            new Doubtful(),
            new ArrayList<>());
    steps = Steps.ours().compile(definition, context, KeyPath.ROOT, diagnostics);
  }

  /** What is wrong with the definition, as {@code code: message (hint)}. */
  List<String> mistakes() {
    return diagnostics.all().stream().map(CompiledStep::text).toList();
  }

  private static String text(Diagnostic d) {
    return d.code() + ": " + d.message() + d.hint().map(h -> " (" + h + ")").orElse("");
  }

  Schema output() {
    return steps.get(0).output();
  }

  /** The row of a record without what is absent, or how it dies. */
  String of(byte[] record) {
    Records records =
        Records.numbered(record, new int[] {0}, new int[] {record.length}, 1, 0, null);
    return apply(Batch.raw(records), records);
  }

  /** The row of a text field. */
  String of(String value) {
    TextVector text = new TextVector(1, 16);
    text.append(value);
    Records records = Records.numbered(new byte[0], new int[1], new int[1], 1, 0, null);
    Schema input = Schema.of(output().column(0));
    return apply(new Batch(input, List.of(text), 1, records, new int[1]), records);
  }

  private String apply(Batch raw, Records records) {
    Rejects rejects = new Rejects();
    rejects.step("x");
    Batch batch = steps.get(0).apply(raw, rejects);
    if (rejects.count() > 0) {
      Batch letters = rejects.letters(records, "");
      return "dies: "
          + ((TextVector) letters.column(0)).text(0)
          + " "
          + ((TextVector) letters.column(2)).text(0)
          + ": "
          + ((TextVector) letters.column(3)).text(0);
    }
    Map<String, String> row = new LinkedHashMap<>();
    for (int i = 0; i < batch.schema().size(); i++) {
      Vector column = batch.column(i);
      if (!column.absent(0)) {
        row.put(
            batch.schema().column(i).name(),
            ValueText.text(batch.schema().column(i).type(), column, 0));
      }
    }
    return row.toString();
  }
}
