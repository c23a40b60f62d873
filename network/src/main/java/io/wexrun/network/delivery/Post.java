package io.wexrun.network.delivery;

import io.wexrun.core.intake.SourcePartition;
import java.io.ByteArrayInputStream;
import java.io.ByteArrayOutputStream;
import java.io.DataInputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.HexFormat;
import java.util.List;
import java.util.stream.LongStream;

/**
 * Rows that are sent together, or a part of such rows: the texts of the rows one behind the other,
 * and where each comes from.
 *
 * @param spans the source partitions in the order of the rows, with how many rows of each
 * @param positions where the record of each row stands in its source partition
 * @param ends where the text of each row ends
 * @param between what stands between two rows, as bytes
 * @param text all rows
 */
record Post(List<Span> spans, long[] positions, int[] ends, int between, byte[] text) {
  private static final int DIGEST_BYTES = 16;

  /**
   * Rows of a source partition that stand together.
   *
   * @param source where they come from
   * @param rows how many there are
   */
  record Span(SourcePartition source, int rows) {}

  int rows() {
    return ends.length;
  }

  /** Where the text of a row begins. */
  private int start(int row) {
    return row == 0 ? 0 : ends[row - 1] + between;
  }

  /** The rows from one on and before another. */
  Post part(int from, int to) {
    if (from == 0 && to == rows()) {
      return this;
    }
    List<Span> cut = new ArrayList<>();
    int at = 0;
    for (Span span : spans) {
      int first = Math.max(from, at);
      int last = Math.min(to, at + span.rows());
      if (first < last) {
        cut.add(new Span(span.source(), last - first));
      }
      at += span.rows();
    }
    int begin = start(from);
    int[] moved = Arrays.copyOfRange(ends, from, to);
    for (int i = 0; i < moved.length; i++) {
      moved[i] -= begin;
    }
    return new Post(
        cut,
        Arrays.copyOfRange(positions, from, to),
        moved,
        between,
        Arrays.copyOfRange(text, begin, ends[to - 1]));
  }

  /**
   * Parts of a post as one.
   *
   * @param parts at least one, in the order of their rows
   * @param between what separates two rows
   */
  static Post joined(List<Post> parts, byte[] between) {
    List<Span> spans = new ArrayList<>();
    long[] positions = parts.stream().flatMapToLong(p -> LongStream.of(p.positions())).toArray();
    int[] ends = new int[positions.length];
    ByteArrayOutputStream text = new ByteArrayOutputStream();
    int row = 0;
    for (Post part : parts) {
      if (row > 0) {
        text.writeBytes(between);
      }
      for (int end : part.ends()) {
        ends[row++] = text.size() + end;
      }
      text.writeBytes(part.text());
      for (Span span : part.spans()) {
        int last = spans.size() - 1;
        if (last >= 0 && spans.get(last).source().equals(span.source())) {
          spans.set(last, new Span(span.source(), spans.get(last).rows() + span.rows()));
        } else {
          spans.add(span);
        }
      }
    }
    return new Post(spans, positions, ends, between.length, text.toByteArray());
  }

  /** Where a row comes from. */
  SourcePartition source(int row) {
    int at = 0;
    for (Span span : spans) {
      at += span.rows();
      if (row < at) {
        return span.source();
      }
    }
    throw new IndexOutOfBoundsException(row);
  }

  /**
   * Where rows may be cut in two, so that each record stays whole.
   *
   * @return the first row of the second part; {@code from} if there is one record
   */
  int middle(int from, int to) {
    int half = (from + to) / 2;
    for (int away = 0; away < to - from; away++) {
      if (half + away < to && begins(half + away) && half + away > from) {
        return half + away;
      }
      if (half - away > from && begins(half - away)) {
        return half - away;
      }
    }
    return from;
  }

  private boolean begins(int row) {
    return rowOfRecord(row) == 0;
  }

  /** Which of its record's rows a row is, from 0: a post has all rows of a record, or none. */
  int rowOfRecord(int row) {
    int before = 0;
    while (row > before
        && positions[row - before - 1] == positions[row]
        && source(row - before - 1).equals(source(row))) {
      before++;
    }
    return before;
  }

  /**
   * What tells these rows from all others: the same whenever they are sent.
   *
   * @param table who the table is
   */
  String id(String pipeline, String table) {
    MessageDigest digest;
    try {
      digest = MessageDigest.getInstance("SHA-256");
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException(e); // Every Java has it.
    }
    digest.update((pipeline + "\n" + table + "\n").getBytes(StandardCharsets.UTF_8));
    int at = 0;
    for (Span span : spans) {
      int last = at + span.rows() - 1;
      String range =
          span.source() + "\n" + positions[at] + " " + positions[last] + " " + span.rows() + "\n";
      digest.update(range.getBytes(StandardCharsets.UTF_8));
      at += span.rows();
    }
    return HexFormat.of().formatHex(digest.digest(), 0, DIGEST_BYTES);
  }

  byte[] toBytes() throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream(text.length + 12 * rows() + 256);
    DataOutputStream out = new DataOutputStream(bytes);
    out.writeInt(spans.size());
    for (Span span : spans) {
      byte[] name = span.source().name().getBytes(StandardCharsets.UTF_8);
      out.writeInt(name.length);
      out.write(name);
      out.writeInt(span.rows());
    }
    out.writeInt(rows());
    for (int i = 0; i < rows(); i++) {
      out.writeLong(positions[i]);
      out.writeInt(ends[i]);
    }
    out.writeByte(between);
    out.write(text);
    return bytes.toByteArray();
  }

  static Post of(byte[] bytes) throws IOException {
    DataInputStream in = new DataInputStream(new ByteArrayInputStream(bytes));
    List<Span> spans = new ArrayList<>();
    for (int left = in.readInt(); left > 0; left--) {
      byte[] name = in.readNBytes(in.readInt());
      String source = new String(name, StandardCharsets.UTF_8);
      spans.add(new Span(new SourcePartition(source), in.readInt()));
    }
    int rows = in.readInt();
    long[] positions = new long[rows];
    int[] ends = new int[rows];
    for (int i = 0; i < rows; i++) {
      positions[i] = in.readLong();
      ends[i] = in.readInt();
    }
    int between = in.readByte();
    return new Post(spans, positions, ends, between, in.readAllBytes());
  }
}
