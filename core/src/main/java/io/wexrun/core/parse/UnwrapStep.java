package io.wexrun.core.parse;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.pattern.Utf8;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.Base64;
import java.util.List;
import java.util.Map;
import java.util.OptionalInt;
import java.util.zip.DataFormatException;
import java.util.zip.Inflater;

/**
 * Takes a text field out of its wrapping: base64 (RFC 4648), gzip (RFC 1952), one after another.
 */
public final class UnwrapStep implements Step {
  private static final String BYTES = "bytes";
  private static final List<String> WRAPPINGS = List.of("base64", "base64url", "gzip", BYTES);
  private static final int LARGEST = 16 << 20;

  /**
   * One gzip member is never more than 1,032 times as large as it is packed, so only several inside
   * each other go beyond this, as nobody does who means well.
   */
  private static final int MOST_TIMES = 2000;

  private static final int SMALL = 64 << 10;

  private final Schema output;
  private final int place;
  private final List<String> wrappings;

  private UnwrapStep(Schema input, int place, List<String> wrappings, Type type) {
    Column column = input.column(place);
    this.output = input.with(new Column(column.name(), type, column.required()));
    this.place = place;
    this.wrappings = wrappings;
  }

  /**
   * {@code unwrap: {FIELD: [base64, gzip]}}: the outermost wrapping first; {@code bytes} at the end
   * says that what is inside need not be text.
   */
  public static final class Kind implements StepKind {
    @Override
    public String name() {
      return "unwrap";
    }

    @Override
    public Form form() {
      return Form.map(Form.list(Form.word("base64", "base64url", "gzip", BYTES)))
          .about("takes fields out of wrappings, the outermost first");
    }

    @Override
    public List<Step> compile(Written written, StepContext context) {
      List<Step> steps = new ArrayList<>();
      Schema schema = context.input();
      for (Map.Entry<String, Written> entry : written.entries().entrySet()) {
        OptionalInt place = context.fieldOfKey(entry.getKey(), entry.getValue());
        List<String> wrappings =
            entry.getValue().items().stream().map(item -> item.choice(WRAPPINGS)).toList();
        if (place.isEmpty()) {
          continue;
        }
        Column column = schema.column(place.getAsInt());
        if (column.type() != Type.Scalar.TEXT && column.type() != Type.Scalar.BYTES) {
          String message = "'" + column.name() + "' is " + column.type().withArticle();
          entry.getValue().error("type-clash", message + ", which is in no wrapping", "");
        }
        int last = wrappings.size() - 1;
        boolean bytes = last >= 0 && wrappings.get(last).equals(BYTES);
        steps.add(
            new UnwrapStep(
                schema,
                place.getAsInt(),
                wrappings.stream().filter(w -> !w.equals(BYTES)).toList(),
                bytes ? Type.Scalar.BYTES : Type.Scalar.TEXT));
        schema = steps.get(steps.size() - 1).output();
      }
      return steps;
    }
  }

  @Override
  public Schema output() {
    return output;
  }

  @Override
  public Batch apply(Batch batch, Rejects rejects) {
    boolean text = output.column(place).type() == Type.Scalar.TEXT;
    TextVector from = (TextVector) batch.column(place);
    TextVector to = new TextVector(batch.rows(), (int) Math.min(1 << 26, from.bytes()));
    for (int row = 0; row < batch.rows(); row++) {
      int record = batch.record(row);
      if (from.absent(row) || rejects.rejected(record)) {
        to.appendAbsent();
        continue;
      }
      byte[] value = Arrays.copyOfRange(from.data(), from.start(row), from.end(row));
      int most = most(value);
      String fault = "";
      for (int i = 0; i < wrappings.size() && fault.isEmpty(); i++) {
        try {
          value = unwrap(wrappings.get(i), value, most);
        } catch (IllegalArgumentException | DataFormatException e) {
          fault = "not " + wrappings.get(i) + ": " + e.getMessage();
        }
      }
      int wrong = fault.isEmpty() && text ? Utf8.firstFault(value, 0, value.length) : -1;
      if (wrong >= 0) {
        fault = "unwrapped, it is no UTF-8 at byte " + (wrong + 1);
      }
      if (fault.isEmpty()) {
        to.append(value, 0, value.length);
      } else {
        rejects.reject(record, Reason.BAD_VALUE, output.column(place).name(), fault);
        to.appendAbsent();
      }
    }
    return batch.with(output, place, to);
  }

