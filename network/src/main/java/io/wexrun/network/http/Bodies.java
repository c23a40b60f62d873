package io.wexrun.network.http;

import io.netty.handler.codec.http.HttpHeaders;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.framing.QuotedLines;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.network.door.Filtered;
import io.wexrun.network.door.JsonMistake;
import java.nio.charset.Charset;
import java.nio.charset.IllegalCharsetNameException;
import java.nio.charset.StandardCharsets;
import java.nio.charset.UnsupportedCharsetException;
import java.util.Arrays;
import java.util.BitSet;
import java.util.LinkedHashMap;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import tools.jackson.core.JacksonException;
import tools.jackson.core.JsonParser;
import tools.jackson.core.JsonToken;
import tools.jackson.core.ObjectReadContext;
import tools.jackson.core.json.JsonFactory;

/**
 * Takes bodies of requests apart, by their media type or as an intake says. CloudEvents come in all
 * three modes of its HTTP binding (CloudEvents 1.0.2): attributes of a binary one become headers.
 */
final class Bodies {
  /** How a body is taken apart. */
  enum Form {
    /** By its media type. */
    TYPE,
    /** A record is what the intake's framing says; a line, if it says nothing. */
    LINES,
    /** An object, or an array of which each element is a record. */
    JSON,
    /** Separated values, perhaps with line breaks between quotes. */
    CSV,
    /** All of it is one record. */
    WHOLE;

    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  private static final Pattern CHARSET =
      Pattern.compile(";\\s*charset=\"?([^\";\\s]+)", Pattern.CASE_INSENSITIVE);
  private static final SourcePartition NOWHERE = new SourcePartition("request");
  private static final JsonFactory JSON = new JsonFactory();
  private static final byte[] NOTHING = {};
  private static final String EVENT = "ce-";

  private final Form form;
  private final Framing framing;
  private final boolean header;
  private final boolean strict;

  /**
   * How an intake takes bodies apart.
   *
   * @param framing of lines
   * @param header whether the first line of CSV names the columns, though the request does not say
   *     so
   * @param strict whether records that are not JSON are refused where JSON was announced
   */
  Bodies(Form form, Framing framing, boolean header, boolean strict) {
    this.form = form;
    this.framing = framing;
    this.header = header;
    this.strict = strict;
  }

  /** The records of a body, which is not compressed. */
  Body read(byte[] body, HttpHeaders headers) throws RefusedException {
    String written = Optional.ofNullable(headers.get("content-type")).orElse("");
    int more = written.indexOf(';');
    String bare = more < 0 ? written : written.substring(0, more);
    String type = bare.strip().toLowerCase(Locale.ROOT);
    byte[] text = utf8(body, written);
    if (form != Form.TYPE) {
      return as(form, text, written);
    }
    if (type.equals("application/cloudevents+json")) {
      return whole(checked(text));
    }
    if (type.equals("application/cloudevents-batch+json")) {
      return json(text);
    }
    if (headers.contains(EVENT + "specversion")) {
      return event(body, headers);
    }
    return switch (type) {
      case "application/json", "text/json" -> json(text);
      case "application/x-ndjson",
          "application/ndjson",
          "application/jsonl",
          "application/json-seq" ->
          strictly(lines(text, Lines.FRAMING));
      case "text/csv" -> csv(text, written);
      case "application/octet-stream" -> whole(body);
      case "", "text/plain", "application/x-www-form-urlencoded" -> lines(text, framing);
      default -> {
        if (type.endsWith("+json")) {
          yield json(text);
        }
        if (type.startsWith("text/")) {
          yield lines(text, framing);
        }
        throw new RefusedException(
            Answer.problem(
                Answer.NO_SUCH_FORM,
                "its media type is '"
                    + type
                    + "': text/plain, application/json, application/x-ndjson, text/csv,"
                    + " application/octet-stream and CloudEvents are taken"));
      }
    };
  }

  private Body as(Form how, byte[] text, String type) throws RefusedException {
    return switch (how) {
      case JSON -> json(text);
      case CSV -> csv(text, type);
      case WHOLE -> whole(text);
      default -> lines(text, framing);
    };
  }

