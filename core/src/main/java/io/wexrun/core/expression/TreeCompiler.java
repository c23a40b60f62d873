package io.wexrun.core.expression;

import com.google.re2j.Pattern;
import com.google.re2j.PatternSyntaxException;
import dev.cel.common.CelAbstractSyntaxTree;
import dev.cel.common.CelSource;
import dev.cel.common.CelSourceLocation;
import dev.cel.common.CelValidationException;
import dev.cel.common.ast.CelConstant;
import dev.cel.common.ast.CelExpr;
import dev.cel.common.ast.CelExpr.ExprKind.Kind;
import dev.cel.common.navigation.CelNavigableAst;
import dev.cel.compiler.CelCompiler;
import dev.cel.runtime.CelEvaluationException;
import io.wexrun.core.address.Network;
import io.wexrun.core.batch.DoubleVector;
import io.wexrun.core.batch.LongVector;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.pattern.Search;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** Turns a checked tree of the library into nodes over columns; what it cannot, it leaves there. */
final class TreeCompiler {
  private static final Map<String, Compare.Operator> COMPARISONS =
      Map.of(
          "_==_", Compare.Operator.EQUAL,
          "_!=_", Compare.Operator.NOT_EQUAL,
          "_<_", Compare.Operator.LESS,
          "_<=_", Compare.Operator.AT_MOST,
          "_>_", Compare.Operator.MORE,
          "_>=_", Compare.Operator.AT_LEAST);
  private static final Map<String, TextFunctions.Test> TEXT_TESTS =
      Map.of(
          "contains", TextFunctions.Test.CONTAINS,
          "startsWith", TextFunctions.Test.STARTS_WITH,
          "endsWith", TextFunctions.Test.ENDS_WITH);

  private final CelAbstractSyntaxTree tree;
  private final CelCompiler compiler;
  private final Map<String, FieldPath> paths;
  private final List<String> onLibrary = new ArrayList<>();

  TreeCompiler(CelAbstractSyntaxTree tree, CelCompiler compiler, Schema schema) {
    this.tree = tree;
    this.compiler = compiler;
    this.paths = FieldPath.all(schema);
  }

  /** The whole expression over columns. */
  Node compile() {
    return node(tree.getExpr());
  }

  /** The parts that were left to the library. */
  List<String> onLibrary() {
    return onLibrary;
  }

  /** The fields that the whole expression reads. */
  List<String> fields() {
    return fields(tree);
  }

  private List<String> fields(CelAbstractSyntaxTree part) {
    return CelNavigableAst.fromAst(part)
        .getRoot()
        .allNodes()
        .filter(n -> n.getKind() == Kind.IDENT)
        .map(n -> n.expr().ident().name())
        .distinct()
        .filter(paths::containsKey)
        .toList();
  }

  private Node node(CelExpr expr) {
    Optional<Node> columnar =
        switch (expr.getKind()) {
          case CONSTANT -> constant(expr.constant()).map(c -> (Node) c);
          case IDENT -> field(expr.ident().name()).map(f -> (Node) f);
          case CALL -> call(expr);
          default -> Optional.empty();
        };
    return columnar.orElseGet(() -> leaveToLibrary(expr));
  }

  private Optional<Node.Field> field(String name) {
    return Optional.ofNullable(paths.get(name)).map(Node.Field::new);
  }

  private static Optional<Node.Constant> constant(CelConstant constant) {
    return switch (constant.getKind()) {
      case BOOLEAN_VALUE ->
          Optional.of(new Node.Constant(constant.booleanValue() ? 1L : 0L, Type.Scalar.BOOL));
      case INT64_VALUE -> Optional.of(new Node.Constant(constant.int64Value(), Type.Scalar.LONG));
      case DOUBLE_VALUE ->
          Optional.of(new Node.Constant(constant.doubleValue(), Type.Scalar.DOUBLE));
      case STRING_VALUE -> Optional.of(Node.Constant.text(constant.stringValue()));
      default -> Optional.empty();
    };
  }

