package io.wexrun.bench;

import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/** Figures of one workload: each contender's runs, and what they say together. */
final class Figures {
  final String workload;
  private final Map<String, List<Program.Run>> runs = new LinkedHashMap<>();
  private final List<String> findings = new ArrayList<>();

  Figures(String workload) {
    this.workload = workload;
  }

  void add(String contender, Program.Run run) {
    runs.computeIfAbsent(contender, c -> new ArrayList<>()).add(run);
  }

  /** A sentence with the ratio and what is wanted of it. */
  void finding(String text, double ratio, double wanted) {
    String verdict = ratio >= wanted ? "reached" : "NOT reached";
    findings.add(
        String.format("%s: %.2f (wanted: at least %.2f, %s)", text, ratio, wanted, verdict));
  }

  void note(String text) {
    findings.add(text);
  }

  Map<String, List<Program.Run>> runs() {
    return runs;
  }

  List<String> findings() {
    return findings;
  }

  static double median(List<Double> values) {
    double[] sorted = values.stream().mapToDouble(Double::doubleValue).toArray();
    Arrays.sort(sorted);
    int middle = sorted.length / 2;
    return sorted.length % 2 == 1 ? sorted[middle] : (sorted[middle - 1] + sorted[middle]) / 2;
  }

  double wall(String contender) {
    return median(runs.get(contender).stream().map(Program.Run::wall).toList());
  }

  double cpu(String contender) {
    return median(runs.get(contender).stream().map(Program.Run::cpu).toList());
  }

  double peak(String contender) {
    return median(runs.get(contender).stream().map(Program.Run::peak).toList());
  }

  /** The least and the greatest wall time. */
  double[] spread(String contender) {
    return runs.get(contender).stream().mapToDouble(Program.Run::wall).sorted().toArray();
  }

  /** The median of the ratios of runs made in one round, how many times {@code a} is as fast. */
  double ratio(String a, String b) {
    List<Double> ratios = new ArrayList<>();
    for (int i = 0; i < runs.get(a).size(); i++) {
      ratios.add(runs.get(b).get(i).wall() / runs.get(a).get(i).wall());
    }
    return median(ratios);
  }
}
