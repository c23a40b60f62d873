package io.wexrun.core.connect;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.target.Destination;
import io.wexrun.core.target.Target;
import io.wexrun.core.written.Form;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * Opens targets of one kind that are not tables of a store: queues, for example. Found by {@link
 * java.util.ServiceLoader}: needs a public constructor without parameters. Has no state; for
 * several threads.
 */
public interface TargetConnector {
  /** The key that names the kind in a workspace's targets. */
  String kind();

  /** All keys that its settings may have, the kind's own included. */
  List<String> keys();

  /**
   * The key of {@code wexrun.yaml} under which targets of this kind may stand without naming it, as
   * queues do under {@code queues}; empty if they only stand under {@code targets}.
   */
  default Optional<String> section() {
    return Optional.empty();
  }

  /** What may be written in the settings, for editors. */
  default Form form() {
    Map<String, Form> forms = new LinkedHashMap<>();
    keys().forEach(key -> forms.put(key, Form.any()));
    return Form.keys(forms);
  }

  /**
   * Checks settings without opening anything; unknown keys are found by the caller.
   *
   * @param path where the settings stand
   */
  void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics);

  /** The form in which such a target takes records. */
  Destination destination(Settings settings);

  /**
   * Opens a target for a pipeline, making it if it is not there. Several pipelines may have one
   * open.
   *
   * @param name the target's name in the workspace
   * @param writer under which name progress is kept
   * @throws io.wexrun.core.diagnose.OutsideException if it cannot be opened
   */
  Target open(String name, String writer, Settings settings, Site site);

  /**
   * Opens a target of this kind for dead letters, which come with the columns of {@link
   * io.wexrun.core.dead.DeadLetter#SCHEMA} and their raw records.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if it cannot be opened
   */
  Target openForDeadLetters(String name, String writer, Settings settings, Site site);
}