  private Optional<Node> call(CelExpr expr) {
    CelExpr.CelCall call = expr.call();
    List<CelExpr> args = new ArrayList<>();
    call.target().ifPresent(args::add);
    args.addAll(call.args());
    Compare.Operator comparison = COMPARISONS.get(call.function());
    if (comparison != null) {
      return sameStorage(args) ? Optional.of(compare(comparison, args)) : Optional.empty();
    }
    TextFunctions.Test test = TEXT_TESTS.get(call.function());
    if (test != null) {
      return constantText(args, 1)
          .map(part -> new TextFunctions.Has(test, node(args.get(0)), part));
    }
    return switch (call.function()) {
      case "_&&_" -> Optional.of(new Logic.Junction(true, node(args.get(0)), node(args.get(1))));
      case "_||_" -> Optional.of(new Logic.Junction(false, node(args.get(0)), node(args.get(1))));
      case "!_" -> Optional.of(new Logic.Not(node(args.get(0))));
      case "_?_:_" -> choice(args);
      case "@in" -> in(args);
      case "_+_", "_-_", "_*_", "_/_", "_%_" -> arithmetic(call.function().charAt(1), args);
      case "-_" -> negate(args.get(0));
      case "size" -> size(args.get(0));
      case Library.PRESENT -> Optional.of(new Node.Present(node(args.get(0))));
      case "matches" -> matches(args);
      case "replace" -> replace(args);
      case "lowerAscii" -> Optional.of(new TextFunctions.Letters(node(args.get(0)), true));
      case "upperAscii" -> Optional.of(new TextFunctions.Letters(node(args.get(0)), false));
      default -> function(call.function(), args);
    };
  }

  /** One of our own functions; {@code inNetwork} of a constant network is prepared. */
  private Optional<Node> function(String name, List<CelExpr> args) {
    Optional<Network> network =
        name.equals("inNetwork")
            ? constantText(args, 1)
                .flatMap(text -> Network.parse(new String(text, StandardCharsets.UTF_8)))
            : Optional.empty();
    if (network.isPresent()) {
      return Optional.of(new Functions.InNetwork(node(args.get(0)), network.get()));
    }
    if (Regexes.NAMES.contains(name)) {
      requirePattern(args);
    }
    Optional<Node> truncated = name.equals("truncate") ? truncated(args) : Optional.empty();
    if (truncated.isPresent()) {
      return truncated;
    }
    List<Type> types = args.stream().map(arg -> typeOf(arg).orElse(null)).toList();
    return Functions.find(name, types)
        .map(f -> new Functions.Applied(f, args.stream().map(this::node).toList()));
  }

  /** A constant regular expression is known to be one before the run. */
  private void requirePattern(List<CelExpr> args) {
    try {
      constantText(args, 1)
          .ifPresent(text -> Regexes.pattern(new String(text, StandardCharsets.UTF_8)));
    } catch (IllegalArgumentException e) {
      throw new Unsupported(e.getMessage());
    }
  }

  /** {@code truncate} to a constant unit in a constant zone, if there are such. */
  private Optional<Node> truncated(List<CelExpr> args) {
    Optional<String> unit =
        constantText(args, 1).map(text -> new String(text, StandardCharsets.UTF_8));
    Optional<String> zone =
        args.size() < 3
            ? Optional.of("UTC")
            : constantText(args, 2).map(text -> new String(text, StandardCharsets.UTF_8));
    if (unit.isEmpty() || zone.isEmpty()) {
      return Optional.empty();
    }
    try {
      return Optional.of(Truncation.of(node(args.get(0)), unit.get(), zone.get()));
    } catch (IllegalArgumentException e) {
      throw new Unsupported("truncate: " + e.getMessage());
    }
  }

  private Optional<Node> size(CelExpr operand) {
    Type type = typeOf(operand).orElse(null);
    if (type == Type.Scalar.TEXT) {
      return Optional.of(new TextFunctions.Size(node(operand)));
    }
    return type instanceof Type.ListOf
        ? Optional.of(new Node.ListSize(node(operand)))
        : Optional.empty();
  }

  private Node compare(Compare.Operator operator, List<CelExpr> args) {
    return new Compare(operator, node(args.get(0)), node(args.get(1)));
  }

  private Optional<Node> choice(List<CelExpr> args) {
    if (!sameStorage(args.subList(1, 3))) {
      return Optional.empty();
    }
    return Optional.of(new Logic.Choice(node(args.get(0)), node(args.get(1)), node(args.get(2))));
  }

  private Optional<Node> in(List<CelExpr> args) {
    CelExpr list = args.get(1);
    if (list.getKind() != Kind.LIST || list.list().elements().isEmpty()) {
      return Optional.empty();
    }
    List<Node.Constant> constants = new ArrayList<>();
    for (CelExpr element : list.list().elements()) {
      boolean fits =
          element.getKind() == Kind.CONSTANT && sameStorage(List.of(args.get(0), element));
      Optional<Node.Constant> value = fits ? constant(element.constant()) : Optional.empty();
      if (value.isEmpty()) {
        return Optional.empty();
      }
      constants.add(value.get());
    }
    return Optional.of(new Logic.In(node(args.get(0)), constants));
  }

