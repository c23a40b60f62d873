package io.wexrun.contract;

import java.util.SplittableRandom;
import java.util.stream.LongStream;

/**
 * Seeds of simulations with dice: some in every build, others each time, and many times as many
 * where the system property {@code wexrun.soak} says so. A failure names its seed, by which alone
 * it is repeated: {@code -Dwexrun.seed=N}.
 */
public final class Seeds {
  /** How many times as many seeds as in an ordinary build. */
  private static final String SOAK = "wexrun.soak";

  private static final String ONE = "wexrun.seed";

  private Seeds() {}

  /** A simulation. */
  @FunctionalInterface
  public interface Simulation {
    /** Runs with a seed. */
    void run(long seed) throws Exception;
  }

  /** How many times as much is asked for as in an ordinary build; at least 1. */
  public static int times() {
    return Math.max(1, Integer.getInteger(SOAK, 1));
  }

  /**
   * Runs a simulation with each seed: the first tenth are the same ones every time.
   *
   * @param ordinary how many in an ordinary build
   */
  public static void each(int ordinary, Simulation simulation) {
    Long one = Long.getLong(ONE);
    if (one != null) {
      run(one, simulation);
      return;
    }
    SplittableRandom dice = new SplittableRandom();
    for (int i = 0; i < ordinary * times(); i++) {
      run(i < ordinary / 10 ? i : dice.nextLong(), simulation);
    }
  }

  /**
   * Seeds for tests that each want a world of their own.
   *
   * @param ordinary how many in an ordinary build
   */
  static LongStream some(int ordinary) {
    Long one = Long.getLong(ONE);
    return one != null ? LongStream.of(one) : LongStream.rangeClosed(1, (long) ordinary * times());
  }

  private static void run(long seed, Simulation simulation) {
    try {
      simulation.run(seed);
    } catch (Exception | AssertionError e) {
      throw new AssertionError("seed " + seed + ": " + e.getMessage(), e);
    }
  }
}
