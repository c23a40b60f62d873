package io.wexrun.cli;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.diagnose.Shown;
import io.wexrun.core.schema.Instants;
import io.wexrun.project.facts.KeptLetter;
import java.time.temporal.ChronoUnit;
import java.util.Base64;
import java.util.LinkedHashMap;
import java.util.Map;

/** Shows dead letters, for people and for machines. */
final class DeadView {
  private DeadView() {}

  /** Writes a letter in three lines. */
  static void write(KeptLetter kept, Terminal terminal) {
    DeadLetter letter = kept.letter();
    terminal.out.println(
        terminal.style(Terminal.Style.BAD, letter.reason().code())
            + "  "
            + terminal.style(
                Terminal.Style.PLACE, letter.record().source() + " @" + letter.record().position())
            + "  "
            + kept.pipeline()
            + " "
            + letter.death().step()
            + (letter.death().field().isEmpty() ? "" : "  field " + letter.death().field())
            + terminal.style(Terminal.Style.DIM, "  letter " + kept.place()));
    terminal.out.println("  " + Shown.line(letter.death().detail()));
    terminal.out.println("  " + terminal.style(Terminal.Style.DIM, raw(letter, 160)));
  }

  /** The record's text, shortened. */
  static String raw(DeadLetter letter, int most) {
    String text = letter.text();
    return text.isEmpty() ? "(an empty line)" : Terminal.brief(text, most);
  }

  /** A letter for machines. */
  static Map<String, Object> facts(KeptLetter kept) {
    DeadLetter letter = kept.letter();
    Map<String, Object> facts = new LinkedHashMap<>();
    facts.put("pipeline", kept.pipeline());
    facts.put("letter", kept.place().toString());
    facts.put("died", kept.died().truncatedTo(ChronoUnit.MILLIS).toString());
    facts.put("deaths", letter.life().deaths());
    facts.put("reason", letter.reason().code());
    facts.put("step", letter.death().step());
    facts.put("field", letter.death().field());
    facts.put("detail", letter.death().detail());
    facts.put("version", letter.death().version());
    DeadLetter.Original record = letter.record();
    facts.put("source", record.source());
    facts.put("position", record.position());
    if (record.taken() > 0) {
      facts.put("taken", Instants.instant(record.taken()).toString());
    }
    letter.life().part().ifPresent(part -> facts.put("part", part.toString()));
    facts.put("raw", letter.text());
    facts.put("rawBase64", base64(record.raw()));
    if (record.header().length > 0) {
      facts.put("headerBase64", base64(record.header()));
    }
    record.key().ifPresent(key -> facts.put("keyBase64", base64(key)));
    if (!record.headers().isEmpty()) {
      facts.put("headers", record.headers());
    }
    return facts;
  }

  private static String base64(byte[] bytes) {
    return Base64.getEncoder().encodeToString(bytes);
  }
}