  /** So that the records of a block, all of them unpacked, have their place in memory. */
  @Override
  public int longestBlock() {
    return wrappings.contains("gzip") ? SMALL : Integer.MAX_VALUE;
  }

  private static int most(byte[] value) {
    return (int) Math.min(LARGEST, Math.max(SMALL, value.length * (long) MOST_TIMES));
  }

  private static byte[] unwrap(String wrapping, byte[] value, int most) throws DataFormatException {
    return switch (wrapping) {
      case "base64" -> Base64.getDecoder().decode(strict(value, "+/"));
      case "base64url" -> Base64.getUrlDecoder().decode(strict(value, "-_"));
      default -> gunzip(value, most);
    };
  }

  /** Says what byte is none of the alphabet. */
  private static byte[] strict(byte[] value, String others) {
    for (byte b : value) {
      boolean known =
          b >= 'a' && b <= 'z'
              || b >= 'A' && b <= 'Z'
              || b >= '0' && b <= '9'
              || b == '='
              || others.indexOf(b) >= 0;
      if (!known) {
        throw new IllegalArgumentException("it holds the byte 0x" + Integer.toHexString(b & 0xFF));
      }
    }
    return value;
  }

  /** RFC 1952 without optional header fields but the name; the checksum is compared. */
  private static byte[] gunzip(byte[] value, int most) throws DataFormatException {
    if (value.length < 18 || value[0] != 0x1F || value[1] != (byte) 0x8B || value[2] != 8) {
      throw new DataFormatException("it does not begin like a gzip member");
    }
    int at = 10;
    int flags = value[3];
    if ((flags & 4) != 0) {
      at += 2 + (value[10] & 0xFF) + ((value[11] & 0xFF) << 8);
    }
    for (int named = flags & 0x18; named != 0; named &= named - 1) {
      while (at < value.length && value[at] != 0) {
        at++;
      }
      at++;
    }
    at += (flags & 2) != 0 ? 2 : 0;
    if (at >= value.length) {
      throw new DataFormatException("its header has no end");
    }
    Inflater inflater = new Inflater(true);
    try {
      inflater.setInput(value, at, value.length - at);
      return inflate(inflater, value, most);
    } finally {
      inflater.end();
    }
  }

  private static byte[] inflate(Inflater inflater, byte[] value, int most)
      throws DataFormatException {
    byte[] out = new byte[(int) Math.min(most, Math.max(64, value.length * 4L))];
    int length = 0;
    while (!inflater.finished()) {
      if (length == out.length) {
        if (length >= most) {
          throw new DataFormatException(
              most == LARGEST
                  ? "unpacked, it is larger than 16 MB"
                  : "unpacked, it is more than " + MOST_TIMES + " times as large");
        }
        out = Arrays.copyOf(out, Math.min(most, length * 2));
      }
      int n = inflater.inflate(out, length, out.length - length);
      if (n == 0 && !inflater.finished()) {
        throw new DataFormatException("it ends early");
      }
      length += n;
    }
    java.util.zip.CRC32 crc = new java.util.zip.CRC32();
    crc.update(out, 0, length);
    int trailer = value.length - inflater.getRemaining();
    long expected = 0;
    for (int i = 3; i >= 0; i--) {
      expected = expected << 8 | (trailer + i < value.length ? value[trailer + i] & 0xFF : 0);
    }
    if (crc.getValue() != expected) {
      throw new DataFormatException("its checksum is wrong");
    }
    return Arrays.copyOf(out, length);
  }
}
