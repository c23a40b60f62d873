package io.wexrun.files.content;

import io.wexrun.core.framing.Decoding;
import io.wexrun.core.framing.Framings;
import io.wexrun.core.framing.Headed;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.framing.Newline;
import io.wexrun.core.framing.Skipping;
import io.wexrun.core.intake.Framing;
import java.nio.charset.Charset;
import java.nio.charset.StandardCharsets;
import java.time.Duration;
import java.util.ArrayList;
import java.util.List;
import java.util.Optional;

/**
 * How files are read.
 *
 * @param lastLine after which time bytes behind the last whole record are a record, if no more
 *     come; empty if never
 * @param framing what cuts text in UTF-8, or bytes, into records
 * @param head what stands before the records
 * @param comments what lines begin with that are no records
 * @param footer a pattern of lines that are no records; empty if there is none
 * @param declared the encoding that was declared; empty if a byte-order mark tells
 * @param unpacking what is done with compressed files
 * @param lineNumbers whether lines are counted
 */
public record Reading(
    Optional<Duration> lastLine,
    Framing framing,
    Head head,
    List<String> comments,
    String footer,
    Optional<Charset> declared,
    Unpacking unpacking,
    boolean lineNumbers) {
  public static final Reading LINES = of(Lines.FRAMING);

  /** After this time without more, lines that could go on are a record. */
  public static final Duration QUIET = Duration.ofSeconds(2);

  /** Files that hold nothing but records. */
  public static Reading of(Framing framing) {
    Unpacking unpacking = Framings.ofLines(framing) ? Unpacking.ALL : Unpacking.NONE;
    return new Reading(
        Optional.empty(), framing, Head.NONE, List.of(), "", Optional.empty(), unpacking, false);
  }

  /** The same for files that are not text, and taken as they are. */
  public Reading ofBytes() {
    return new Reading(
        lastLine, framing, head, comments, footer, declared, Unpacking.NONE, lineNumbers);
  }

  /** Whether records are lines of text. */
  public boolean text() {
    return Framings.ofLines(framing);
  }

  /** Whether something before the first record is none. */
  public boolean headed() {
    return head.first() || head.skipped() > 0;
  }

  /** Cuts what stands behind a file's head. */
  public Framing body(Charset charset) {
    return decoded(charset, skipping(framing));
  }

  /** Cuts the begin of a file into what its head ends with, if it does, and the records behind. */
  public Framing beginning(Charset charset, boolean marked) {
    Framing lines = head.skipped() > 0 ? new Headed(head.skipped(), framing) : framing;
    Framing cut = skipping(lines);
    return marked ? new Decoding(charset, cut) : decoded(charset, cut);
  }

  /** Cuts the begin of a file into its records. */
  public Framing behindHead(Charset charset, boolean marked) {
    Framing beginning = beginning(charset, marked);
    if (!head.first()) {
      return beginning;
    }
    return beginning instanceof Decoding decoding
        ? new Decoding(charset, new Headed(1, decoding.inner()))
        : new Headed(1, beginning);
  }

  private Framing skipping(Framing lines) {
    List<String> begins = new ArrayList<>(comments);
    if (!head.begins().isEmpty()) {
      begins.add(head.begins());
    }
    return Skipping.of(begins, footer, lines);
  }

  private static Framing decoded(Charset charset, Framing cut) {
    return charset.equals(StandardCharsets.UTF_8) ? cut : new Decoding(charset, cut);
  }

  /**
   * How much of what stands behind the last whole record is a record by now; 0 if none is.
   *
   * @param rest it begins where that record ends
   * @param quiet for how long no more has come
   */
  public int due(byte[] rest, Duration quiet, Newline newline) {
    if (lastLine.isPresent() && quiet.compareTo(lastLine.get()) >= 0) {
      return rest.length;
    }
    boolean open = Framings.openEnded(framing) && quiet.compareTo(QUIET) >= 0;
    return open ? newline.lastEnd(rest, rest.length) : 0;
  }

  /** Whether some of it is going to be a record if no more comes. */
  public boolean waits(byte[] rest, Newline newline) {
    return rest.length > 0
        && (lastLine.isPresent()
            || Framings.openEnded(framing) && newline.lastEnd(rest, rest.length) > 0);
  }
}
