package io.wexrun.files.folder;

import static org.assertj.core.api.Assertions.assertThat;
import static org.assertj.core.api.Assertions.assertThatThrownBy;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.TypedRows;
import io.wexrun.core.connect.FileFormat;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.schema.Type;
import io.wexrun.core.secret.EncryptionKey;
import io.wexrun.core.secret.Keys;
import io.wexrun.core.target.Filing;
import io.wexrun.core.target.Flush;
import io.wexrun.core.target.Receipt;
import io.wexrun.core.target.Store;
import io.wexrun.core.target.Target;
import io.wexrun.files.format.CsvFormat;
import io.wexrun.files.format.NdjsonFormat;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.List;
import java.util.Map;
import java.util.stream.Stream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.CsvSource;

/** What is a folder's own, beside the contracts. */
class FolderStoreTest {
  private static final SourcePartition S = new SourcePartition("a.log");
  private static final Table SCANS =
      Table.in("w", "scans")
          .column("time", Type.Scalar.TIMESTAMP)
          .column("gate", Type.Scalar.TEXT)
          .column("n", Type.Scalar.INT)
          .build();

  @TempDir private Path base;
  private Settings settings =
      Settings.of("folder", "out").with("format", "ndjson").with("compress", "none");

  private Store open() {
    return new FolderConnector().open("w", settings, site());
  }

  private FolderSite site() {
    return new FolderSite(base).with(key("old", 1)).with(key("new", 2));
  }

  private static EncryptionKey key(String id, int fill) {
    byte[] secret = new byte[EncryptionKey.BYTES];
    Arrays.fill(secret, (byte) fill);
    return new EncryptionKey(id, secret);
  }

  private Path table() {
    return base.resolve("out/scans");
  }

  private Receipt load(long from, List<List<String>> texts) {
    try (Store store = open();
        Target target = store.target("p", SCANS)) {
      return load(target, from, texts);
    }
  }

  private static Receipt load(Target target, long from, List<List<String>> texts) {
    Flush.Part part =
        new Flush.Part(S, from, from + texts.size(), TypedRows.of(SCANS.schema(), texts));
    return target.stage(new Flush(List.of(part))).commit();
  }

  private List<Path> files() throws IOException {
    try (Stream<Path> files = Files.walk(table())) {
      return files
          .filter(Files::isRegularFile)
          .map(table()::relativize)
          .filter(file -> !file.startsWith(FolderStore.OWN))
          .sorted()
          .toList();
    }
  }

  private List<String> lines() throws IOException {
    List<String> lines = new ArrayList<>();
    for (Path file : files()) {
      lines.addAll(Files.readAllLines(table().resolve(file)));
    }
    return lines;
  }

  @Test
  void rowsAreCutIntoFoldersByFieldsAndPartsOfTimes() throws IOException {
    settings =
        settings
            .with("by", List.of("day(time)", "hour(time)", "gate"))
            .with("zone", "Europe/Berlin")
            .with("prefix", "scan");
    load(
        0,
        List.of(
            List.of("2026-05-03T21:59:59Z", "gate/7", "1"),
            List.of("2026-05-03T22:00:00Z", "..", "2"),
            List.of("2026-05-03T22:30:00Z", "", "3")));
    assertThat(files().stream().map(f -> f.getParent().toString()))
        .containsExactly(
            "day=2026-05-03/hour=23/gate=gate%2F7",
            "day=2026-05-04/hour=00/gate=%2E.", "day=2026-05-04/hour=00/gate=_none_");
    assertThat(files()).allMatch(f -> f.getFileName().toString().startsWith("scan-20"));
    assertThat(lines().get(0))
        .isEqualTo("{\"time\":\"2026-05-03T21:59:59Z\",\"gate\":\"gate/7\",\"n\":1}");
  }

  @Test
  void eachLineIsAnObjectAndNothingElse() throws IOException {
    List<String> row = List.of("2026-05-03T21:59:59Z", "a\n\"b\"", "1");
    load(0, List.of(row, row));
    String object = "{\"time\":\"2026-05-03T21:59:59Z\",\"gate\":\"a\\n\\\"b\\\"\",\"n\":1}";
    assertThat(Files.readString(table().resolve(files().get(0))))
        .isEqualTo(object + "\n" + object + "\n");
  }

