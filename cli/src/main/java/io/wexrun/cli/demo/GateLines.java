package io.wexrun.cli.demo;

import java.io.IOException;
import java.io.OutputStream;
import java.nio.charset.StandardCharsets;
import java.time.LocalDateTime;
import java.util.Arrays;
import java.util.SplittableRandom;

/**
 * Lines of the gate readers of Ostrel Trams, one like the next from one seed on every machine:
 *
 * <pre>
 * 2026-05-03T06:14:09.118+02:00 gate-17/Harbour-Square WARN scan card=7F3A90C2 result=denied ms=42 "pass expired"
 * </pre>
 *
 * <p>A share of them is spoiled in the ways that happen in life. For one thread.
 */
public final class GateLines implements Feed {
  private static final String[] STOPS = {
    "Harbour-Square",
    "Mill-Bridge",
    "Old-Customs-House",
    "Lantern-Hill",
    "North-Basin",
    "Glassworks",
    "Saint-Orla",
    "Tern-Street",
    "Ropewalk",
    "Museum-Quay",
    "Fennel-Market",
    "University",
    "Castle-Foot",
    "Long-Meadow",
    "Kiln-Lane",
    "Ferry-Landing",
    "Botanical-Garden",
    "Weavers-Row",
    "Salt-Store",
    "East-Depot",
    "Observatory",
    "Copper-Gate",
    "Linden-Park",
    "Terminus-West"
  };
  private static final String[] PASSED = {"day pass", "single ride", "month pass", "staff", ""};
  private static final String[] DENIED = {"pass expired", "card blocked", "wrong zone"};
  private static final String[] FAULTS = {
    "barrier stuck", "reader offline", "lamp \\\"A\\\" broken", "door forced"
  };
  private static final int RIDERS = 5000;
  private static final int LONG_LINE = 300_000;
  private static final int ONE_LONG_LINE_IN = 20_000;
  private static final byte[] HEX = "0123456789ABCDEF".getBytes(StandardCharsets.US_ASCII);

  private final SplittableRandom random;
  private final double spoiled;
  private final int[] riders = new int[RIDERS];
  private byte[] line = new byte[256];
  private int length;
  private long millis;
  private long second = -1;
  private byte[] time;
  private long written;

  /**
   * A generator.
   *
   * @param seed equal seeds give equal lines
   * @param spoiled the share of spoiled lines, 0 to 1
   */
  public GateLines(long seed, double spoiled) {
    this.random = new SplittableRandom(seed);
    this.spoiled = spoiled;
    SplittableRandom cards = new SplittableRandom(1905);
    for (int i = 0; i < RIDERS; i++) {
      riders[i] = cards.nextInt();
    }
    this.millis = 5 * 3_600_000L + random.nextInt(1000);
  }

  @Override
  public void writeNext(OutputStream out) throws IOException {
    written++;
    millis += random.nextInt(40);
    length = 0;
    if (spoiled > 0 && random.nextDouble() < spoiled) {
      spoil();
    } else {
      compose(false, null, null, true);
      put('\n');
    }
    out.write(line, 0, length);
  }

  /** Adds a line without its end: with its parts as they should be, or as a spoiled one wants. */
  private void compose(boolean wrongDate, String wrongKind, String wrongMillis, boolean withCard) {
    int stop = random.nextInt(STOPS.length);
    int gate = stop * 2 + random.nextInt(2) + 1;
    int kind = random.nextInt(1000);
    int card = riders[random.nextInt(RIDERS)];
    int ms = 8 + random.nextInt(60) + (random.nextInt(50) == 0 ? random.nextInt(1500) : 0);
    time(wrongDate);
    put(" gate-");
    put((char) ('0' + gate / 10));
    put((char) ('0' + gate % 10));
    put('/');
    put(STOPS[stop]);
    String note;
    if (kind < 25) {
      put(" ERROR ");
      put(wrongKind == null ? "fault" : wrongKind);
      card(card, withCard);
      put(" result=none ms=");
      put(wrongMillis == null ? "0" : wrongMillis);
      note = FAULTS[random.nextInt(FAULTS.length)];
    } else if (kind < 85) {
      put(" WARN ");
      put(wrongKind == null ? "scan" : wrongKind);
      card(card, withCard);
      put(" result=denied ms=");
      put(wrongMillis == null ? Integer.toString(ms) : wrongMillis);
      note = DENIED[random.nextInt(DENIED.length)];
    } else {
      put(" INFO ");
      put(wrongKind == null ? "scan" : wrongKind);
      card(card, withCard);
      put(" result=ok ms=");
      put(wrongMillis == null ? Integer.toString(ms) : wrongMillis);
      note = PASSED[random.nextInt(PASSED.length)];
    }
    put(" \"");
    put(note);
    put('"');
  }

  private void spoil() {
    if (written % ONE_LONG_LINE_IN < ONE_LONG_LINE_IN * spoiled && written > ONE_LONG_LINE_IN / 2) {
      written = 0;
      longLine();
      return;
    }
    switch (random.nextInt(8)) {
      case 0 -> {
        compose(false, null, null, true);
        length /= 2;
      }
      case 1 -> compose(true, null, null, true);
      case 2 -> compose(false, null, "fast", true);
      case 3 -> compose(false, null, null, false);
      case 4 -> {
        compose(false, null, null, true);
        length--;
        put((char) 0xE9);
        put("t\"");
      }
      case 5 -> compose(false, "waltz", null, true);
      case 6 -> length = 0;
      default -> {
        compose(false, null, null, true);
        put('\r');
      }
    }
    put('\n');
  }

  /** A reader that has lost its mind repeats itself. */
  private void longLine() {
    compose(false, null, null, true);
    int once = length;
    while (length < LONG_LINE) {
      room(once);
      System.arraycopy(line, 0, line, length, once);
      length += once;
    }
    put('\n');
  }

  private void card(int card, boolean there) {
    if (!there && random.nextBoolean()) {
      return;
    }
    put(" card=");
    for (int shift = 28; there && shift >= 0; shift -= 4) {
      put((char) HEX[card >>> shift & 0xF]);
    }
  }

  private void time(boolean wrongDate) {
    if (millis / 1000 != second) {
      second = millis / 1000;
      LocalDateTime now = LocalDateTime.of(2026, 5, 3, 0, 0).plusSeconds(second);
      time = (now + (now.getSecond() == 0 ? ":00" : "")).getBytes(StandardCharsets.US_ASCII);
    }
    room(time.length);
    System.arraycopy(time, 0, line, length, time.length);
    if (wrongDate) {
      line[length + 5] = '1';
      line[length + 6] = '3';
    }
    length += time.length;
    put('.');
    int ms = (int) (millis % 1000);
    put((char) ('0' + ms / 100));
    put((char) ('0' + ms / 10 % 10));
    put((char) ('0' + ms % 10));
    put("+02:00");
  }

  private void put(String text) {
    for (int i = 0; i < text.length(); i++) {
      put(text.charAt(i));
    }
  }

  private void put(char c) {
    room(1);
    line[length++] = (byte) c;
  }

  private void room(int more) {
    if (length + more > line.length) {
      line = Arrays.copyOf(line, Math.max(line.length * 2, length + more));
    }
  }
}
