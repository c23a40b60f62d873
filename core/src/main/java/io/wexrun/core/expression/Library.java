package io.wexrun.core.expression;

import dev.cel.common.CelAbstractSyntaxTree;
import dev.cel.common.CelFunctionDecl;
import dev.cel.common.CelOptions;
import dev.cel.common.CelOverloadDecl;
import dev.cel.common.ast.CelExpr;
import dev.cel.common.ast.CelExpr.ExprKind.Kind;
import dev.cel.common.types.CelType;
import dev.cel.common.types.ListType;
import dev.cel.common.types.SimpleType;
import dev.cel.common.types.TypeParamType;
import dev.cel.common.values.CelByteString;
import dev.cel.common.values.NullValue;
import dev.cel.compiler.CelCompiler;
import dev.cel.compiler.CelCompilerBuilder;
import dev.cel.compiler.CelCompilerFactory;
import dev.cel.extensions.CelExtensions;
import dev.cel.extensions.CelListsExtensions;
import dev.cel.parser.CelMacro;
import dev.cel.parser.CelStandardMacro;
import dev.cel.runtime.CelEvaluationException;
import dev.cel.runtime.CelFunctionBinding;
import dev.cel.runtime.CelRuntime;
import dev.cel.runtime.CelRuntimeFactory;
import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.ListVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.StructVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.time.Instant;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Our settings of the CEL library, and the bridge between its values and our vectors. */
final class Library {
  /** What {@code has} of a field becomes; no name that can be written. */
  static final String PRESENT = "@present";

  /** How many turns the macros of one expression may take for one record, nested ones together. */
  private static final int MOST_TURNS = 1_000_000;

  private static final CelOptions OPTIONS =
      CelOptions.current().comprehensionMaxIterations(MOST_TURNS).build();

  /** Those of the library but {@code lists.range}, which ours bounds. */
  private static final CelListsExtensions.Function[] LISTS =
      Arrays.stream(CelListsExtensions.Function.values())
          .filter(function -> function != CelListsExtensions.Function.RANGE)
          .toArray(CelListsExtensions.Function[]::new);

  private static final CelRuntime RUNTIME =
      CelRuntimeFactory.standardCelRuntimeBuilder()
          .setOptions(OPTIONS)
          .addLibraries(
              CelExtensions.strings(), CelExtensions.lists(LISTS), CelExtensions.encoders(OPTIONS))
          .addFunctionBindings(Functions.bindings())
          .addFunctionBindings(CelFunctionBinding.from(PRESENT, Object.class, any -> true))
          .build();

  private Library() {}

  /** A parser and checker that knows the columns of a schema as variables. */
  static CelCompiler compiler(Schema schema) {
    CelCompilerBuilder builder =
        CelCompilerFactory.standardCelCompilerBuilder()
            .setOptions(OPTIONS)
            .setStandardMacros(
                CelStandardMacro.STANDARD_MACROS.stream()
                    .filter(macro -> macro != CelStandardMacro.HAS)
                    .toList())
            .addLibraries(
                CelExtensions.strings(),
                CelExtensions.lists(LISTS),
                CelExtensions.encoders(OPTIONS))
            .addFunctionDeclarations(Functions.declarations())
            .addFunctionDeclarations(
                CelFunctionDecl.newFunctionDeclaration(
                    PRESENT,
                    CelOverloadDecl.newGlobalOverload(
                        PRESENT, SimpleType.BOOL, TypeParamType.create("A"))));
    Map<String, FieldPath> paths = FieldPath.all(schema);
    builder.addMacros(has(paths));
    builder.setTypeProvider(new StructTypes(schema));
    paths.forEach((name, path) -> builder.addVar(name, celType(path.type())));
    return builder.build();
  }

  /**
   * {@code has(x)}: whether a field is present. Of a member of a map it asks what CEL's own macro
   * does.
   */
  private static CelMacro has(Map<String, FieldPath> paths) {
    return CelMacro.newGlobalMacro(
        "has",
        1,
        (factory, target, args) -> {
          CelExpr operand = args.get(0);
          boolean member =
              operand.getKind() == Kind.SELECT && !paths.containsKey(name(operand).orElse(""));
          return Optional.of(
              member
                  ? factory.newSelect(operand.select().operand(), operand.select().field(), true)
                  : factory.newGlobalCall(PRESENT, operand));
        });
  }

