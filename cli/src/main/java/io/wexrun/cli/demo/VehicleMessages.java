package io.wexrun.cli.demo;

import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.util.Locale;
import java.util.SplittableRandom;

/**
 * Messages of the vehicles, four kinds mixed in one stream: positions, door cycles, energy readings
 * with one reading for each car and axle, and faults, which have no type.
 */
final class VehicleMessages implements Feed {
  private static final String[] LINES = {"1", "4", "7", "9", "12"};
  private static final String[] CODES = {"E-117", "E-204", "W-031", "W-088"};
  private static final long START = 1_777_777_200_000L;

  private final SplittableRandom random;
  private final double spoiled;
  private long millis = START;

  VehicleMessages(long seed, double spoiled) {
    this.random = new SplittableRandom(seed);
    this.spoiled = spoiled;
  }

  @Override
  public void writeNext(OutputStream out) throws IOException {
    millis += random.nextInt(400);
    String message = message();
    if (random.nextDouble() < spoiled) {
      message = spoil(message);
    }
    out.write(message.getBytes(StandardCharsets.UTF_8));
    out.write('\n');
  }

  private String message() {
    int vehicle = 301 + random.nextInt(48);
    int kind = random.nextInt(100);
    String head = "{\"vehicle\": \"tram-" + vehicle + "\", \"at\": " + millis;
    if (kind < 60) {
      return head
          + ", \"type\": \"position\", \"line\": \""
          + LINES[random.nextInt(LINES.length)]
          + "\", \"position\": "
          + decimals("{\"lat\": %.5f, \"lon\": %.5f}", 51.2 + part(), 7.4 + part())
          + decimals(", \"speed\": %.1f}", random.nextDouble() * 60);
    }
    if (kind < 80) {
      return head
          + ", \"type\": \"door\", \"door\": "
          + (1 + random.nextInt(6))
          + ", \"cycle\": {\"open_ms\": "
          + (1500 + random.nextInt(900))
          + ", \"close_ms\": "
          + (1700 + random.nextInt(1200))
          + ", \"blocked\": "
          + (random.nextInt(40) == 0)
          + "}}";
    }
    if (kind < 95) {
      return head + ", \"type\": \"energy\", \"cars\": [" + car(1) + ", " + car(2) + "]}";
    }
    return head
        + ", \"fault\": {\"code\": \""
        + CODES[random.nextInt(CODES.length)]
        + "\", \"text\": \"T\\u00fcr \\\"3\\\" klemmt\"}}";
  }

  private double part() {
    return random.nextDouble() / 10;
  }

  private static String decimals(String format, Object... numbers) {
    return String.format(Locale.ROOT, format, numbers);
  }

  private String car(int number) {
    StringBuilder axles = new StringBuilder();
    for (int axle = 1; axle <= 2; axle++) {
      axles
          .append(axle == 1 ? "" : ", ")
          .append("{\"axle\": ")
          .append(axle)
          .append(decimals(", \"kwh\": %.3f}", random.nextDouble() * 3));
    }
    return "{\"car\": " + number + ", \"axles\": [" + axles + "]}";
  }

  private String spoil(String message) {
    return switch (random.nextInt(4)) {
      case 0 -> message.substring(0, message.length() / 2);
      case 1 -> message.replace("\"at\": ", "\"at\": \"soon ") + "\"";
      case 2 -> message.replaceFirst("tram-\\d+\"", "tram-\\\\ud800\"");
      default -> message.replace(": ", "= ");
    };
  }
}
