package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import java.io.ByteArrayOutputStream;
import java.io.IOException;
import java.nio.charset.StandardCharsets;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.Base64;
import java.util.List;
import java.util.zip.GZIPOutputStream;
import org.junit.jupiter.api.Test;
import org.junit.jupiter.api.io.TempDir;

/** Whatever records become, a block of them has its place in memory. */
class GrowingRecordsTest {
  private static final int RECORDS = 200;
  private static final int BYTES = 900_000;

  @TempDir private Path folder;

  private static String packed() throws IOException {
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    try (GZIPOutputStream gzip = new GZIPOutputStream(bytes)) {
      gzip.write("x".repeat(BYTES).getBytes(StandardCharsets.US_ASCII));
    }
    return Base64.getEncoder().encodeToString(bytes.toByteArray());
  }

  @Test
  void smallRecordsThatBecomeLargeAreShapedFewAtATime() throws IOException {
    Files.createDirectories(folder.resolve("pipelines"));
    Files.writeString(
        folder.resolve("wexrun.yaml"),
        "workspace: g\nstores: {w: {duckdb: w.db, memory: 200MB}}\n"
            + "tables: {t: {in: w, columns: {n: long, s: long}}}\n");
    Files.writeString(
        folder.resolve("pipelines/p.yaml"),
        """
        pipeline: p
        intake: {files: a.log}
        shape:
          - template: '{n:long} {r}'
          - unwrap: {r: [base64, gzip]}
          - set: {s: size(r)}
          - set: {again: 'r.replace("x", "y")'}
          - keep: [n, s]
        route: [{to: t}]
        """);
    String packed = packed();
    StringBuilder records = new StringBuilder();
    for (int i = 0; i < RECORDS; i++) {
      records.append(i).append(' ').append(packed).append('\n');
    }
    Files.writeString(folder.resolve("a.log"), records);
    Wexrun here = Wexrun.in(folder);
    Wexrun.Result run = here.runChild(List.of("-Xmx160m"), "run", "--once");
    assertThat(run.exit()).as(run.err()).isZero();
    assertThat(here.run("sql", "select count(distinct n), min(s), max(s) from t").out())
        .containsPattern(RECORDS + " +" + BYTES + " +" + BYTES);
  }
}