  /** After the commit, and before the files were moved. */
  @Test
  void whatIsCommittedAndNotInItsPlaceIsMovedThere() throws IOException {
    load(0, List.of(List.of("2026-05-03T21:59:59Z", "a", "1")));
    Path file = files().get(0);
    Path staged = table().resolve(".wexrun/staged/p@" + file.getFileName() + ".part");
    Files.move(table().resolve(file), staged);
    assertThat(files()).isEmpty();
    assertThat(load(0, List.of(List.of("2026-05-03T21:59:59Z", "a", "1"))))
        .isEqualTo(new Receipt(0, 1));
    assertThat(files()).containsExactly(file);
  }

  @Test
  void whatWasStagedAndNotCommittedIsRemoved() throws IOException {
    load(0, List.of(List.of("2026-05-03T21:59:59Z", "a", "1")));
    Path left = table().resolve(".wexrun/staged/p@rows-left.ndjson.part");
    Path others = table().resolve(".wexrun/staged/q@rows-left.ndjson.part");
    Files.writeString(left, "half");
    Files.writeString(others, "of another pipeline, which may be at work");
    open().target("p", SCANS).close();
    assertThat(left).doesNotExist();
    assertThat(others).exists();
  }

  @Test
  void anEntryThatIsTornWasNotCommittedAndTheNextOneTakesItsPlace() throws IOException {
    load(0, List.of(List.of("2026-05-03T21:59:59Z", "a", "1")));
    Path log = table().resolve(".wexrun/commits");
    byte[] whole = Files.readAllBytes(log);
    for (String torn : List.of("0", "01234567 {\"writer\":", "01234567 {\"writer\":1}\n")) {
      Files.write(log, whole);
      Files.writeString(log, torn, StandardOpenOption.APPEND);
      try (Store store = open();
          Target target = store.target("p", SCANS)) {
        assertThat(target.progress()).containsEntry(S, 1L);
        List<String> row = List.of("2026-05-03T22:00:00Z", "a", "2");
        assertThat(load(target, 0, List.of(row, row))).isEqualTo(new Receipt(1, 1));
      }
      assertThat(open().standing("p", "scans").orElseThrow().progress()).containsEntry(S, 2L);
    }
  }

  @Test
  void aDamagedLogIsTold() throws IOException {
    load(0, List.of(List.of("2026-05-03T21:59:59Z", "a", "1")));
    load(1, List.of(List.of("2026-05-03T21:59:59Z", "a", "2")));
    Path log = table().resolve(".wexrun/commits");
    byte[] bytes = Files.readAllBytes(log);
    bytes[bytes.length / 2] ^= 1;
    Files.write(log, bytes);
    assertThatThrownBy(() -> load(2, List.of()))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("commits is damaged: line");
    Files.write(log, new byte[0]);
    assertThatThrownBy(() -> open().standing("p", "scans")).hasMessageContaining("it has no head");
  }

  @Test
  void aLongLogIsSummedUp() throws IOException {
    try (Store store = open();
        Target target = store.target("p", SCANS)) {
      for (int i = 0; i < 1001; i++) {
        load(target, i, List.of(List.of("2026-05-03T21:59:59Z", "a", "" + i)));
      }
    }
    Path log = table().resolve(".wexrun/commits");
    assertThat(Files.readAllLines(log)).hasSize(1002);
    open().target("p", SCANS).close();
    assertThat(Files.readAllLines(log)).hasSize(2);
    assertThat(load(1000, List.of(List.of("2026-05-03T21:59:59Z", "a", "1000"))))
        .isEqualTo(new Receipt(0, 1));
    assertThat(lines()).hasSize(1001);
  }

  @Test
  void aTableIsNotCutIntoFilesWithoutEnd() throws IOException {
    settings = settings.with("by", List.of("n"));
    List<List<String>> rows = new ArrayList<>();
    for (int i = 0; i < 10_001; i++) {
      rows.add(List.of("2026-05-03T21:59:59Z", "a", "" + i));
    }
    assertThatThrownBy(() -> load(0, rows))
        .isInstanceOfSatisfying(OutsideException.class, e -> assertThat(e.lasting()).isTrue())
        .hasMessageContaining("files in 10,001 folders by one flush");
    assertThat(files()).isEmpty();
  }

  @Test
  void csvSaysWhatIsAbsentAndWhatIsEmpty() throws IOException {
    settings = Settings.of("folder", "out").with("format", "csv").with("compress", "none");
    load(
        0, List.of(List.of("2026-05-03T21:59:59Z", "a,\"b\"", "1"), Arrays.asList(null, "", null)));
    assertThat(lines())
        .containsExactly("time,gate,n", "2026-05-03T21:59:59Z,\"a,\"\"b\"\"\",1", ",\"\",");
  }

