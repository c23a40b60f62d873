package io.wexrun.cli.demo;

import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.time.LocalDateTime;
import java.time.format.DateTimeFormatter;
import java.util.SplittableRandom;

/** Events of the program that parks trams in the depots; errors come with their stack traces. */
final class DepotEvents implements Feed {
  private static final DateTimeFormatter TIME =
      DateTimeFormatter.ofPattern("yyyy-MM-dd HH:mm:ss,SSS");
  private static final String[] STEPS = {"Parking", "Points", "Washer", "Doors"};

  private final SplittableRandom random;
  private final double spoiled;
  private LocalDateTime time = LocalDateTime.of(2026, 5, 3, 3, 0);

  DepotEvents(long seed, double spoiled) {
    this.random = new SplittableRandom(seed);
    this.spoiled = spoiled;
  }

  @Override
  public void writeNext(OutputStream out) throws IOException {
    time = time.plusNanos(random.nextInt(90_000) * 1_000_000L);
    int vehicle = 301 + random.nextInt(48);
    String step = STEPS[random.nextInt(STEPS.length)];
    StringBuilder event = new StringBuilder(TIME.format(time));
    boolean error = random.nextInt(12) == 0;
    event.append(error ? " ERROR [" : " INFO  [").append(step).append("] tram-").append(vehicle);
    if (error) {
      event.append(": no answer\njava.io.IOException: no answer within 5000 ms\n");
      for (int depth = random.nextInt(2, 5); depth > 0; depth--) {
        event
            .append("\tat ostrel.depot.")
            .append(step)
            .append(".ask(")
            .append(step)
            .append(".java:")
            .append(40 + random.nextInt(200))
            .append(")\n");
      }
      event.append("Caused by: java.net.SocketException: Connection reset");
    } else {
      event.append(": done in ").append(random.nextInt(40, 900)).append(" ms");
    }
    String text =
        random.nextDouble() < spoiled ? event.toString().replace('[', '(') : event.toString();
    out.write(text.getBytes(StandardCharsets.UTF_8));
    out.write('\n');
  }
}
