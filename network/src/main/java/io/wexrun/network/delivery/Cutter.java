package io.wexrun.network.delivery;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.Rows;
import io.wexrun.core.intake.SourcePartition;
import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;

/**
 * Cuts rows into posts: each is as large as it may be, and has all rows of a record. Used once, by
 * one thread.
 */
final class Cutter {
  /** Takes a post that is ready. */
  @FunctionalInterface
  interface Taker {
    void take(Post post) throws IOException;
  }

  private static final int ROOM = 64;

  private final Body body;
  private final byte[] between;
  private final int mostRows;
  private final long mostBytes;
  private final Taker taker;
  private final StringBuilder row = new StringBuilder();
  private final ByteArrayOutputStream text = new ByteArrayOutputStream();
  private final List<Post.Span> spans = new ArrayList<>();
  private long[] positions = new long[ROOM];
  private int[] ends = new int[ROOM];
  private int rows;

  /**
   * A cutter.
   *
   * @param mostRows of a post; at least 1
   * @param mostBytes of the rows of a post, unless one record has more
   * @param taker is given the posts in order
   */
  Cutter(Body body, int mostRows, long mostBytes, Taker taker) {
    this.body = body;
    this.between = body.between();
    this.mostRows = mostRows;
    this.mostBytes = mostBytes;
    this.taker = taker;
  }

  /** Adds rows of a source partition. */
  void add(SourcePartition source, Rows all) throws IOException {
    Batch batch = all.batch();
    for (int i = 0; i < all.count(); i++) {
      int at = all.row(i);
      long position = batch.position(at);
      row.setLength(0);
      body.row(batch, at, row);
      byte[] bytes = row.toString().getBytes(StandardCharsets.UTF_8);
      boolean sameRecord = i > 0 && rows > 0 && positions[rows - 1] == position;
      if (!sameRecord && (rows >= mostRows || rows > 0 && text.size() + bytes.length > mostBytes)) {
        end();
      }
      add(source, position, bytes);
    }
  }

  private void add(SourcePartition source, long position, byte[] bytes) {
    if (rows == ends.length) {
      positions = Arrays.copyOf(positions, 2 * rows);
      ends = Arrays.copyOf(ends, 2 * rows);
    }
    if (rows > 0) {
      text.writeBytes(between);
    }
    text.writeBytes(bytes);
    positions[rows] = position;
    ends[rows++] = text.size();
    int last = spans.size() - 1;
    if (last >= 0 && spans.get(last).source().equals(source)) {
      spans.set(last, new Post.Span(source, spans.get(last).rows() + 1));
    } else {
      spans.add(new Post.Span(source, 1));
    }
  }

  /** Gives the rest. */
  void end() throws IOException {
    if (rows == 0) {
      return;
    }
    taker.take(
        new Post(
            List.copyOf(spans),
            Arrays.copyOf(positions, rows),
            Arrays.copyOf(ends, rows),
            between.length,
            text.toByteArray()));
    rows = 0;
    spans.clear();
    text.reset();
  }
}
