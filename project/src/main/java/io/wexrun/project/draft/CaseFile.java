package io.wexrun.project.draft;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.schema.Instants;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.core.shape.Shaper;
import io.wexrun.project.definition.SampleCase;
import io.wexrun.project.yaml.YamlText;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/** The file of a pipeline's cases, beside those in its own file. */
public final class CaseFile {
  private CaseFile() {}

  /**
   * Writes records just tried as cases, behind those that are there.
   *
   * @param shaper of the pipeline
   * @return the file
   * @throws OutsideException if it cannot be written
   */
  public static Path add(Path folder, String pipeline, List<RecordTrial> trials, Shaper shaper) {
    Path file = folder.resolve("cases").resolve(pipeline + ".yaml");
    String text = YamlText.of(trials.stream().map(trial -> item(trial, shaper)).toList());
    try {
      Files.createDirectories(file.getParent());
      Files.writeString(file, text, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
    } catch (IOException e) {
      throw new OutsideException("cannot write " + file + ": " + e.getMessage(), e);
    }
    return file;
  }

  private static Map<String, Object> item(RecordTrial trial, Shaper shaper) {
    Map<String, Object> item =
        YamlText.map("record", new String(trial.text(), StandardCharsets.UTF_8));
    if (trial.death().isPresent()) {
      RecordTrial.Death death = trial.death().get();
      item.put("dies", death.reason());
      if (!death.field().isEmpty()) {
        item.put("field", death.field());
      }
      return item;
    }
    if (needsTime(trial, shaper)) {
      item.put("written", Instants.instant(trial.written()).toString());
    }
    item.put("to", new YamlText.Inline(SampleCase.places(trial)));
    List<Object> rows = new ArrayList<>(SampleCase.made(trial));
    if (!rows.equals(List.of(Map.of()))) {
      item.put("rows", rows);
    }
    return item;
  }

  /** Whether something else becomes of the record if it is not told when it had been written. */
  private static boolean needsTime(RecordTrial trial, Shaper shaper) {
    String text = new String(trial.text(), StandardCharsets.UTF_8);
    List<Map<String, String>> rows = SampleCase.made(trial);
    return trial.written() > 0
        && new SampleCase(text, "", 0, List.of(), rows, Optional.empty(), Optional.empty())
            .difference(shaper)
            .isPresent();
  }
}
