package io.wexrun.core.step;

import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.util.List;

/**
 * A kind of step: the key that names it in a file, and how a definition of it becomes steps. Found
 * with {@link java.util.ServiceLoader}, so that a jar can add one. Needs a public constructor
 * without parameters; used by several threads.
 */
public interface StepKind {
  /** The key, such as {@code template}. */
  String name();

  /**
   * Makes the steps of a definition, in order. Every mistake is told to {@code written}; if there
   * are any, the steps are not run, but later steps are still checked against their output.
   */
  List<Step> compile(Written written, StepContext context);

  /** What may be written under the key, for editors; anything, if the kind does not say. */
  default Form form() {
    return Form.any();
  }
}
