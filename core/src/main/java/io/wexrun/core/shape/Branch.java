package io.wexrun.core.shape;

import io.wexrun.core.expression.Expression;

/**
 * One way that rows go behind the common steps.
 *
 * @param name the kind's name; empty in a pipeline without kinds
 * @param mark what its rows have; null: all rows
 * @param section its own steps
 * @param router its own route
 */
record Branch(String name, Expression mark, Section section, Router router) {
  /** The path of the route in the pipeline's definition. */
  String routePath() {
    return name.isEmpty() ? "route" : "kinds." + name + ".route";
  }
}