  private Optional<Node> arithmetic(char operator, List<CelExpr> args) {
    Type left = typeOf(args.get(0)).orElse(null);
    Type right = typeOf(args.get(1)).orElse(null);
    if (left == null || !left.equals(right)) {
      return Optional.empty();
    }
    if (left == Type.Scalar.LONG || left == Type.Scalar.DOUBLE) {
      return Optional.of(new Arithmetic(operator, node(args.get(0)), node(args.get(1))));
    }
    if (left == Type.Scalar.TEXT && operator == '+') {
      return Optional.of(new TextFunctions.Concat(node(args.get(0)), node(args.get(1))));
    }
    return Optional.empty();
  }

  private Optional<Node> negate(CelExpr operand) {
    Type type = typeOf(operand).orElse(null);
    if (type == Type.Scalar.LONG) {
      return Optional.of(new Arithmetic('-', new Node.Constant(0L, type), node(operand)));
    }
    if (type == Type.Scalar.DOUBLE) {
      return Optional.of(new Arithmetic('*', new Node.Constant(-1.0, type), node(operand)));
    }
    return Optional.empty();
  }

  private Optional<Node> matches(List<CelExpr> args) {
    if (args.get(1).getKind() != Kind.CONSTANT) {
      return Optional.empty();
    }
    try {
      Search pattern = Search.of(Pattern.compile(args.get(1).constant().stringValue()));
      return Optional.of(new TextFunctions.Matches(node(args.get(0)), pattern));
    } catch (PatternSyntaxException e) {
      return Optional.empty();
    }
  }

  private Optional<Node> replace(List<CelExpr> args) {
    Optional<byte[]> from = constantText(args, 1);
    Optional<byte[]> to = constantText(args, 2);
    if (args.size() != 3 || from.isEmpty() || to.isEmpty() || from.get().length == 0) {
      return Optional.empty();
    }
    return Optional.of(new TextFunctions.Replace(node(args.get(0)), from.get(), to.get()));
  }

  private static Optional<byte[]> constantText(List<CelExpr> args, int place) {
    boolean constant =
        args.size() > place
            && args.get(place).getKind() == Kind.CONSTANT
            && args.get(place).constant().getKind() == CelConstant.Kind.STRING_VALUE;
    return constant
        ? Optional.of(Node.Constant.text(args.get(place).constant().stringValue()).bytes())
        : Optional.empty();
  }

  private boolean sameStorage(List<CelExpr> args) {
    Optional<Type> first = typeOf(args.get(0));
    return first.isPresent() && !first.get().nested() && first.equals(typeOf(args.get(1)));
  }

  private Optional<Type> typeOf(CelExpr expr) {
    return tree.getType(expr.id()).flatMap(Library::type);
  }

  /** The library computes this part; if it depends on no field, it does so once, now. */
  private Node leaveToLibrary(CelExpr expr) {
    CelAbstractSyntaxTree part = checked(expr);
    List<String> names = fields(part);
    Type type =
        Library.type(part.getResultType())
            .orElseThrow(() -> new Unsupported("a part of type " + part.getResultType().name()));
    var program = Library.program(part);
    if (names.isEmpty()) {
      try {
        return once(program.eval(), type);
      } catch (CelEvaluationException e) {
        throw new Unsupported("its constant part fails: " + e.getMessage());
      }
    }
    onLibrary.add(text(expr));
    List<Node.Field> fields = names.stream().map(name -> field(name).orElseThrow()).toList();
    return new Library.OnLibrary(program, fields, names, type);
  }

  private static Node once(Object value, Type type) {
    Vector one = Vectors.forType(type, 1);
    Library.append(one, value);
    if (one instanceof LongVector number) {
      return new Node.Constant(number.get(0), type);
    }
    if (one instanceof DoubleVector number) {
      return new Node.Constant(number.get(0), type);
    }
    if (!(one instanceof TextVector text)) {
      return new Node.Repeated(one, type);
    }
    return new Node.Constant(Arrays.copyOf(text.data(), text.end(0)), type);
  }

  private CelAbstractSyntaxTree checked(CelExpr expr) {
    CelSource source = tree.getSource();
    try {
      return compiler.check(CelAbstractSyntaxTree.newParsedAst(expr, source)).getAst();
    } catch (CelValidationException e) {
      throw new IllegalStateException("a part of a checked expression does not check", e);
    }
  }

  private String text(CelExpr expr) {
    Optional<CelSourceLocation> location =
        Optional.ofNullable(tree.getSource().getPositionsMap().get(expr.id()))
            .flatMap(offset -> tree.getSource().getOffsetLocation(offset));
    String name = expr.getKind() == Kind.CALL ? expr.call().function() + "()" : "a macro";
    return location.map(l -> name + " at character " + (l.getColumn() + 1)).orElse(name);
  }

  /** A valid CEL expression that cannot be computed here. */
  static final class Unsupported extends RuntimeException {
    Unsupported(String message) {
      super(message);
    }
  }
}
