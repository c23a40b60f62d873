package io.wexrun.core.step;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.reference.References;
import io.wexrun.core.schema.Doubtful;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.written.Written;
import java.util.List;
import java.util.Map;
import java.util.OptionalInt;

/**
 * What a step is compiled against.
 *
 * @param input the fields before the step
 * @param first whether the step is the first, so that it may read raw records
 * @param intake the pipeline's intake
 * @param patterns named patterns, RE2 syntax
 * @param references finds reference tables
 * @param doubtful fields that steps with mistakes would give; more may be added
 * @param onLibrary takes the parts of expressions, and the patterns, that run row by row on their
 *     libraries
 */
public record StepContext(
    Schema input,
    boolean first,
    Settings intake,
    Map<String, String> patterns,
    References references,
    Doubtful doubtful,
    List<String> onLibrary) {

  /** The same context behind one more step. */
  public StepContext behind(Schema schema) {
    return new StepContext(schema, false, intake, patterns, references, doubtful, onLibrary);
  }

  /** The same context where fields are there and the raw record may be read again. */
  public StepContext again(Schema schema) {
    return new StepContext(schema, true, intake, patterns, references, doubtful, onLibrary);
  }

  /** The place of a field that a text names; empty, with a complaint, if there is none. */
  public OptionalInt field(Written name) {
    String text = name.text();
    OptionalInt place = input.find(text);
    if (place.isEmpty() && !text.isEmpty() && !doubtful.mayBe(text, input.names())) {
      unknown(text, name, false);
    }
    return place;
  }

  /** The place of a field that the key of an entry names. */
  public OptionalInt fieldOfKey(String key, Written entry) {
    OptionalInt place = input.find(key);
    if (place.isEmpty() && !doubtful.mayBe(key, input.names())) {
      unknown(key, entry, true);
    }
    return place;
  }

  private void unknown(String text, Written at, boolean key) {
    String message = "there is no field '" + text + "' here";
    var hint = Diagnostics.nearestOrKnown(text, input.names(), all -> "the fields are " + all);
    if (key) {
      at.diagnostics().keyError("unknown-field", at.path(), message, hint);
    } else {
      at.diagnostics().error("unknown-field", at.path(), message, hint);
    }
  }
}
