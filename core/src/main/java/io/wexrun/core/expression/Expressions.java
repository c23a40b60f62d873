package io.wexrun.core.expression;

import dev.cel.common.CelAbstractSyntaxTree;
import dev.cel.common.CelIssue;
import dev.cel.common.CelValidationException;
import dev.cel.common.CelValidationResult;
import dev.cel.compiler.CelCompiler;
import io.wexrun.core.batch.Batch;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Doubtful;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/** Compiles CEL texts against the columns of one schema. For one thread. */
public final class Expressions {
  private static final Pattern UNKNOWN = Pattern.compile("undeclared reference to '([^']+)'.*");

  /** Functions of CEL and of its extension for strings that one may have meant. */
  private static final List<String> OF_THE_LANGUAGE =
      List.of(
          "size",
          "contains",
          "startsWith",
          "endsWith",
          "matches",
          "int",
          "double",
          "string",
          "bool",
          "bytes",
          "timestamp",
          "duration",
          "has",
          "lowerAscii",
          "upperAscii",
          "replace",
          "split",
          "join",
          "trim",
          "substring",
          "indexOf",
          "lastIndexOf",
          "charAt",
          "getFullYear",
          "getMonth",
          "getDayOfMonth",
          "getHours",
          "getMinutes",
          "getSeconds");

  private static final Pattern OVERLOAD =
      Pattern.compile(
          "found no matching overload for '([^']+)' applied to '\\(([^)]*)\\)'.*", Pattern.DOTALL);

  private final Schema schema;
  private final Doubtful doubtful;
  private CelCompiler compiler;

  /** Whether what was compiled last is a condition that never holds. */
  private boolean never;

  /** A compiler of expressions on the columns of {@code schema}. */
  public Expressions(Schema schema) {
    this(schema, new Doubtful());
  }

  /**
   * A compiler of expressions on the columns of {@code schema}.
   *
   * @param doubtful fields that a step with a mistake would give: that they are unknown is not told
   *     again
   */
  public Expressions(Schema schema, Doubtful doubtful) {
    this.schema = schema;
    this.doubtful = doubtful;
  }

  /**
   * Compiles a text.
   *
   * @return empty if it has mistakes, which are then in {@code diagnostics} at {@code path}
   */
  public Optional<Expression> compile(String text, KeyPath path, Diagnostics diagnostics) {
    if (compiler == null) {
      compiler = Library.compiler(schema);
    }
    CelValidationResult result = compiler.compile(text);
    if (result.hasError()) {
      result.getErrors().forEach(issue -> report(text, issue, path, diagnostics));
      return Optional.empty();
    }
    try {
      CelAbstractSyntaxTree tree = result.getAst();
      Optional<Type> type = Library.type(tree.getResultType());
      if (type.isEmpty()) {
        diagnostics.error(
            "unusable-result",
            path,
            "the expression gives a " + tree.getResultType().name() + ", which no column holds",
            Optional.of("make it a bool, int, double, string, bytes or timestamp"));
        return Optional.empty();
      }
      TreeCompiler compiled = new TreeCompiler(tree, compiler, schema);
      Node root = compiled.compile();
      never = type.get() == Type.Scalar.BOOL && never(tree, compiled, root);
      return Optional.of(
          new Expression(text, type.get(), root, compiled.fields(), compiled.onLibrary()));
    } catch (TreeCompiler.Unsupported e) {
      diagnostics.error("bad-expression", path, e.getMessage(), Optional.empty());
      return Optional.empty();
    } catch (CelValidationException e) {
      throw new IllegalStateException("no errors, and yet no tree", e);
    }
  }

  /** Whether a condition never holds, as far as that can be known without records. */
  private static boolean never(CelAbstractSyntaxTree tree, TreeCompiler compiled, Node root) {
    if (!compiled.fields().isEmpty()) {
      return Contradiction.in(tree.getExpr());
    }
    Records one = Records.numbered(new byte[0], new int[1], new int[1], 1, 0, null);
    Evaluated value = root.evaluate(Batch.raw(one));
    return value.failed(0) || !Expression.holds(value, 0);
  }

  /** Compiles a text that must give a bool. */
  public Optional<Expression> condition(String text, KeyPath path, Diagnostics diagnostics) {
    Optional<Expression> expression = compile(text, path, diagnostics);
    if (expression.isPresent() && expression.get().type() != Type.Scalar.BOOL) {
      diagnostics.error(
          "not-a-condition",
          path,
          "the condition gives " + expression.get().type().withArticle() + ", not true or false",
          Optional.of("compare it with something, such as '" + text + " != \"\"'"));
      return Optional.empty();
    }
    if (expression.isPresent() && never) {
      diagnostics.warning(
          "never-holds",
          path,
          "no record can fulfil this condition",
          Optional.of("its parts exclude each other, or it is a constant: mend or remove it"));
    }
    return expression;
  }

  private void report(String text, CelIssue issue, KeyPath path, Diagnostics diagnostics) {
    int offset = offset(text, issue);
    Matcher unknown = UNKNOWN.matcher(issue.getMessage());
    if (unknown.matches()) {
      String name = unknown.group(1);
      if (isCalled(text, name, offset)) {
        diagnostics.error(
            "unknown-function",
            path,
            offset,
            1,
            "there is no function '" + name + "'",
            Diagnostics.nearest(name, functions()));
        return;
      }
      if (doubtful.mayBe(name, schema.names())) {
        return;
      }
      diagnostics.error(
          "unknown-field",
          path,
          offset,
          name.length(),
          "there is no field '" + name + "' here",
          Diagnostics.nearestOrKnown(name, schema.names(), all -> "the fields are " + all));
      return;
    }
    Matcher overload = OVERLOAD.matcher(issue.getMessage());
    if (overload.matches()) {
      String operator = overload.group(1).replace("_", " ").replace("@", "").trim();
      String operands =
          overload
              .group(2)
              .replace(", ", " and ")
              .replace("google.protobuf.Timestamp", "timestamp");
      Optional<String> hint =
          operands.contains("int") && operands.contains("double")
              ? Optional.of("turn the whole number into a double with double(...)")
              : operands.contains("string") && operands.contains("int")
                  ? Optional.of("compare a text with a text in quotes, or turn it with int(...)")
                  : operands.contains("string") && operands.contains("timestamp")
                      ? Optional.of(
                          "write the time as date(\"2026-11-25\") or"
                              + " timestamp(\"2026-11-25T08:00:00Z\")")
                      : Optional.empty();
      diagnostics.error(
          "type-clash", path, offset, 1, "'" + operator + "' does not work on " + operands, hint);
      return;
    }
    String message = issue.getMessage().split("\n", 2)[0];
    diagnostics.error("bad-expression", path, offset, 1, message, Optional.empty());
  }

  /** Whether the name at a place, or in front of it, has its arguments behind it. */
  private static boolean isCalled(String text, String name, int offset) {
    String from = text.substring(Math.min(offset, text.length())).stripLeading();
    return from.startsWith("(") || from.matches("(?s)" + Pattern.quote(name) + "\\s*\\(.*");
  }

  private static List<String> functions() {
    List<String> all = new ArrayList<>(OF_THE_LANGUAGE);
    all.addAll(Functions.names());
    return all;
  }

  /** The library counts lines from 1 and columns from 0. */
  private static int offset(String text, CelIssue issue) {
    int offset = 0;
    for (int line = 1; line < issue.getSourceLocation().getLine(); line++) {
      offset = text.indexOf('\n', offset) + 1;
    }
    return offset + Math.max(0, issue.getSourceLocation().getColumn());
  }
}
