package io.wexrun.files.folder;

import io.wexrun.core.connect.Encryption;
import io.wexrun.core.connect.FileForm;
import io.wexrun.core.connect.FileFormat;
import io.wexrun.core.connect.Site;
import io.wexrun.core.connect.StoreConnector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Store;
import java.nio.file.Files;
import java.nio.file.Path;
import java.time.DateTimeException;
import java.time.Duration;
import java.time.ZoneId;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.ServiceLoader;
import java.util.TreeMap;

/**
 * {@code stores: {lake: {folder: out, format: ndjson, compress: gzip, by: [day(time), gate], zone:
 * Europe/Berlin, prefix: part}}}.
 */
public final class FolderConnector implements StoreConnector {
  private static final String FOLDER = "folder";
  private static final String FORMAT = "format";
  private static final String COMPRESS = "compress";
  private static final String BY = "by";
  private static final String ZONE = "zone";
  private static final String PREFIX = "prefix";

  @Override
  public String kind() {
    return FOLDER;
  }

  @Override
  public List<String> keys() {
    return List.of(FOLDER, FORMAT, COMPRESS, BY, ZONE, PREFIX, Encryption.KEY);
  }

  @Override
  public void check(Table table, Settings settings, KeyPath path, Diagnostics diagnostics) {
    if (!table.key().isEmpty() && table.rollup().isEmpty()) {
      diagnostics.error(
          "bad-key",
          path.key("key"),
          "rows in a folder cannot take the places of others",
          Optional.of("remove the key, or put the table into a database"));
    }
    cut(settings)
        .flatMap(cut -> cut.fault(table))
        .ifPresent(
            fault ->
                diagnostics.error(
                    "bad-cut",
                    path.key("in"),
                    "the store cuts its tables into folders, but this one not: " + fault,
                    Optional.of("add the column, or another store that is cut otherwise")));
  }

  /** Each flush makes a file, and many small ones are slow to read. */
  @Override
  public Duration youngest() {
    return Duration.ofMinutes(1);
  }

  private static Optional<Cut> cut(Settings settings) {
    List<Cut.By> by =
        texts(settings.values().get(BY)).stream().flatMap(b -> Cut.read(b).stream()).toList();
    return zone(settings).map(zone -> new Cut(by, zone));
  }

  @Override
  public boolean sorts(Settings settings) {
    FileFormat format = formats().get(settings.text(FORMAT).orElse(""));
    return format != null && format.sorts();
  }

  @Override
  public boolean files() {
    return true;
  }

  @Override
  public boolean answersQueries() {
    return FolderAnswers.who().isPresent();
  }

  static Map<String, FileFormat> formats() {
    Map<String, FileFormat> formats = new TreeMap<>();
    ServiceLoader.load(FileFormat.class).forEach(format -> formats.put(format.name(), format));
    return formats;
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    Map<String, FileFormat> formats = formats();
    String written = settings.text(FORMAT).orElse("");
    FileFormat format = formats.get(written);
    if (format == null) {
      diagnostics.error(
          written.isEmpty() ? "missing-key" : "bad-value",
          path.key(written.isEmpty() ? FOLDER : FORMAT),
          written.isEmpty() ? "a folder needs 'format'" : "there is no format '" + written + "'",
          Diagnostics.nearestOrKnown(
              written, List.copyOf(formats.keySet()), all -> "the formats are " + all));
    } else {
      String compress = settings.text(COMPRESS).orElse(format.compressions().get(0));
      if (!format.compressions().contains(compress)) {
        diagnostics.error(
            "bad-value",
            path.key(COMPRESS),
            written + " files are not compressed by '" + compress + "'",
            Optional.of("write " + String.join(" or ", format.compressions())));
      }
    }
    Encryption.check(settings, site, path, diagnostics);
    for (String by : texts(settings.values().get(BY))) {
      if (Cut.read(by).isEmpty()) {
        diagnostics.error(
            "bad-value",
            path.key(BY),
            "'" + by + "' does not say by what folders are cut",
            Optional.of("name a field, or year(FIELD), month(FIELD), day(FIELD), hour(FIELD)"));
      }
    }
    if (zone(settings).isEmpty()) {
      diagnostics.error(
          "bad-value",
          path.key(ZONE),
          "there is no time zone '" + settings.text(ZONE).orElse("") + "'",
          Optional.of("use UTC, an offset such as +02:00, or an id such as Europe/Berlin"));
    }
    if (!settings.text(PREFIX).orElse("x").matches("[A-Za-z0-9][A-Za-z0-9_-]*")) {
      diagnostics.error(
          "bad-value",
          path.key(PREFIX),
          "a prefix has letters, digits, '-' and '_'",
          Optional.of("such as part"));
    }
  }

  private static List<String> texts(Object value) {
    List<String> texts = new ArrayList<>();
    if (value instanceof List<?> list) {
      list.forEach(item -> texts.add(String.valueOf(item)));
    } else if (value != null) {
      texts.add(String.valueOf(value));
    }
    return texts;
  }

  private static Optional<ZoneId> zone(Settings settings) {
    try {
      return Optional.of(ZoneId.of(settings.text(ZONE).orElse("UTC")));
    } catch (DateTimeException e) {
      return Optional.empty();
    }
  }

  @Override
  public boolean exists(Settings settings, Site site) {
    return Files.isDirectory(site.folder().resolve(settings.main()).resolve(FolderStore.OWN));
  }

  @Override
  public Store open(String name, Settings settings, Site site) {
    Path folder = site.folder().resolve(settings.main());
    FileFormat format = formats().get(settings.text(FORMAT).orElse(""));
    Optional<Cut> cut = cut(settings);
    if (format == null || cut.isEmpty()) {
      throw OutsideException.lasting("store " + name + " has mistakes: 'wexrun check' says which");
    }
    FolderStore.Writing writing =
        new FolderStore.Writing(
            format,
            new FileForm(
                settings.text(COMPRESS).orElse(format.compressions().get(0)),
                Encryption.of(settings, site)),
            cut.get(),
            settings.text(PREFIX).orElse("rows"));
    return new FolderStore(name, folder, writing, site.keys());
  }
}
