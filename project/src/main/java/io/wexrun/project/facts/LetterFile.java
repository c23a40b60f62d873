package io.wexrun.project.facts;

import io.wexrun.core.dead.DeadLetter;
import java.io.ByteArrayOutputStream;
import java.nio.ByteBuffer;
import java.nio.charset.CharacterCodingException;
import java.nio.charset.StandardCharsets;
import java.util.Comparator;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;

/**
 * Dead letters as a text to be edited by hand. Each stands below a line that names it:
 *
 * <pre>{@code
 * Text   --> Remark*, Letter*, Mark, "end", LF
 * Remark --> "#", words, LF
 * Letter --> Mark, Place, " ", ("as-is" | "escaped"), " ", why it died, LF, Record, LF
 * Mark   --> "#", "="+, " "    as many as no line of a record begins with
 * Record --> its bytes as UTF-8; escaped, a byte is \xHH and a backslash is \\
 * }</pre>
 *
 * <p>Without the last line a text is not whole: a record may have been cut.
 *
 * <p>A record is escaped if it is not UTF-8, or has control characters other than tabs and line
 * feeds.
 */
public final class LetterFile {
  /** The order in which letters are kept. */
  public static final Comparator<KeptLetter.Place> ORDER =
      Comparator.comparingInt(KeptLetter.Place::partition)
          .thenComparingLong(KeptLetter.Place::position);

  private static final Pattern MARK = Pattern.compile("(#=+ )(\\S+) (as-is|escaped)( .*)?");
  private static final Pattern LINE = Pattern.compile("^#=+ ", Pattern.MULTILINE);

  private static final String END = "end";

  private LetterFile() {}

  /** Letters of one pipeline as a text. */
  public static String write(List<KeptLetter> letters) {
    String mark = mark(letters);
    StringBuilder text = new StringBuilder();
    text.append("# Correct the records; each stands below a line that begins with \"");
    text.append(mark).append("\".\n");
    text.append("# What is not changed, or is removed together with that line, is left alone.\n");
    text.append("# In records that are \"escaped\", \\x1F is a byte, and \\\\ a backslash.\n");
    for (KeptLetter kept : letters) {
      DeadLetter letter = kept.letter();
      Optional<String> plain = plain(letter.record().raw());
      text.append(mark).append(kept.place()).append(plain.isPresent() ? " as-is " : " escaped ");
      text.append(letter.reason().code()).append(": ");
      text.append(letter.death().detail().replaceAll("[\\r\\n]", " ")).append('\n');
      text.append(plain.orElseGet(() -> escaped(letter.record().raw()))).append('\n');
    }
    return text.append(mark).append(END).append('\n').toString();
  }

  /** One that no line of a record begins with. */
  private static String mark(List<KeptLetter> letters) {
    int longest = 1;
    for (KeptLetter letter : letters) {
      Matcher found = LINE.matcher(letter.letter().text());
      while (found.find()) {
        longest = Math.max(longest, found.group().length() - 1);
      }
    }
    return "#" + "=".repeat(longest) + " ";
  }

  private static Optional<String> plain(byte[] raw) {
    try {
      String text = StandardCharsets.UTF_8.newDecoder().decode(ByteBuffer.wrap(raw)).toString();
      boolean odd = text.chars().anyMatch(c -> c != '\t' && c != '\n' && Character.isISOControl(c));
      return odd || text.startsWith("\uFEFF") ? Optional.empty() : Optional.of(text);
    } catch (CharacterCodingException e) {
      return Optional.empty();
    }
  }

  private static String escaped(byte[] raw) {
    StringBuilder text = new StringBuilder();
    for (byte b : raw) {
      if (b == '\\') {
        text.append("\\\\");
      } else if (b >= ' ' && b < 127 || b == '\n' || b == '\t') {
        text.append((char) b);
      } else {
        text.append("\\x").append(HexFormat.of().withUpperCase().toHexDigits(b));
      }
    }
    return text.toString();
  }

  /**
   * The records of a text, by the letters.
   *
   * @throws IllegalArgumentException if it is not as it was written; the message says where
   */
  public static Map<KeptLetter.Place, byte[]> read(String text) {
    Map<KeptLetter.Place, byte[]> records = new LinkedHashMap<>();
    // An editor may have made the ends of lines those of its system.
    String[] lines = text.replace("\r\n", "\n").split("\n", -1);
    int at = 0;
    while (at < lines.length && !MARK.matcher(lines[at]).matches()) {
      if (!lines[at].isBlank() && !lines[at].startsWith("#")) {
        throw new IllegalArgumentException(
            "line "
                + (at + 1)
                + " stands before the first letter: there is no line such as"
                + " '#= 0@12 as-is ...' above it");
      }
      at++;
    }
    if (at == lines.length) {
      throw new IllegalArgumentException("there is no letter in it");
    }
    Matcher first = MARK.matcher(lines[at]);
    String mark = first.matches() ? first.group(1) : "";
    while (at < lines.length && !lines[at].strip().equals(mark + END)) {
      Matcher head = MARK.matcher(lines[at]);
      Optional<KeptLetter.Place> place =
          head.matches() ? KeptLetter.Place.of(head.group(2)) : Optional.empty();
      if (place.isEmpty()) {
        throw new IllegalArgumentException(
            "line " + (at + 1) + " does not name a letter: it was '" + mark + "0@12 as-is ...'");
      }
      int begin = at + 1;
      at = begin;
      while (at < lines.length && !lines[at].startsWith(mark)) {
        at++;
      }
      if (at == lines.length) {
        throw new IllegalArgumentException(
            "it ends without the line '" + mark + END + "': it is not whole, and nothing was done");
      }
      String record = String.join("\n", List.of(lines).subList(begin, at));
      byte[] bytes =
          head.group(3).equals("escaped")
              ? unescaped(record, begin + 1)
              : record.getBytes(StandardCharsets.UTF_8);
      if (records.put(place.get(), bytes) != null) {
        throw new IllegalArgumentException("letter " + place.get() + " stands in it twice");
      }
    }
    return records;
  }

  private static byte[] unescaped(String text, int line) {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    for (int i = 0; i < text.length(); ) {
      int character = text.codePointAt(i);
      int length = Character.charCount(character);
      if (character != '\\') {
        bytes.writeBytes(Character.toString(character).getBytes(StandardCharsets.UTF_8));
      } else if (text.startsWith("\\\\", i)) {
        bytes.write('\\');
        length = 2;
      } else if (text.substring(i).matches("(?s)\\\\x[0-9a-fA-F]{2}.*")) {
        bytes.write(Integer.parseInt(text.substring(i + 2, i + 4), 16));
        length = 4;
      } else {
        throw new IllegalArgumentException(
            "in the record at line "
                + line
                + " a backslash stands alone: \\x1F is a byte, and"
                + " \\\\ a backslash");
      }
      i += length;
    }
    return bytes.toByteArray();
  }
}
