package io.wexrun.files.content;

import java.io.BufferedInputStream;
import java.io.EOFException;
import java.io.FilterInputStream;
import java.io.IOException;
import java.io.InputStream;
import java.nio.ByteBuffer;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Arrays;
import java.util.Map;
import java.util.NavigableMap;
import java.util.Optional;
import java.util.TreeMap;

/**
 * A compressed file, or an archive. It is unpacked from its start on; its first bytes and the last
 * ones that were unpacked are kept, so that who reads on need not begin anew.
 */
final class Unpacked implements Content {
  private static final int STEP = 256 << 10;
  private static final int WINDOW = 2 << 20;

  /**
   * So much of what was unpacked stays: what is not handed out yet, and what is looked at again.
   */
  private static final int KEPT = 600 << 10;

  private static final int HEAD = 4096;

  /** What unpacks to more than so many times its size is made to harm; short ones may. */
  private static final int MOST_TIMES = 1000;

  private static final long HARMLESS = 256L << 20;

  private final Path path;
  private final Packed how;
  private final Unpacking unpacking;

  /** Where the files of an archive begin, and their names; as far as it was unpacked. */
  private final NavigableMap<Long, String> parts = new TreeMap<>();

  private Counting file;
  private Members members;
  private InputStream in;

  /** The bytes from {@code base} on, as far as they were unpacked and are kept. */
  private byte[] window;

  private int filled;
  private long base;
  private byte[] head = {};
  private boolean ended;
  private String broken;

  Unpacked(Path path, Packed how, Unpacking unpacking) throws IOException {
    this.path = path;
    this.how = how;
    this.unpacking = unpacking;
    begin();
  }

  private void begin() throws IOException {
    close();
    window = new byte[STEP];
    filled = 0;
    base = 0;
    ended = false;
    broken = null;
    file = new Counting(Files.newInputStream(path));
    try {
      BufferedInputStream begun = new BufferedInputStream(how.open(file));
      boolean tar = how != Packed.ZIP && Members.peek(begun).filter(Packed.TAR::equals).isPresent();
      if (tar || how == Packed.ZIP) {
        in = begun; // Closed with it, as long as no member is open.
        members = tar ? Members.ofTar(begun) : Members.ofZip(path);
        nextMember();
      } else {
        in = begun;
      }
    } catch (IOException | RuntimeException e) {
      breaks(e); // The libraries throw either, where bytes are not what they should be.
    }
  }

  /** Goes to the next file of the archive, or to its end. */
  private void nextMember() throws IOException {
    Optional<String> name = members.next();
    while (name.isPresent() && !unpacking.wants(name.get())) {
      name = members.next();
    }
    if (name.isPresent()) {
      parts.put(end(), name.get());
      in = members.unpacked();
    } else {
      ended = true;
    }
  }

  private void breaks(Exception e) {
    ended = true;
    String why = e.getMessage() == null ? "it is damaged" : e.getMessage();
    broken = e instanceof EOFException ? "it ends too early" : why;
  }

  private long end() {
    return base + filled;
  }

  /** Unpacks up to a place, or to the end. */
  private void unpackTo(long place) throws IOException {
    while (!ended && end() < place) {
      if (filled == window.length) {
        makeRoom();
      }
      try {
        int n = in.read(window, filled, window.length - filled);
        if (n < 0 && members != null) {
          nextMember();
        } else if (n < 0) {
          ended = true;
        } else {
          keepHead(n);
          filled += n;
        }
      } catch (IOException | RuntimeException e) {
        breaks(e); // The libraries throw either, where bytes are not what they should be.
      }
      if (end() > HARMLESS && end() / MOST_TIMES > packedSize()) {
        ended = true;
        broken = "it unpacks to more than " + MOST_TIMES + " times its size";
      }
    }
  }

  private long packedSize() throws IOException {
    return how == Packed.ZIP ? Files.size(path) : file.count;
  }

  private void keepHead(int more) {
    if (base == 0 && head.length < HEAD) {
      head = Arrays.copyOf(window, Math.min(HEAD, filled + more));
    }
  }

  private void makeRoom() {
    if (window.length < WINDOW) {
      window = Arrays.copyOf(window, window.length * 2);
      return;
    }
    int gone = filled - KEPT;
    System.arraycopy(window, gone, window, 0, filled - gone);
    base += gone;
    filled -= gone;
  }

  @Override
  public boolean packed() {
    return true;
  }

  @Override
  public long size(long place) throws IOException {
    unpackTo(place > Long.MAX_VALUE - STEP ? Long.MAX_VALUE : place + STEP);
    return end();
  }

  @Override
  public int read(ByteBuffer into, long from) throws IOException {
    int wanted = into.remaining();
    if (from < base && from + wanted <= head.length) {
      into.put(head, (int) from, wanted);
      return wanted;
    }
    if (from < base) {
      begin();
    }
    unpackTo(from + wanted);
    if (from < base) {
      throw new IOException("more than " + KEPT + " bytes at once");
    }
    int count = (int) Math.max(0, Math.min(wanted, end() - from));
    if (count > 0) {
      into.put(window, (int) (from - base), count);
    }
    return count;
  }

  @Override
  public long partStart(long place) {
    Long start = parts.floorKey(place);
    return start == null ? 0 : start;
  }

  @Override
  public long partEnd(long place) {
    Long next = parts.higherKey(place);
    if (next != null) {
      return next;
    }
    return members != null && ended ? end() : Long.MAX_VALUE;
  }

  @Override
  public String member(long place) {
    Map.Entry<Long, String> part = parts.floorEntry(place);
    return part == null ? "" : part.getValue();
  }

  @Override
  public Optional<String> broken() {
    return Optional.ofNullable(broken);
  }

  @Override
  public void close() throws IOException {
    if (members != null) {
      members.close();
      members = null;
    } else if (in != null) {
      in.close();
    }
    in = null;
    if (file != null) {
      file.close();
      file = null;
    }
  }

  private static final class Counting extends FilterInputStream {
    private long count;

    Counting(InputStream in) {
      super(in);
    }

    @Override
    public int read() throws IOException {
      int b = super.read();
      count += b < 0 ? 0 : 1;
      return b;
    }

    @Override
    public int read(byte[] to, int at, int length) throws IOException {
      int n = super.read(to, at, length);
      count += Math.max(0, n);
      return n;
    }
  }
}
