package io.wexrun.core.expression;

import dev.cel.common.CelAbstractSyntaxTree;
import dev.cel.common.CelOptions;
import dev.cel.common.types.CelType;
import dev.cel.common.types.SimpleType;
import dev.cel.common.values.CelByteString;
import dev.cel.compiler.CelCompiler;
import dev.cel.compiler.CelCompilerBuilder;
import dev.cel.compiler.CelCompilerFactory;
import dev.cel.extensions.CelExtensions;
import dev.cel.parser.CelStandardMacro;
import dev.cel.runtime.CelEvaluationException;
import dev.cel.runtime.CelRuntime;
import dev.cel.runtime.CelRuntimeFactory;
import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.time.Instant;
import java.util.Arrays;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Our settings of the CEL library, and the bridge between its values and our vectors. */
final class Library {
  private static final CelOptions OPTIONS = CelOptions.current().build();
  private static final CelRuntime RUNTIME =
      CelRuntimeFactory.standardCelRuntimeBuilder()
          .setOptions(OPTIONS)
          .addLibraries(CelExtensions.strings())
          .build();

  private Library() {}

  /** A parser and checker that knows the columns of a schema as variables. */
  static CelCompiler compiler(Schema schema) {
    CelCompilerBuilder builder =
        CelCompilerFactory.standardCelCompilerBuilder()
            .setOptions(OPTIONS)
            .setStandardMacros(CelStandardMacro.STANDARD_MACROS)
            .addLibraries(CelExtensions.strings());
    for (Column column : schema.columns()) {
      builder.addVar(column.name(), celType(seen(column.type())));
    }
    return builder.build();
  }

  /** The type that expressions see for a column's type. */
  static Type seen(Type column) {
    if (column instanceof Type.Decimal) {
      return Type.Scalar.DOUBLE;
    }
    return switch ((Type.Scalar) column) {
      case INT -> Type.Scalar.LONG;
      case DATE -> Type.Scalar.TIMESTAMP;
      case UUID, JSON -> Type.Scalar.TEXT;
      default -> column;
    };
  }

  private static CelType celType(Type seen) {
    return switch ((Type.Scalar) seen) {
      case BOOL -> SimpleType.BOOL;
      case LONG -> SimpleType.INT;
      case DOUBLE -> SimpleType.DOUBLE;
      case TEXT -> SimpleType.STRING;
      case BYTES -> SimpleType.BYTES;
      case TIMESTAMP -> SimpleType.TIMESTAMP;
      default -> throw new IllegalArgumentException("expressions do not see " + seen);
    };
  }

  /** The column type for the library's type; empty for what no column can hold. */
  static Optional<Type> type(CelType type) {
    return switch (type.kind()) {
      case BOOL -> Optional.of(Type.Scalar.BOOL);
      case INT -> Optional.of(Type.Scalar.LONG);
      case DOUBLE -> Optional.of(Type.Scalar.DOUBLE);
      case STRING -> Optional.of(Type.Scalar.TEXT);
      case BYTES -> Optional.of(Type.Scalar.BYTES);
      case TIMESTAMP -> Optional.of(Type.Scalar.TIMESTAMP);
      default -> Optional.empty();
    };
  }

  /** Appends one of the library's values to a vector of the matching type. */
  static void append(Vector vector, Object value) {
    if (value instanceof Boolean bool) {
      ((LongVector) vector).append(bool ? 1 : 0);
    } else if (value instanceof Long number) {
      ((LongVector) vector).append(number);
    } else if (value instanceof Double number) {
      ((DoubleVector) vector).append(number);
    } else if (value instanceof String text) {
      ((TextVector) vector).append(text);
    } else if (value instanceof CelByteString bytes) {
      ((TextVector) vector).append(bytes.toByteArray(), 0, bytes.size());
    } else if (value instanceof Instant instant) {
      ((LongVector) vector).append(Instants.micros(instant));
    } else {
      throw new IllegalStateException("the library gave a " + value.getClass());
    }
  }

  /** A row's value as the library wants it; the value must be present. */
  static Object value(Vector vector, Type seen, int row) {
    return switch ((Type.Scalar) seen) {
      case BOOL -> ((LongVector) vector).get(row) != 0;
      case LONG -> ((LongVector) vector).get(row);
      case DOUBLE -> ((DoubleVector) vector).get(row);
      case TEXT -> ((TextVector) vector).text(row);
      case BYTES -> {
        TextVector bytes = (TextVector) vector;
        yield CelByteString.of(Arrays.copyOfRange(bytes.data(), bytes.start(row), bytes.end(row)));
      }
      case TIMESTAMP -> Instants.instant(((LongVector) vector).get(row));
      default -> throw new IllegalArgumentException("expressions do not see " + seen);
    };
  }

  /** An executable form of a checked tree. */
  static CelRuntime.Program program(CelAbstractSyntaxTree checked) {
    try {
      return RUNTIME.createProgram(checked);
    } catch (CelEvaluationException e) {
      throw new IllegalStateException("a checked expression has no program", e);
    }
  }

  /** A part that the library computes row by row; absent where one of its fields is absent. */
  record OnLibrary(CelRuntime.Program program, List<Field> fields, List<String> names, Type type)
      implements Node {

    @Override
    public Evaluated evaluate(Batch batch) {
      List<Vector> inputs = fields.stream().map(f -> f.evaluate(batch).values()).toList();
      Vector result = Vectors.forType(type, batch.rows());
      String[] failures = null;
      Map<String, Object> variables = new HashMap<>();
      for (int row = 0; row < batch.rows(); row++) {
        if (anyAbsent(inputs, row)) {
          result.appendAbsent();
          continue;
        }
        for (int i = 0; i < inputs.size(); i++) {
          variables.put(names.get(i), value(inputs.get(i), fields.get(i).type(), row));
        }
        try {
          append(result, program.eval(variables));
        } catch (CelEvaluationException e) {
          failures = failures == null ? new String[batch.rows()] : failures;
          failures[row] = e.getMessage();
          result.appendAbsent();
        }
      }
      return new Evaluated(result, failures);
    }

    private static boolean anyAbsent(List<Vector> inputs, int row) {
      for (Vector input : inputs) {
        if (input.absent(row)) {
          return true;
        }
      }
      return false;
    }
  }
}
