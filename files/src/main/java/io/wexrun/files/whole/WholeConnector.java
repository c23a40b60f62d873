package io.wexrun.files.whole;

import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.PlannedSource;
import io.wexrun.core.connect.RowsReader;
import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Type;
import io.wexrun.files.content.Patterns;
import io.wexrun.files.content.Reading;
import io.wexrun.files.content.ReadingSettings;
import java.io.IOException;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.ServiceLoader;
import java.util.regex.Pattern;
import java.util.stream.Collectors;

/** Opens intakes that take whole files. */
abstract class WholeConnector implements IntakeConnector {
  private static final Pattern LABEL = Pattern.compile("[A-Za-z0-9][A-Za-z0-9._-]*");

  private static final String FORMAT = "format";

  private final String kind;

  WholeConnector(String kind) {
    this.kind = kind;
  }

  /** How the files are treated. */
  abstract Dropping dropping(Settings settings);

  @Override
  public String kind() {
    return kind;
  }

  @Override
  public List<String> keys() {
    List<String> keys = new ArrayList<>(List.of(kind));
    keys.addAll(Patterns.KEYS);
    keys.addAll(ReadingSettings.KEYS);
    keys.addAll(List.of(FORMAT, Settings.COLUMNS));
    return keys;
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    ReadingSettings.check(settings, path, diagnostics);
    checkFormat(settings, site, path, diagnostics);
    boolean emptied = dropping(settings).then().takesAway();
    Patterns.check(settings, site, emptied, path, diagnostics);
  }

  private static void checkFormat(
      Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    Optional<String> format = settings.text(FORMAT);
    if (format.isEmpty()) {
      if (settings.values().containsKey(Settings.COLUMNS)) {
        diagnostics.error(
            "bad-value",
            path.key(Settings.COLUMNS),
            "only files of a format with rows have columns",
            Optional.of("say which one, such as format: parquet"));
      }
      return;
    }
    List<String> known = readers().stream().map(RowsReader::format).sorted().toList();
    if (rows(settings).isEmpty()) {
      diagnostics.error(
          "bad-value",
          path.key(FORMAT),
          "'" + format.get() + "' is no format of rows",
          Diagnostics.nearestOrKnown(format.get(), known, all -> "there are " + all));
      return;
    }
    for (String key : ReadingSettings.KEYS) {
      if (settings.values().containsKey(key) && !key.equals("longest")) {
        diagnostics.error(
            "bad-value",
            path.key(key),
            "files of rows have no '" + key + "'",
            Optional.of("remove it, or the format"));
      }
    }
    Object columns = settings.values().get(Settings.COLUMNS);
    if (!(columns instanceof Map<?, ?> fields) || fields.isEmpty()) {
      String why = "";
      for (Path file : Patterns.of(site.folder(), settings).matches()) {
        try {
          rows(settings).orElseThrow().columns(file);
        } catch (IOException e) {
          why = ", and " + file.getFileName() + " cannot be read: " + e.getMessage();
        }
      }
      diagnostics.error(
          "missing-key",
          path.key(FORMAT),
          "no file is there that says what its columns are" + why,
          Optional.of("put one there, or write columns: {NAME: TYPE}"));
    }
  }

  private static List<RowsReader> readers() {
    return ServiceLoader.load(RowsReader.class).stream().map(ServiceLoader.Provider::get).toList();
  }

  private static Optional<RowsReader> rows(Settings settings) {
    return settings
        .text(FORMAT)
        .flatMap(name -> readers().stream().filter(r -> r.format().equals(name)).findFirst());
  }

  @Override
  public boolean describes(Settings settings) {
    return rows(settings).isPresent();
  }

  /** Those of the first file that can be read. */
  @Override
  public Map<String, Object> columns(Settings settings, Site site) {
    RowsReader reader = rows(settings).orElseThrow();
    Map<String, Object> columns = new LinkedHashMap<>();
    for (Path file : Patterns.of(site.folder(), settings).matches()) {
      try {
        for (Column column : reader.columns(file).columns()) {
          columns.put(column.name(), spec(column.type()));
        }
        return columns;
      } catch (IOException e) {
        continue; // The run tells of it, and another file may do.
      }
    }
    return columns;
  }

  /** How a field is written that has a column's values; bytes are text in base 64. */
  private static String spec(Type type) {
    if (type instanceof Type.ListOf list) {
      return "list<" + spec(list.element()) + ">?";
    } else if (type instanceof Type.Struct struct) {
      return struct.fields().stream()
          .map(field -> field.name() + ": " + spec(field.type()))
          .collect(Collectors.joining(", ", "{", "}?"));
    }
    return (type == Type.Scalar.BYTES ? "text" : type.toString()) + "?";
  }

  @Override
  public boolean chooses() {
    return true;
  }

  @Override
  public Intake open(IntakeOpening opening) {
    return open(opening, dropping(opening.settings()));
  }

  private static WholeFiles open(IntakeOpening opening, Dropping dropping) {
    Optional<String> label = opening.choice().again();
    if (label.isPresent() && !LABEL.matcher(label.get()).matches()) {
      Diagnostics diagnostics = Diagnostics.of("--again");
      diagnostics.error(
          "bad-name",
          KeyPath.ROOT,
          "'" + label.get() + "' is not a label",
          Optional.of("use letters, digits, '.', '_' and '-', such as 2026-11-28"));
      diagnostics.orThrow();
    }
    Optional<RowsReader> rows = rows(opening.settings());
    Reading reading = ReadingSettings.read(opening.settings());
    return new WholeFiles(
        opening,
        Patterns.of(opening),
        rows.isPresent() ? reading.ofBytes() : reading,
        rows,
        dropping);
  }

  /** Looks without waiting for files to be complete, and leaves them where they are. */
  @Override
  public Intake peek(Settings settings, Site site) {
    return open(IntakeOpening.fresh(settings, site), Dropping.ARCHIVE);
  }

  @Override
  public List<PlannedSource> plan(IntakeOpening opening) {
    try (WholeFiles files = open(opening, dropping(opening.settings()))) {
      return files.plan();
    }
  }
}
