package io.wexrun.project;

import java.io.IOException;
import java.io.UncheckedIOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;

/** The folder of a workspace in a test. */
record Folder(Path path) {
  static final String WORKSPACE =
      """
      workspace: ostrel-trams
      stores:
        warehouse: {duckdb: warehouse.db}
      queues:
        gate-events: {partitions: 4}
      tables:
        scans:
          in: warehouse
          columns:
            card: text required
            ms: int default 0
        faults:
          in: warehouse
          columns: {card: text, note: text}
      """;
  static final String PIPELINES =
      """
      pipeline: gate-intake
      about: Files into the queue
      intake: {files: 'in/*.log', longest: 1KB}
      route:
        - to: gate-events
          key: 'card=(\\S+)'
      ---
      pipeline: gate-load
      intake: {queue: gate-events, start: oldest}
      shape:
        - template: '{event} card={card} ms={ms:int?} "{note}"'
        - require: card
        - set: {ms: ms + 1, note: note.trim()}
      route:
        - when: event == "scan"
          to: scans
        - when: event == "fault" || ms > 900
          to: [faults, scans]
        - otherwise: drop
      flush: {rows: 1000, size: 1MB, age: 10s}
      """;

  static Folder of(Path path) {
    Folder folder = new Folder(path);
    folder.write("wexrun.yaml", WORKSPACE);
    folder.write("pipelines/gates.yaml", PIPELINES);
    folder.write("in/empty.log", "");
    return folder;
  }

  Folder write(String name, String text) {
    try {
      Files.createDirectories(path.resolve(name).getParent());
      Files.writeString(path.resolve(name), text);
      return this;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }

  Folder append(String name, String text) {
    try {
      Files.writeString(
          path.resolve(name), text, StandardOpenOption.CREATE, StandardOpenOption.APPEND);
      return this;
    } catch (IOException e) {
      throw new UncheckedIOException(e);
    }
  }
}
