package io.wexrun.cli.demo;

import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.time.LocalDateTime;
import java.time.format.DateTimeFormatter;
import java.util.Locale;
import java.util.SplittableRandom;

/** Syslog messages of the depots: new controllers speak RFC 5424, old ones RFC 3164. */
final class DepotMessages implements Feed {
  private static final DateTimeFormatter OLD =
      DateTimeFormatter.ofPattern("MMM d HH:mm:ss", Locale.ENGLISH);
  private static final DateTimeFormatter NEW =
      DateTimeFormatter.ofPattern("yyyy-MM-dd'T'HH:mm:ss.SSS'Z'");

  private final SplittableRandom random;
  private final double spoiled;
  private LocalDateTime time = LocalDateTime.of(2026, 5, 3, 3, 0);

  DepotMessages(long seed, double spoiled) {
    this.random = new SplittableRandom(seed);
    this.spoiled = spoiled;
  }

  @Override
  public void writeNext(OutputStream out) throws IOException {
    time = time.plusNanos(random.nextInt(9000) * 1_000_000L);
    int track = 1 + random.nextInt(18);
    int vehicle = 301 + random.nextInt(48);
    boolean old = random.nextInt(3) == 0;
    String message =
        old
            ? "<"
                + (130 + random.nextInt(5))
                + ">"
                + oldTime()
                + " depot-east pointsd[311]: "
                + "points "
                + track
                + " thrown for tram-"
                + vehicle
            : "<"
                + (132 + random.nextInt(4))
                + ">1 "
                + NEW.format(time)
                + " depot-west.ostrel pointsd 77 THROWN [move@32473 track=\""
                + track
                + "\" vehicle=\"tram-"
                + vehicle
                + "\"] points thrown";
    if (random.nextDouble() < spoiled) {
      message = random.nextBoolean() ? message.substring(message.indexOf('>')) : spoil(message);
    }
    out.write(message.getBytes(StandardCharsets.UTF_8));
    out.write('\n');
  }

  /** The day of the month takes two characters, the first a blank if it must (RFC 3164, 4.1.2). */
  private String oldTime() {
    String text = OLD.format(time);
    return time.getDayOfMonth() < 10 ? text.replaceFirst(" ", "  ") : text;
  }

  private static String spoil(String message) {
    return message.replace("\"]", "").replace("May", "Mai");
  }
}
