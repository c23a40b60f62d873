package io.wexrun.formats;

import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.OptionalInt;
import java.util.StringJoiner;
import java.util.concurrent.ConcurrentHashMap;
import ua_parser.Client;
import ua_parser.Parser;

/**
 * {@code client: {from: FIELD, add: {NAME: PART, ...}}}: what a user agent text (RFC 9110, 10.1.5)
 * tells of the client software. The parts are {@code family}, {@code version}, {@code system},
 * {@code system_version} and {@code device}; what is not known is absent.
 */
public final class ClientKind implements StepKind {
  private static final List<String> PARTS =
      List.of("family", "version", "system", "system_version", "device");

  /** Texts are cut here: what tells a client stands at the front, and the patterns take time. */
  private static final int LONGEST = 512;

  /** So many different texts are remembered: few clients send most of the records. */
  private static final int REMEMBERED = 20_000;

  @Override
  public String name() {
    return "client";
  }

  @Override
  public Form form() {
    return Form.either(
            Form.text(),
            Form.keys(
                Form.with(
                    "from", Form.text(),
                    "add", Form.map(Form.word(PARTS.toArray(String[]::new)))),
                "from"))
        .about("what a user agent text tells of the client");
  }

  @Override
  public List<Step> compile(Written written, StepContext context) {
    Map<String, Written> entries =
        written.isMap()
            ? written.entries("a client", List.of("from", "add"))
            : Map.of("from", written);
    Written from = entries.get("from");
    if (from == null) {
      written.error("missing-key", "client needs 'from'", "name the field with the user agent");
      return List.of();
    }
    OptionalInt place = context.field(from);
    if (place.isPresent() && context.input().column(place.getAsInt()).type() != Type.Scalar.TEXT) {
      from.error("type-clash", "'" + from.text() + "' is not text", "");
    }
    Map<String, Integer> adds = new LinkedHashMap<>();
    if (entries.containsKey("add")) {
      entries
          .get("add")
          .entries()
          .forEach((name, part) -> adds.put(name, PARTS.indexOf(part.choice(PARTS))));
    } else {
      PARTS.forEach(part -> adds.put("client_" + part, PARTS.indexOf(part)));
    }
    return place.isPresent()
        ? List.of(new ClientStep(context.input(), place.getAsInt(), adds))
        : List.of();
  }

  private static final class ClientStep implements Step {
    private final Schema output;
    private final int place;
    private final Map<String, Integer> adds;
    private final Map<String, String[]> known = new ConcurrentHashMap<>();

    ClientStep(Schema input, int place, Map<String, Integer> adds) {
      Schema schema = input;
      for (String name : adds.keySet()) {
        schema = schema.with(Column.of(name, Type.Scalar.TEXT));
      }
      this.output = schema;
      this.place = place;
      this.adds = adds;
    }

    @Override
    public Schema output() {
      return output;
    }

    @Override
    public Batch apply(Batch batch, Rejects rejects) {
      TextVector texts = (TextVector) batch.column(place);
      Map<String, TextVector> added = new LinkedHashMap<>();
      adds.keySet()
          .forEach(name -> added.put(name, new TextVector(batch.rows(), batch.rows() * 8)));
      for (int row = 0; row < batch.rows(); row++) {
        String[] parts = texts.absent(row) ? null : parts(texts.text(row));
        adds.forEach(
            (name, part) -> {
              if (parts == null || parts[part] == null) {
                added.get(name).appendAbsent();
              } else {
                added.get(name).append(parts[part]);
              }
            });
      }
      return batch.with(output, added);
    }

    private String[] parts(String text) {
      String[] there = known.get(text);
      if (there == null) {
        there = Library.parts(text.substring(0, Math.min(LONGEST, text.length())));
        if (known.size() < REMEMBERED) {
          known.put(text, there);
        }
      }
      return there;
    }
  }

  /** Loaded with its patterns when the first text comes. */
  private static final class Library {
    private static final Parser PARSER = new Parser();

    static String[] parts(String text) {
      Client client = PARSER.parse(text);
      return new String[] {
        known(client.userAgent.family),
        version(client.userAgent.major, client.userAgent.minor, client.userAgent.patch),
        known(client.os.family),
        version(client.os.major, client.os.minor, client.os.patch),
        known(client.device.family)
      };
    }

    private static String known(String family) {
      return family == null || family.equals("Other") ? null : family;
    }

    private static String version(String... numbers) {
      StringJoiner version = new StringJoiner(".");
      for (String number : numbers) {
        if (number == null) {
          break;
        }
        version.add(number);
      }
      return version.length() == 0 ? null : version.toString();
    }
  }
}
