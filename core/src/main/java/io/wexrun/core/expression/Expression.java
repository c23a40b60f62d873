package io.wexrun.core.expression;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.schema.Type;
import java.util.List;

/**
 * A type-checked CEL expression that runs over the columns of a batch.
 *
 * <p>Comparing with an absent value is false; computing with one gives an absent value; {@code &&},
 * {@code ||} and {@code !} follow the three-valued logic of SQL. An error that CEL defines
 * (division by zero, overflow) fails the row, not the batch; {@code &&} and {@code ||} absorb it as
 * CEL says.
 *
 * <p>Immutable, for any number of threads. Language: the Common Expression Language specification,
 * section "Semantics".
 */
public final class Expression {
  private final String text;
  private final Type type;
  private final Node root;
  private final List<String> fields;
  private final List<String> onLibrary;

  Expression(String text, Type type, Node root, List<String> fields, List<String> onLibrary) {
    this.text = text;
    this.type = type;
    this.root = root;
    this.fields = List.copyOf(fields);
    this.onLibrary = List.copyOf(onLibrary);
  }

  /** The source text. */
  public String text() {
    return text;
  }

  /** The type of the result. */
  public Type type() {
    return type;
  }

  /** The names of the fields it reads. */
  public List<String> fields() {
    return fields;
  }

  /** The parts that run on the library row by row, because no columnar form exists for them. */
  public List<String> onLibrary() {
    return onLibrary;
  }

  /** Computes the value for every row. The batch must have the schema that was compiled against. */
  public Evaluated evaluate(Batch batch) {
    return root.evaluate(batch);
  }

  /** Whether a condition holds for a row, given its evaluation: absent counts as false. */
  public static boolean holds(Evaluated evaluated, int row) {
    return ((LongVector) evaluated.values()).get(row) != 0 && !evaluated.values().absent(row);
  }

  @Override
  public String toString() {
    return text;
  }
}
