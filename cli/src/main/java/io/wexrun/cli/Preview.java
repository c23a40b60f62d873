package io.wexrun.cli;

import io.wexrun.core.connect.PlannedSource.Plan;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.project.facts.PlannedFile;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Set;

/** Shows what a run would take. */
final class Preview {
  /** So many files are shown; all are counted. */
  private static final int MOST = 40;

  private final Terminal terminal;

  Preview(Terminal terminal) {
    this.terminal = terminal;
  }

  private static String words(Plan plan) {
    return switch (plan) {
      case TAKE -> "to take";
      case GO_ON -> "to go on with";
      case TAKEN -> "taken before";
      case WAITS -> "not complete";
    };
  }

  /** Facts for machines: every file. */
  static List<Map<String, Object>> facts(List<PlannedFile> files) {
    List<Map<String, Object>> facts = new ArrayList<>();
    for (PlannedFile file : files) {
      Map<String, Object> fact = new LinkedHashMap<>();
      fact.put("file", file.source().name());
      fact.put("bytes", file.source().bytes());
      fact.put("plan", words(file.source().plan()));
      fact.put("path", file.values());
      facts.add(fact);
    }
    return facts;
  }

  void show(String pipeline, List<PlannedFile> files) {
    List<PlannedFile> ahead =
        files.stream()
            .filter(f -> f.source().plan() == Plan.TAKE || f.source().plan() == Plan.GO_ON)
            .toList();
    terminal.say(
        pipeline
            + " would take "
            + Counted.of(ahead.size(), "file")
            + " of "
            + Counted.number(files.size())
            + ", "
            + Counted.of(bytes(ahead), "byte"));
    if (files.isEmpty()) {
      return;
    }
    Set<String> fields = new LinkedHashSet<>();
    files.forEach(file -> fields.addAll(file.values().keySet()));
    List<String> header = new ArrayList<>(List.of("file"));
    List<Boolean> numeric = new ArrayList<>(List.of(false));
    header.addAll(fields);
    fields.forEach(field -> numeric.add(false));
    header.addAll(List.of("bytes", "plan"));
    numeric.addAll(List.of(true, false));
    List<List<String>> rows = new ArrayList<>();
    for (PlannedFile file : files.subList(0, Math.min(MOST, files.size()))) {
      List<String> row = new ArrayList<>(List.of(file.source().name()));
      fields.forEach(field -> row.add(file.values().getOrDefault(field, "·")));
      row.add(Counted.number(file.source().bytes()));
      row.add(words(file.source().plan()));
      rows.add(row);
    }
    terminal.table(header, numeric, rows);
    if (files.size() > MOST) {
      terminal.say(
          "and " + Counted.of(files.size() - MOST, "more file") + "; --json shows all of them");
    }
    List<String> sums = new ArrayList<>();
    for (Plan plan : Plan.values()) {
      List<PlannedFile> those = files.stream().filter(f -> f.source().plan() == plan).toList();
      if (!those.isEmpty()) {
        sums.add(
            Counted.of(those.size(), "file")
                + " "
                + words(plan)
                + " ("
                + Counted.of(bytes(those), "byte")
                + ")");
      }
    }
    if (sums.size() > 1) {
      terminal.say(String.join(", ", sums));
    }
  }

  private static long bytes(List<PlannedFile> files) {
    return files.stream().mapToLong(file -> file.source().bytes()).sum();
  }
}
