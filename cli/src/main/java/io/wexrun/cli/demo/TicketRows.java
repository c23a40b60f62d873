package io.wexrun.cli.demo;

import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.time.LocalDateTime;
import java.time.format.DateTimeFormatter;
import java.util.Locale;
import java.util.SplittableRandom;

/** Rows of the ticket machines, as their maker exports them: local times, a header, quotes. */
final class TicketRows implements Feed {
  private static final String[] PRODUCTS = {
    "single ride", "day pass", "group \"five\"", "bicycle; dog", "month pass"
  };
  private static final double[] PRICES = {2.9, 7.5, 14.2, 2.1, 62};
  private static final DateTimeFormatter TIME = DateTimeFormatter.ofPattern("dd.MM.yyyy HH:mm:ss");

  private final SplittableRandom random;
  private final double spoiled;
  private LocalDateTime time = LocalDateTime.of(2026, 5, 3, 4, 30);
  private long sale;

  TicketRows(long seed, double spoiled) {
    this.random = new SplittableRandom(seed);
    this.spoiled = spoiled;
    this.sale = seed * 100_000;
  }

  @Override
  public void writeHeader(OutputStream out) throws IOException {
    out.write(
        "Sale No.;Time;Machine;Product;Price;Paid with;Address\r\n"
            .getBytes(StandardCharsets.UTF_8));
  }

  @Override
  public void writeNext(OutputStream out) throws IOException {
    sale++;
    time = time.plusSeconds(random.nextInt(30));
    int product = random.nextInt(PRODUCTS.length);
    String name = PRODUCTS[product];
    boolean quoted = name.indexOf('"') >= 0 || name.indexOf(';') >= 0;
    String row =
        sale
            + ";"
            + TIME.format(time)
            + ";TM-"
            + (10 + random.nextInt(30))
            + ";"
            + (quoted ? "\"" + name.replace("\"", "\"\"") + "\"" : name)
            + ";"
            + String.format(Locale.ROOT, "%.2f", PRICES[product])
            + ";"
            + (random.nextInt(3) == 0 ? "" : random.nextBoolean() ? "card" : "coins")
            + ";10."
            + (random.nextInt(20) == 0 ? 99 : 20 + random.nextInt(3))
            + "."
            + random.nextInt(256)
            + "."
            + (1 + random.nextInt(254));
    if (random.nextDouble() < spoiled) {
      row = spoil(row);
    }
    out.write((row + "\r\n").getBytes(StandardCharsets.UTF_8));
  }

  private String spoil(String row) {
    return switch (random.nextInt(3)) {
      case 0 -> row + ";again";
      case 1 -> row.replace(".05.", ".15.");
      default -> row.replaceFirst(";(\\d+)\\.(\\d\\d);", ";$1,$2;");
    };
  }
}
