package io.wexrun.cli.demo;

import com.google.protobuf.CodedOutputStream;
import com.google.protobuf.WireFormat;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.io.OutputStream;
import java.util.Arrays;
import java.util.SplittableRandom;

/**
 * Readings of the substations that feed the overhead line: messages of {@code ostrel.power.Reading}
 * in {@code schemas/substations.proto}, each with its length before it.
 */
final class SubstationReadings implements Feed {
  private static final String[] NAMES = {"Castle Foot", "Ropewalk", "Harbour East", "University"};
  private static final long START = 1_777_777_200L;

  private final SplittableRandom random;
  private final double spoiled;
  private long seconds = START;

  SubstationReadings(long seed, double spoiled) {
    this.random = new SplittableRandom(seed);
    this.spoiled = spoiled;
  }

  @Override
  public void writeNext(OutputStream out) throws IOException {
    seconds += random.nextInt(5);
    byte[] reading = reading();
    if (random.nextDouble() < spoiled) {
      reading = spoil(reading);
    }
    CodedOutputStream coded = CodedOutputStream.newInstance(out);
    coded.writeByteArrayNoTag(reading); // The length, then the bytes.
    coded.flush();
  }

  /** A part of a message. */
  @FunctionalInterface
  private interface Part {
    void to(CodedOutputStream out) throws IOException;
  }

  private static byte[] message(Part part) throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    CodedOutputStream out = CodedOutputStream.newInstance(bytes);
    part.to(out);
    out.flush();
    return bytes.toByteArray();
  }

  private static void inside(CodedOutputStream out, int field, Part part) throws IOException {
    out.writeTag(field, WireFormat.WIRETYPE_LENGTH_DELIMITED);
    out.writeByteArrayNoTag(message(part));
  }

  private byte[] reading() throws IOException {
    return message(
        out -> {
          out.writeString(1, NAMES[random.nextInt(NAMES.length)]);
          inside(
              out,
              2,
              time -> {
                time.writeInt64(1, seconds);
                time.writeInt32(2, random.nextInt(1000) * 1_000_000);
              });
          int state = random.nextInt(60);
          if (state == 1 || state == 2) {
            out.writeEnum(3, state);
          }
          inside(
              out,
              4,
              transformer -> {
                transformer.writeFloat(1, 40 + random.nextInt(300) / 10f);
                if (random.nextInt(5) > 0) {
                  transformer.writeFloat(2, 50 + random.nextInt(400) / 10f);
                }
              });
          int feeders = 2 + random.nextInt(3);
          for (int number = 1; number <= feeders; number++) {
            inside(out, 5, feeder(number));
          }
        });
  }

  private Part feeder(int number) {
    return feeder -> {
      feeder.writeInt32(1, number);
      feeder.writeDouble(2, 600 + random.nextInt(1500) / 10.0);
      feeder.writeDouble(3, random.nextInt(9000) / 10.0);
      feeder.writeBool(4, random.nextInt(30) > 0);
    };
  }

  /** Cut short, a text that is none, or noise in front. */
  private byte[] spoil(byte[] reading) {
    byte[] spoilt = reading.clone();
    switch (random.nextInt(3)) {
      case 0:
        return Arrays.copyOf(reading, reading.length * 2 / 3);
      case 1:
        spoilt[4] = (byte) 0xFF;
        return spoilt;
      default:
        Arrays.fill(spoilt, 0, 6, (byte) 0x07);
        return spoilt;
    }
  }
}
