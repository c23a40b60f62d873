package io.wexrun.core.pipeline;

import java.util.ArrayList;
import java.util.Collections;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;

/**
 * A pipeline as data: intake, shape, route, flush. Immutable; equal by value. Made by a file's
 * reader or by {@link #named}:
 *
 * <pre>{@code
 * Pipeline load = Pipeline.named("gate-load")
 *     .intake(Settings.of("queue", "gate-events"))
 *     .shape(template("{time:timestamp} {gate}/{stop} {level} {event} card={card}"), require("card"))
 *     .route(when("event == 'scan'").to("scans"), Route.otherwiseDead())
 *     .build();
 * }</pre>
 *
 * @param name letters, digits, {@code -} and {@code _}; unique in its workspace
 * @param about what it is for, or empty
 * @param patterns names to regular expressions (RE2 syntax) that templates and others may use
 * @param intake where records come from
 * @param shape the steps in order; none passes raw records on
 * @param route the entries in order; none if there are kinds
 * @param kinds the kinds of records in a stream that mixes several; none if there is a route
 * @param others what becomes of records of no kind
 * @param dead where dead letters go, by the fields of a letter; none if all of them stay dead
 *     letters
 * @param flush when buffers are written
 * @param channel where records wait between intake and shaping: {@link #IN_MEMORY}, or a kind of
 *     channel that outlives a run, as in {@code {disk: 10GB}}
 * @param start when it is started in a run that goes on
 * @param deaths how many records may die before somebody is told, or it stops; they change nothing
 *     of what becomes of a record
 * @param tags words by which people choose it among others; they change nothing of what it does
 */
public record Pipeline(
    String name,
    String about,
    Map<String, String> patterns,
    Settings intake,
    List<StepDefinition> shape,
    List<Route> route,
    List<Kind> kinds,
    Others others,
    List<Route> dead,
    FlushPolicy flush,
    Settings channel,
    Start start,
    Deaths deaths,
    List<String> tags) {

  /** The channel that keeps nothing: what was not accounted for is taken again. */
  public static final Settings IN_MEMORY = new Settings("memory", Map.of());

  /** Copies the collections. */
  public Pipeline {
    patterns = Collections.unmodifiableMap(new LinkedHashMap<>(patterns));
    Objects.requireNonNull(intake, "intake");
    Objects.requireNonNull(channel, "channel");
    shape = List.copyOf(shape);
    route = List.copyOf(route);
    kinds = List.copyOf(kinds);
    dead = List.copyOf(dead);
    tags = List.copyOf(tags);
  }

  /** Begins a pipeline. */
  public static Builder named(String name) {
    return new Builder(name);
  }

  /** The pipeline's dead letters as a queue's name. */
  public String deadLetters() {
    return "dead/" + name;
  }

  /** This pipeline with other patterns. */
  public Pipeline withPatterns(Map<String, String> other) {
    return new Pipeline(
        name, about, other, intake, shape, route, kinds, others, dead, flush, channel, start,
        deaths, tags);
  }

  /** This pipeline with another intake. */
  public Pipeline withIntake(Settings other) {
    return new Pipeline(
        name, about, patterns, other, shape, route, kinds, others, dead, flush, channel, start,
        deaths, tags);
  }

  /** This pipeline with other limits of how many records may die. */
  public Pipeline withDeaths(Deaths other) {
    return new Pipeline(
        name, about, patterns, intake, shape, route, kinds, others, dead, flush, channel, start,
        other, tags);
  }

  /** Collects the parts of a pipeline; reads like the file. Not for several threads. */
  public static final class Builder {
    private final String name;
    private String about = "";
    private final Map<String, String> patterns = new LinkedHashMap<>();
    private Settings intake;
    private final List<StepDefinition> shape = new ArrayList<>();
    private final List<Route> route = new ArrayList<>();
    private final List<Kind> kinds = new ArrayList<>();
    private Others others = Others.DEAD;
    private final List<Route> dead = new ArrayList<>();
    private FlushPolicy flush = FlushPolicy.DEFAULT;
    private Settings channel = IN_MEMORY;
    private Start start = Start.WITH_THE_RUN;
    private Deaths deaths = Deaths.ANY;
    private final List<String> tags = new ArrayList<>();

    private Builder(String name) {
      this.name = name;
    }

    /** Says what the pipeline is for. */
    public Builder about(String text) {
      about = text;
      return this;
    }

    /** Names a regular expression, in RE2 syntax, for the steps. */
    public Builder pattern(String patternName, String regex) {
      patterns.put(patternName, regex);
      return this;
    }

    /** Where records come from. */
    public Builder intake(Settings settings) {
      intake = settings;
      return this;
    }

    /** Adds steps at the end of the shape. */
    public Builder shape(StepDefinition... steps) {
      shape.addAll(List.of(steps));
      return this;
    }

    /** Adds entries at the end of the route. */
    public Builder route(Route... entries) {
      route.addAll(List.of(entries));
      return this;
    }

    /** Adds kinds, each with steps and a route of its own; then the pipeline has no route. */
    public Builder kinds(Kind... more) {
      kinds.addAll(List.of(more));
      return this;
    }

    /** What becomes of records of no kind; without it they are dead letters. */
    public Builder others(Others fate) {
      others = fate;
      return this;
    }

    /**
     * Adds entries that send dead letters elsewhere; conditions are on the fields of a letter, such
     * as {@code reason}. Those that no entry takes stay dead letters.
     */
    public Builder dead(Route... entries) {
      dead.addAll(List.of(entries));
      return this;
    }

    /** When buffers are written. */
    public Builder flush(FlushPolicy policy) {
      flush = policy;
      return this;
    }

    /** Where records wait between intake and shaping; without it in memory. */
    public Builder channel(Settings settings) {
      channel = settings;
      return this;
    }

    /** When it is started in a run that goes on; without it with the run. */
    public Builder start(Start times) {
      start = times;
      return this;
    }

    /** How many records may die before somebody is told, or it stops; without it, any number. */
    public Builder deaths(Deaths limits) {
      deaths = limits;
      return this;
    }

    /** Words by which people choose it among others. */
    public Builder tags(String... words) {
      tags.addAll(List.of(words));
      return this;
    }

    /**
     * The pipeline.
     *
     * @throws IllegalStateException if it has no intake, or not either a route or kinds
     */
    public Pipeline build() {
      if (intake == null || route.isEmpty() == kinds.isEmpty()) {
        throw new IllegalStateException(
            "pipeline " + name + " needs an intake, and either a route or kinds");
      }
      return new Pipeline(
          name, about, patterns, intake, shape, route, kinds, others, dead, flush, channel, start,
          deaths, tags);
    }
  }
}