  @ParameterizedTest
  @CsvSource({"ndjson,gzip", "ndjson,none", "csv,gzip", "csv,none"})
  void whatIsEncryptedOnlyWhoHasTheKeyCanRead(String format, String compress) throws IOException {
    settings =
        Settings.of("folder", "out")
            .with("format", format)
            .with("compress", compress)
            .with("encrypt", "old");
    load(0, List.of(List.of("2026-05-03T21:59:59Z", "gate-7", "1")));
    Path file = table().resolve(files().get(0));
    assertThat(file.toString()).endsWith(".encrypted");
    assertThat(Files.readString(file, StandardCharsets.ISO_8859_1))
        .contains("old")
        .doesNotContain("gate");
    FileFormat reader = format.equals("csv") ? new CsvFormat() : new NdjsonFormat();
    assertThat(reader.read(file, 9, site().keys()).rows().get(0)).contains("gate-7");
    assertThatThrownBy(() -> reader.read(file, 9, Keys.NONE))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("is encrypted with key 'old': there is no key 'old'");
    assertThatThrownBy(() -> reader.read(file, 9, Keys.of(Map.of("old", key("old", 9)))))
        .hasMessageContaining("with another secret than key 'old' has now");
    byte[] bytes = Files.readAllBytes(file);
    for (int cut : List.of(1, bytes.length - 60)) {
      Files.write(file, Arrays.copyOf(bytes, bytes.length - cut));
      assertThatThrownBy(() -> reader.read(file, 9, site().keys()))
          .hasMessageContaining("is damaged, or was changed or cut");
    }
    Files.write(file, bytes);

    settings = settings.with("encrypt", "new");
    Flush.Part part =
        new Flush.Part(
            S,
            1,
            2,
            TypedRows.of(
                SCANS.schema(), 1, List.of(List.of("2026-05-03T22:00:00Z", "gate-8", "2"))));
    try (Store store = open();
        Target target = store.target("p", SCANS)) {
      target.stage(new Flush(List.of(part))).commit();
      ((Filing) store).merge(SCANS, 1 << 20, merged -> {});
    }
    assertThat(files()).hasSize(1);
    Keys onlyNew = Keys.of(Map.of("new", key("new", 2)));
    assertThat(reader.read(table().resolve(files().get(0)), 9, onlyNew).rows()).hasSize(2);
  }

  @Test
  void aFolderWithRowsOfOthersIsNotTakenForAnEmptyTable() throws IOException {
    Files.createDirectories(table().resolve("all"));
    Files.writeString(table().resolve("README.txt"), "what this is");
    load(0, List.of(List.of("2026-05-03T21:59:59Z", "a", "1")));
    Files.delete(table().resolve(".wexrun/commits"));
    assertThatThrownBy(() -> load(0, List.of(List.of("2026-05-03T21:59:59Z", "a", "1"))))
        .isInstanceOfSatisfying(OutsideException.class, e -> assertThat(e.lasting()).isTrue())
        .hasMessageContaining("has files with rows that no log names, such as all/rows-")
        .hasMessageContaining("Move them away, or give the table another name");
  }

  @Test
  void aFolderThatCannotBeWrittenIsTold() throws IOException {
    Files.writeString(base.resolve("out"), "a file of this name");
    assertThatThrownBy(() -> load(0, List.of(List.of("2026-05-03T21:59:59Z", "a", "1"))))
        .isInstanceOf(OutsideException.class)
        .hasMessageContaining("store w");
  }

  @Test
  void mistakesInTheSettingsAreTold() {
    Diagnostics diagnostics = Diagnostics.of("w");
    Settings wrong =
        Settings.of("folder", "out")
            .with("format", "ndjsn")
            .with("by", List.of("week(time)", "gate"))
            .with("zone", "Berlin")
            .with("prefix", "../x");
    new FolderConnector().check(wrong, new FolderSite(base), KeyPath.ROOT, diagnostics);
    assertThat(diagnostics.all())
        .extracting("message")
        .containsExactly(
            "there is no format 'ndjsn'",
            "'week(time)' does not say by what folders are cut",
            "there is no time zone 'Berlin'",
            "a prefix has letters, digits, '-' and '_'");
    settings = settings.with("by", List.of("hour(gate)"));
    Diagnostics ofTable = Diagnostics.of("w");
    new FolderConnector().check(SCANS.keyed(List.of("n")), settings, KeyPath.ROOT, ofTable);
    assertThat(ofTable.all()).extracting("code").containsExactly("bad-key", "bad-cut");
    assertThatThrownBy(() -> open().target("p", SCANS))
        .hasMessageContaining("'gate' is text, which has no hour");
  }
}