  /** The name that a chain of members has, such as {@code position.lat}. */
  static Optional<String> name(CelExpr expr) {
    return switch (expr.getKind()) {
      case IDENT -> Optional.of(expr.ident().name());
      case SELECT -> name(expr.select().operand()).map(of -> of + "." + expr.select().field());
      default -> Optional.empty();
    };
  }

  /** The type that expressions see for a column's type. */
  static Type seen(Type column) {
    if (column instanceof Type.Decimal) {
      return Type.Scalar.DOUBLE;
    }
    if (column instanceof Type.ListOf list) {
      return new Type.ListOf(seen(list.element()));
    }
    if (column.nested()) {
      return column;
    }
    return switch ((Type.Scalar) column) {
      case INT -> Type.Scalar.LONG;
      case DATE -> Type.Scalar.TIMESTAMP;
      case UUID, JSON -> Type.Scalar.TEXT;
      default -> column;
    };
  }

  static CelType celType(Type seen) {
    if (seen instanceof Type.ListOf list) {
      return ListType.create(celType(list.element()));
    }
    if (seen instanceof Type.Struct struct) {
      return StructTypes.of(struct);
    }
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
      case LIST -> type(((ListType) type).elemType()).map(Type.ListOf::new);
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
    } else if (value instanceof List<?> elements) {
      elements.forEach(element -> append(((ListVector) vector).elements(), element));
      ((ListVector) vector).append();
    } else {
      throw new IllegalStateException("the library gave a " + value.getClass());
    }
  }

  /** A row's value as the library wants it; the value must be present. */
  static Object value(Vector vector, Type column, int row) {
    if (column instanceof Type.Decimal decimal) {
      return ((LongVector) vector).get(row) / Math.pow(10, decimal.scale());
    }
    if (column instanceof Type.ListOf list) {
      ListVector lists = (ListVector) vector;
      List<Object> elements = new ArrayList<>();
      for (int i = lists.start(row); i < lists.end(row); i++) {
        elements.add(orNull(lists.elements(), list.element(), i));
      }
      return elements;
    }
    if (column instanceof Type.Struct struct) {
      Map<String, Object> fields = new LinkedHashMap<>();
      for (int i = 0; i < struct.fields().size(); i++) {
        Vector field = ((StructVector) vector).fields().get(i);
        if (!field.absent(row)) {
          Column named = struct.fields().get(i);
          fields.put(named.name(), value(field, named.type(), row));
        }
      }
      return fields;
    }
    return switch ((Type.Scalar) column) {
      case BOOL -> ((LongVector) vector).get(row) != 0;
      case INT, LONG -> ((LongVector) vector).get(row);
      case DOUBLE -> ((DoubleVector) vector).get(row);
      case TEXT, UUID, JSON -> ((TextVector) vector).text(row);
      case BYTES -> {
        TextVector bytes = (TextVector) vector;
        yield CelByteString.of(Arrays.copyOfRange(bytes.data(), bytes.start(row), bytes.end(row)));
      }
      case TIMESTAMP -> Instants.instant(((LongVector) vector).get(row));
      case DATE -> Instant.EPOCH.plus(((LongVector) vector).get(row), ChronoUnit.DAYS);
    };
  }

  private static Object orNull(Vector vector, Type column, int row) {
    return vector.absent(row) ? NullValue.NULL_VALUE : value(vector, column, row);
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
      List<Vector> inputs = fields.stream().map(f -> f.raw(batch)).toList();
      Vector result = Vectors.forType(type, batch.rows());
      String[] failures = null;
      Map<String, Object> variables = new HashMap<>();
      for (int row = 0; row < batch.rows(); row++) {
        if (anyAbsent(inputs, row)) {
          result.appendAbsent();
          continue;
        }
        for (int i = 0; i < inputs.size(); i++) {
          variables.put(names.get(i), value(inputs.get(i), fields.get(i).column(), row));
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
