package io.wexrun.bench;

import java.awt.Color;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import org.knowm.xchart.BitmapEncoder;
import org.knowm.xchart.CategoryChart;
import org.knowm.xchart.CategoryChartBuilder;
import org.knowm.xchart.style.CategoryStyler;
import org.knowm.xchart.style.theme.XChartTheme;
import tools.jackson.databind.SerializationFeature;
import tools.jackson.databind.json.JsonMapper;

/** The figures as a table (Markdown), as JSON, and as a chart (PNG). */
record Report(List<Figures> all) {
  void write(Path folder) throws IOException {
    Files.createDirectories(folder);
    String table = table();
    System.out.println(table);
    Files.writeString(folder.resolve("table.md"), table);
    JsonMapper mapper = JsonMapper.builder().enable(SerializationFeature.INDENT_OUTPUT).build();
    Files.writeString(folder.resolve("figures.json"), mapper.writeValueAsString(facts()));
    Figures direct =
        all.stream().filter(f -> f.runs().containsKey("plain Java")).findFirst().orElse(null);
    if (direct != null) {
      chart(direct, folder.resolve("performance"));
    }
  }

  /** The machine, as far as Java knows it. */
  private static String machine() {
    return Runtime.getRuntime().availableProcessors()
        + " cores, "
        + System.getProperty("os.name")
        + " "
        + System.getProperty("os.arch")
        + ", Java "
        + System.getProperty("java.version");
  }

  private String table() {
    StringBuilder text = new StringBuilder("Machine: " + machine() + "\n");
    for (Figures figures : all) {
      text.append("\n### ").append(figures.workload).append("\n\n");
      text.append("| | median s | least–most | CPU s | peak MB |\n|---|---:|---:|---:|---:|\n");
      for (String contender : figures.runs().keySet()) {
        double[] spread = figures.spread(contender);
        double cpu = figures.cpu(contender);
        double peak = figures.peak(contender);
        text.append(
            String.format(
                Locale.ROOT,
                "| %s | %.2f | %.2f–%.2f | %s | %s |%n",
                contender,
                figures.wall(contender),
                spread[0],
                spread[spread.length - 1],
                cpu > 0 ? String.format(Locale.ROOT, "%.2f", cpu) : "",
                peak > 0 ? String.format(Locale.ROOT, "%.0f", peak) : ""));
      }
      text.append('\n');
      figures.findings().forEach(f -> text.append("* ").append(f).append('\n'));
    }
    return text.toString();
  }

  private Map<String, Object> facts() {
    List<Map<String, Object>> workloads = new ArrayList<>();
    for (Figures figures : all) {
      Map<String, Object> workload = new LinkedHashMap<>();
      workload.put("workload", figures.workload);
      workload.put("runs", figures.runs());
      workload.put("findings", figures.findings());
      workloads.add(workload);
    }
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("machine", machine());
    facts.put("workloads", workloads);
    return facts;
  }

  private static void chart(Figures direct, Path file) throws IOException {
    CategoryChart chart =
        new CategoryChartBuilder()
            .width(1000)
            .height(420)
            .title(direct.workload + " (seconds, shorter is better)")
            .build();
    CategoryStyler style = chart.getStyler();
    style.setTheme(new XChartTheme());
    style.setLegendVisible(false);
    style.setLabelsVisible(true);
    style.setLabelsPosition(0.9);
    style.setAvailableSpaceFill(0.5);
    style.setPlotGridVerticalLinesVisible(false);
    style.setChartBackgroundColor(Color.WHITE);
    style.setSeriesColors(new Color[] {new Color(0x2f6f8f)});
    List<String> names = List.of("insert floor", "wexrun", "one SQL statement", "plain Java");
    List<Double> seconds = names.stream().map(n -> round(direct.wall(n))).toList();
    chart.addSeries("seconds", names, seconds);
    BitmapEncoder.saveBitmap(chart, file.toString(), BitmapEncoder.BitmapFormat.PNG);
  }

  private static double round(double value) {
    return Math.round(value * 100) / 100.0;
  }
}
