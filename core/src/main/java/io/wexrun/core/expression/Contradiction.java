package io.wexrun.core.expression;

import dev.cel.common.ast.CelConstant;
import dev.cel.common.ast.CelExpr;
import dev.cel.common.ast.CelExpr.ExprKind.Kind;
import java.math.BigDecimal;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;

/**
 * Finds conditions that no record can fulfil: comparisons of one field with constants that exclude
 * each other. What it does not find may still be one.
 */
final class Contradiction {
  private static final Map<String, String> TURNED =
      Map.of(
          "_<_", "_>_", "_<=_", "_>=_", "_>_", "_<_", "_>=_", "_<=_", "_==_", "_==_", "_!=_",
          "_!=_");

  /** What the conjuncts so far leave for a field. */
  private static final class Left {
    private BigDecimal low;
    private boolean lowIn;
    private BigDecimal high;
    private boolean highIn;

    /** The only values that are left; null: any. */
    private Set<Object> only;

    private final Set<Object> not = new HashSet<>();

    void only(Set<Object> values) {
      only = only == null ? new HashSet<>(values) : only;
      only.retainAll(values);
    }

    void above(BigDecimal bound, boolean inclusive) {
      if (low == null || bound.compareTo(low) > 0 || bound.compareTo(low) == 0 && !inclusive) {
        low = bound;
        lowIn = inclusive;
      }
    }

    void below(BigDecimal bound, boolean inclusive) {
      if (high == null || bound.compareTo(high) < 0 || bound.compareTo(high) == 0 && !inclusive) {
        high = bound;
        highIn = inclusive;
      }
    }

    boolean nothing() {
      if (low != null && high != null) {
        int order = low.compareTo(high);
        if (order > 0 || order == 0 && !(lowIn && highIn)) {
          return true;
        }
      }
      return only != null && only.stream().noneMatch(this::possible);
    }

    private boolean possible(Object value) {
      if (not.contains(value)) {
        return false;
      }
      if (value instanceof BigDecimal number) {
        boolean above = low == null || number.compareTo(low) > (lowIn ? -1 : 0);
        boolean below = high == null || number.compareTo(high) < (highIn ? 1 : 0);
        return above && below;
      }
      return true;
    }
  }

  private Contradiction() {}

  /** Whether a condition certainly never holds. */
  static boolean in(CelExpr condition) {
    if (condition.getKind() == Kind.CONSTANT) {
      return condition.constant().getKind() == CelConstant.Kind.BOOLEAN_VALUE
          && !condition.constant().booleanValue();
    }
    if (condition.getKind() != Kind.CALL) {
      return false;
    }
    List<CelExpr> parts = new ArrayList<>();
    if (condition.call().function().equals("_||_")) {
      flatten(condition, "_||_", parts);
      return parts.stream().allMatch(Contradiction::in);
    }
    flatten(condition, "_&&_", parts);
    if (parts.size() > 1 && parts.stream().anyMatch(Contradiction::in)) {
      return true;
    }
    Map<String, Left> fields = new HashMap<>();
    parts.forEach(part -> narrow(part, fields));
    return fields.values().stream().anyMatch(Left::nothing);
  }

  private static void flatten(CelExpr expr, String operator, List<CelExpr> parts) {
    if (expr.getKind() == Kind.CALL && expr.call().function().equals(operator)) {
      expr.call().args().forEach(arg -> flatten(arg, operator, parts));
    } else {
      parts.add(expr);
    }
  }

  private static void narrow(CelExpr part, Map<String, Left> fields) {
    if (part.getKind() != Kind.CALL || part.call().args().size() != 2) {
      return;
    }
    String function = part.call().function();
    CelExpr left = part.call().args().get(0);
    CelExpr right = part.call().args().get(1);
    if (function.equals("@in") && field(left).isPresent() && right.getKind() == Kind.LIST) {
      Set<Object> values = new HashSet<>();
      for (CelExpr element : right.list().elements()) {
        Optional<Object> value = value(element);
        if (value.isEmpty()) {
          return;
        }
        values.add(value.get());
      }
      fields.computeIfAbsent(field(left).get(), f -> new Left()).only(values);
    } else if (TURNED.containsKey(function)) {
      if (field(left).isPresent() && value(right).isPresent()) {
        compare(function, fields.computeIfAbsent(field(left).get(), f -> new Left()), right);
      } else if (field(right).isPresent() && value(left).isPresent()) {
        Left of = fields.computeIfAbsent(field(right).get(), f -> new Left());
        compare(TURNED.get(function), of, left);
      }
    }
  }

  private static void compare(String operator, Left left, CelExpr constant) {
    Object value = value(constant).orElseThrow();
    switch (operator) {
      case "_==_" -> left.only(Set.of(value));
      case "_!=_" -> left.not.add(value);
      default -> {
        if (value instanceof BigDecimal bound) {
          boolean inclusive = operator.contains("=");
          if (operator.startsWith("_<")) {
            left.below(bound, inclusive);
          } else {
            left.above(bound, inclusive);
          }
        }
      }
    }
  }

  private static Optional<String> field(CelExpr expr) {
    return expr.getKind() == Kind.IDENT || expr.getKind() == Kind.SELECT
        ? Library.name(expr)
        : Optional.empty();
  }

  /** A constant, numbers without the difference between whole and floating ones. */
  private static Optional<Object> value(CelExpr expr) {
    if (expr.getKind() != Kind.CONSTANT) {
      return Optional.empty();
    }
    CelConstant constant = expr.constant();
    return switch (constant.getKind()) {
      case STRING_VALUE -> Optional.of(constant.stringValue());
      case BOOLEAN_VALUE -> Optional.of(constant.booleanValue());
      case INT64_VALUE -> Optional.of(BigDecimal.valueOf(constant.int64Value()));
      case DOUBLE_VALUE ->
          Double.isFinite(constant.doubleValue())
              ? Optional.of(new BigDecimal(constant.doubleValue()).stripTrailingZeros())
              : Optional.empty();
      default -> Optional.empty();
    };
  }
}
