package io.wexrun.files.folder;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.TargetContract;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Target;
import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.io.TempDir;
import tools.jackson.databind.json.JsonMapper;

class FolderTargetContractTest extends TargetContract {
  private static final JsonMapper JSON = JsonMapper.builder().build();

  @TempDir private Path base;
  private int lives;

  private Path folder() {
    return base.resolve("life" + lives);
  }

  @Override
  protected Target open(String writer) {
    Settings settings =
        Settings.of("folder", "out").with("format", "ndjson").with("compress", "none");
    return new FolderConnector()
        .open("w", settings, new FolderSite(folder()))
        .target(writer, new Table("rows", "w", SCHEMA, Map.of()));
  }

  /** As a reader that lists the folder sees it. */
  @Override
  protected List<String> committed() {
    List<String> keys = new ArrayList<>();
    Path table = folder().resolve("out/rows");
    if (!Files.isDirectory(table)) {
      return keys;
    }
    try (Stream<Path> files = Files.walk(table)) {
      for (Path file : files.filter(f -> f.toString().endsWith(".ndjson")).toList()) {
        if (!file.toString().contains("/.wexrun/")) {
          for (String line : Files.readAllLines(file)) {
            keys.add(JSON.readTree(line).get("key").asString());
          }
        }
      }
      return keys;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  /** The files as they are at this moment, with nobody who has them open. */
  @Override
  protected void crash() {
    Path before = folder();
    lives++;
    try (Stream<Path> files = Files.walk(before)) {
      for (Path file : files.toList()) {
        Files.copy(file, folder().resolve(before.relativize(file).toString()));
      }
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
