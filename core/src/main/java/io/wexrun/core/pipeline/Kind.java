package io.wexrun.core.pipeline;

import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * A kind of records in a stream that mixes several: the marks by which it is recognised, steps and
 * a route of its own. All marks that are given must hold.
 *
 * <pre>{@code
 * Kind.named("fault").has("fault").shape(json).to("vehicle_faults")
 * }</pre>
 *
 * @param name unique in its pipeline
 * @param has fields that must be present
 * @param where fields with the values that they may have, as text
 * @param when a CEL condition
 * @param shape its steps, behind those of the pipeline; the first may read the raw record again
 * @param route its entries in order
 */
public record Kind(
    String name,
    List<String> has,
    Map<String, List<String>> where,
    Optional<String> when,
    List<StepDefinition> shape,
    List<Route> route) {

  /** Copies the collections. */
  public Kind {
    has = List.copyOf(has);
    Map<String, List<String>> copy = new LinkedHashMap<>();
    where.forEach((field, values) -> copy.put(field, List.copyOf(values)));
    where = Collections.unmodifiableMap(copy);
    shape = List.copyOf(shape);
    route = List.copyOf(route);
  }

  /** Begins a kind without marks. */
  public static Kind named(String name) {
    return new Kind(name, List.of(), Map.of(), Optional.empty(), List.of(), List.of());
  }

  /** This kind, recognised by fields that only it has. */
  public Kind has(String... fields) {
    return new Kind(name, List.of(fields), where, when, shape, route);
  }

  /** This kind, recognised by a field with one of some values. */
  public Kind where(String field, String... values) {
    Map<String, List<String>> more = new LinkedHashMap<>(where);
    more.put(field, List.of(values));
    return new Kind(name, has, more, when, shape, route);
  }

  /** This kind, recognised by a CEL condition. */
  public Kind when(String condition) {
    return new Kind(name, has, where, Optional.of(condition), shape, route);
  }

  /** This kind with more steps. */
  public Kind shape(StepDefinition... steps) {
    List<StepDefinition> more = new ArrayList<>(shape);
    more.addAll(List.of(steps));
    return new Kind(name, has, where, when, more, route);
  }

  /** This kind with more entries of its route. */
  public Kind route(Route... entries) {
    List<Route> more = new ArrayList<>(route);
    more.addAll(List.of(entries));
    return new Kind(name, has, where, when, shape, more);
  }

  /** This kind with all its records going to a table or queue, or to several. */
  public Kind to(String... targets) {
    return route(Route.to(targets));
  }
}
