package io.wexrun.core.expression;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.pattern.Search;
import io.wexrun.core.pattern.Utf8;
import io.wexrun.core.schema.Type;
import java.util.Arrays;

/** Functions on text, computed on UTF-8 bytes without making strings. */
final class TextFunctions {
  private TextFunctions() {}

  /** How a text is tested against a constant one. */
  enum Test {
    CONTAINS,
    STARTS_WITH,
    ENDS_WITH
  }

  /** {@code contains}, {@code startsWith}, {@code endsWith} of a constant. */
  record Has(Test test, Node operand, byte[] part) implements Node {
    @Override
    public Type type() {
      return Type.Scalar.BOOL;
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Evaluated a = operand.evaluate(batch);
      TextVector text = (TextVector) a.values();
      return a.toLongs(i -> holds(text.data(), text.start(i), text.end(i)) ? 1 : 0);
    }

    private boolean holds(byte[] data, int from, int to) {
      if (to - from < part.length) {
        return false;
      }
      return switch (test) {
        case CONTAINS -> find(data, from, to, part) >= 0;
        case STARTS_WITH -> Compare.equal(data, from, from + part.length, part);
        case ENDS_WITH -> Compare.equal(data, to - part.length, to, part);
      };
    }
  }

  /** {@code matches} of a constant pattern: RE2 syntax, found anywhere in the text. */
  record Matches(Node operand, Search pattern) implements Node {
    @Override
    public Type type() {
      return Type.Scalar.BOOL;
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Evaluated a = operand.evaluate(batch);
      TextVector text = (TextVector) a.values();
      return a.toLongs(i -> pattern.isIn(text.data(), text.start(i), text.end(i)) ? 1 : 0);
    }
  }

  /** {@code size}: the number of code points. */
  record Size(Node operand) implements Node {
    @Override
    public Type type() {
      return Type.Scalar.LONG;
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Evaluated a = operand.evaluate(batch);
      TextVector text = (TextVector) a.values();
      return a.toLongs(i -> Utf8.length(text.data(), text.start(i), text.end(i)));
    }
  }

  /** {@code replace} of every occurrence of a constant by a constant; {@code from} is not empty. */
  record Replace(Node operand, byte[] from, byte[] to) implements Node {
    @Override
    public Type type() {
      return Type.Scalar.TEXT;
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Evaluated a = operand.evaluate(batch);
      TextVector text = (TextVector) a.values();
      TextVector result = new TextVector(batch.rows(), (int) Math.min(1 << 30, text.bytes()));
      byte[] room = new byte[64];
      for (int i = 0; i < batch.rows(); i++) {
        if (text.absent(i)) {
          result.appendAbsent();
          continue;
        }
        byte[] data = text.data();
        int end = text.end(i);
        int at = text.start(i);
        int hit = find(data, at, end, from);
        if (hit < 0) {
          result.append(data, at, end);
          continue;
        }
        int length = 0;
        long most = (long) (end - at) * Math.max(1, to.length) + to.length;
        room = room.length < most ? new byte[Math.toIntExact(most)] : room;
        while (hit >= 0) {
          System.arraycopy(data, at, room, length, hit - at);
          length += hit - at;
          System.arraycopy(to, 0, room, length, to.length);
          length += to.length;
          at = hit + from.length;
          hit = find(data, at, end, from);
        }
        System.arraycopy(data, at, room, length, end - at);
        result.append(room, 0, length + end - at);
      }
      return new Evaluated(result, a.failures());
    }
  }

  /** {@code lowerAscii} and {@code upperAscii}. */
  record Letters(Node operand, boolean lower) implements Node {
    @Override
    public Type type() {
      return Type.Scalar.TEXT;
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Evaluated a = operand.evaluate(batch);
      TextVector text = (TextVector) a.values();
      TextVector result = new TextVector(batch.rows(), (int) Math.min(1 << 30, text.bytes()));
      int first = lower ? 'A' : 'a';
      for (int i = 0; i < batch.rows(); i++) {
        if (text.absent(i)) {
          result.appendAbsent();
          continue;
        }
        byte[] copy = Arrays.copyOfRange(text.data(), text.start(i), text.end(i));
        for (int at = 0; at < copy.length; at++) {
          if (copy[at] >= first && copy[at] < first + 26) {
            copy[at] ^= 0x20;
          }
        }
        result.append(copy, 0, copy.length);
      }
      return new Evaluated(result, a.failures());
    }
  }

  /** {@code a + b} on texts. */
  record Concat(Node left, Node right) implements Node {
    @Override
    public Type type() {
      return Type.Scalar.TEXT;
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Evaluated a = left.evaluate(batch);
      Evaluated b = right.evaluate(batch);
      TextVector x = (TextVector) a.values();
      TextVector y = (TextVector) b.values();
      TextVector result = new TextVector(batch.rows(), (int) Math.min(1 << 30, x.bytes()));
      for (int i = 0; i < batch.rows(); i++) {
        if (x.absent(i) || y.absent(i)) {
          result.appendAbsent();
          continue;
        }
        int first = x.end(i) - x.start(i);
        byte[] both = new byte[first + y.end(i) - y.start(i)];
        System.arraycopy(x.data(), x.start(i), both, 0, first);
        System.arraycopy(y.data(), y.start(i), both, first, both.length - first);
        result.append(both, 0, both.length);
      }
      return new Evaluated(result, Evaluated.merge(a, b));
    }
  }

  /** Where {@code part} first occurs in {@code data[from, to)}; -1 if nowhere. */
  static int find(byte[] data, int from, int to, byte[] part) {
    if (part.length == 0) {
      return from;
    }
    byte first = part[0];
    for (int at = from; at <= to - part.length; at++) {
      if (data[at] == first && Compare.equal(data, at, at + part.length, part)) {
        return at;
      }
    }
    return -1;
  }
}