  private static byte[] utf8(byte[] body, String type) throws RefusedException {
    if (type.indexOf(';') < 0) {
      return body;
    }
    Matcher matcher = CHARSET.matcher(type);
    if (!matcher.find() || matcher.group(1).equalsIgnoreCase("utf-8")) {
      return body;
    }
    try {
      return new String(body, Charset.forName(matcher.group(1))).getBytes(StandardCharsets.UTF_8);
    } catch (IllegalCharsetNameException | UnsupportedCharsetException e) {
      throw new RefusedException(
          Answer.problem(
              Answer.NO_SUCH_FORM, "there is no encoding '" + matcher.group(1) + "' here"));
    }
  }

  private static Records cut(byte[] data, int from, Framing how) {
    byte[] part = from == 0 ? data : Arrays.copyOfRange(data, from, data.length);
    return how.cut(new Block(NOWHERE, 0, part.length, part, part.length, how));
  }

  private static Body lines(byte[] text, Framing how) {
    return new Body(Filtered.withoutBlank(cut(text, 0, how)), NOTHING, Map.of());
  }

  private Body csv(byte[] text, String type) {
    boolean named =
        header || type.replace(" ", "").toLowerCase(Locale.ROOT).contains("header=present");
    Records all = Filtered.withoutBlank(cut(text, 0, QuotedLines.FRAMING));
    if (!named || all.count() == 0) {
      return new Body(all, NOTHING, Map.of());
    }
    byte[] columns = all.bytes(0);
    return new Body(
        Filtered.withoutBlank(cut(text, all.end(0), QuotedLines.FRAMING)), columns, Map.of());
  }

  private static Body whole(byte[] body) {
    int count = body.length == 0 ? 0 : 1;
    return new Body(
        Records.numbered(body, new int[count], new int[] {body.length}, count, 0, new BitSet()),
        NOTHING,
        Map.of());
  }

  /** One event whose attributes are headers of the request. */
  private static Body event(byte[] body, HttpHeaders headers) {
    Map<String, String> attributes = new LinkedHashMap<>();
    headers.forEach(
        header -> {
          String name = header.getKey().toLowerCase(Locale.ROOT);
          if (name.startsWith(EVENT)) {
            attributes.put(name, header.getValue());
          }
        });
    Records one = Records.numbered(body, new int[1], new int[] {body.length}, 1, 0, new BitSet());
    return new Body(one, NOTHING, attributes);
  }

  private Body strictly(Body body) throws RefusedException {
    if (strict) {
      for (int i = 0; i < body.records().count(); i++) {
        check(body.records().bytes(i), i + 1);
      }
    }
    return body;
  }

  private byte[] checked(byte[] text) throws RefusedException {
    if (strict) {
      check(text, 1);
    }
    return text;
  }

  private static void check(byte[] record, int number) throws RefusedException {
    try (JsonParser parser = JSON.createParser(ObjectReadContext.empty(), record)) {
      while (parser.nextToken() != null) {
        parser.skipChildren();
      }
    } catch (JacksonException e) {
      throw new RefusedException(
          Answer.problem(
              Answer.WRONG, "record " + number + " is not JSON: " + JsonMistake.of(e), number));
    }
  }

  /** An array's elements, or values one after the other. */
  private static Body json(byte[] text) throws RefusedException {
    int[] starts = new int[64];
    int[] ends = new int[64];
    int count = 0;
    try (JsonParser parser = JSON.createParser(ObjectReadContext.empty(), text)) {
      boolean array = false;
      for (JsonToken token = parser.nextToken(); token != null; token = parser.nextToken()) {
        if (token == JsonToken.START_ARRAY && !array && count == 0) {
          array = true;
          continue;
        }
        if (token == JsonToken.END_ARRAY) {
          array = false;
          continue;
        }
        if (count == starts.length) {
          starts = Arrays.copyOf(starts, count * 2);
          ends = Arrays.copyOf(ends, count * 2);
        }
        starts[count] = (int) parser.currentTokenLocation().getByteOffset();
        parser.skipChildren();
        if (!token.isStructStart()) {
          parser.getString(); // So that the value is read to its end.
        }
        ends[count++] = (int) parser.currentLocation().getByteOffset();
      }
    } catch (JacksonException e) {
      throw new RefusedException(
          Answer.problem(
              Answer.BAD,
              "it is not JSON at byte "
                  + e.getLocation().getByteOffset()
                  + ", in record "
                  + (count + 1)
                  + ": "
                  + JsonMistake.of(e),
              count + 1));
    }
    return new Body(
        Records.numbered(text, starts, ends, count, 0, new BitSet()), NOTHING, Map.of());
  }
}
