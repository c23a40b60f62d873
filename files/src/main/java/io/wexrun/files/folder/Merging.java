package io.wexrun.files.folder;

import io.wexrun.core.connect.FileFormat;
import io.wexrun.core.diagnose.Counted;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.identity.Identity;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Filing;
import java.io.IOException;
import java.nio.channels.FileChannel;
import java.nio.channels.FileLock;
import java.nio.channels.OverlappingFileLockException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.StandardOpenOption;
import java.util.ArrayList;
import java.util.HashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeMap;
import java.util.function.Consumer;
import java.util.regex.Matcher;
import java.util.regex.Pattern;
import java.util.stream.Stream;

/**
 * Merges small files, a folder at a time: the merged files are written into a staged folder, links
 * to the folder's other files are put beside them, the log says what stands for what, and the two
 * folders are exchanged in one step.
 */
final class Merging {
  private static final String LOCK = "merging";

  private static final Pattern NAME = Pattern.compile("(.*)-[0-9a-f]{8}\\..*");

  private final FolderStore store;
  private final TableFolder folder;
  private final Table table;
  private final long most;

  Merging(FolderStore store, TableFolder folder, Table table, long most) {
    this.store = store;
    this.folder = folder;
    this.table = table;
    this.most = most;
  }

  /** Files that become one. */
  private record Group(List<String> from, String to) {}

  void run(Consumer<Filing.Merged> told) throws IOException {
    content();
    Path lock = folder.path().resolve(FolderStore.OWN).resolve(LOCK);
    try (FileChannel channel =
            FileChannel.open(lock, StandardOpenOption.CREATE, StandardOpenOption.WRITE);
        FileLock held = channel.tryLock()) {
      if (held == null) {
        throw alreadyMerging();
      }
      mergeAll(told);
    } catch (OverlappingFileLockException e) {
      throw alreadyMerging();
    }
  }

  private OutsideException alreadyMerging() {
    return OutsideException.lasting(
        "files of table " + table.name() + " in " + store + " are being merged already");
  }

  /** What a failure leaves is put in order by who opens the table or merges next. */
  private void mergeAll(Consumer<Filing.Merged> told) throws IOException {
    Content content = folder.log().alone(this::begin);
    Map<String, TreeMap<String, Long>> folders = new TreeMap<>();
    for (String name : content.files()) {
      Path file = folder.path().resolve(name);
      if (Files.exists(file)) {
        int slash = name.lastIndexOf('/');
        folders
            .computeIfAbsent(name.substring(0, Math.max(slash, 0)), f -> new TreeMap<>())
            .put(name.substring(slash + 1), Files.size(file));
      }
    }
    Table whole = table.wider(content.schema());
    for (Map.Entry<String, TreeMap<String, Long>> each : folders.entrySet()) {
      List<Group> groups = groups(each.getValue());
      if (!groups.isEmpty() && !each.getKey().isEmpty()) {
        told.accept(merge(whole, each.getKey(), each.getValue(), groups));
      }
    }
    folder.log().alone(this::sumUp);
  }

  /** Puts in order what a crash has left, and tries whether folders can be exchanged here. */
  private Content begin() throws IOException {
    Content content = content();
    folder.settle(content);
    TableFolder.remove(folder.merging());
    Files.createDirectories(folder.merging());
    CommitLog.force(folder.merging().getParent());
    Path one = Files.createDirectory(folder.merging().resolve("one"));
    Path other = Files.createDirectory(folder.merging().resolve("other"));
    try {
      Exchange.of(one, other);
    } finally {
      Files.delete(one);
      Files.delete(other);
    }
    return content;
  }

  private Content content() throws IOException {
    return folder.log().read().orElseThrow(() -> store.gone(table.name()));
  }

  private Void sumUp() throws IOException {
    Content content = content();
    for (Path each : folder.settle(content)) {
      if (Files.exists(each)) {
        CommitLog.force(each);
      }
    }
    Map<String, WrittenFile> there = content.written();
    there.keySet().removeIf(name -> !Files.exists(folder.path().resolve(name)));
    folder.log().sumUp(content, there.values());
    return null;
  }

  /** Neighbours that are small, as many as become one file that is not too long. */
  private List<Group> groups(TreeMap<String, Long> files) {
    FileFormat format = store.writing().format();
    List<Group> groups = new ArrayList<>();
    List<String> group = new ArrayList<>();
    long bytes = 0;
    for (Map.Entry<String, Long> file : files.entrySet()) {
      if (!format.owns(file.getKey()) || file.getValue() >= most) {
        continue;
      }
      if (bytes + file.getValue() > most) {
        add(groups, group);
        bytes = 0;
      }
      group.add(file.getKey());
      bytes += file.getValue();
    }
    add(groups, group);
    return groups;
  }

  private void add(List<Group> groups, List<String> group) {
    if (group.size() > 1) {
      Matcher first = NAME.matcher(group.get(0));
      String begin = first.matches() ? first.group(1) : store.writing().prefix();
      groups.add(new Group(List.copyOf(group), store.writing().name(begin)));
    }
    group.clear();
  }

  private Filing.Merged merge(Table whole, String name, Map<String, Long> sizes, List<Group> groups)
      throws IOException {
    String stagedName = Identity.fresh().text();
    Path staged = Files.createDirectory(folder.merging().resolve(stagedName));
    Map<String, WrittenFile> known = content().written();
    List<WrittenFile> from = new ArrayList<>();
    List<WrittenFile> to = new ArrayList<>();
    long rows = 0;
    long after = 0;
    for (Group group : groups) {
      List<Path> files =
          group.from().stream().map(f -> folder.path().resolve(name).resolve(f)).toList();
      FolderStore.Writing how = store.writing();
      Path merged = staged.resolve(group.to());
      rows += how.format().merge(files, merged, whole, how.form(), store.keys());
      CommitLog.force(merged);
      after += Files.size(merged);
      for (String each : group.from()) {
        from.add(known.get(name + "/" + each).as(each));
      }
      to.add(WrittenFile.of(group.to(), merged));
    }
    Content.Exchanged exchanged = new Content.Exchanged(name, stagedName, from, to);
    Optional<String> left = folder.log().alone(() -> exchange(staged, exchanged));
    if (left.isPresent()) {
      TableFolder.remove(staged);
    }
    long before = from.stream().map(WrittenFile::name).mapToLong(sizes::get).sum();
    return new Filing.Merged(name, from.size(), to.size(), rows, before, after, left);
  }

  /** Why it was not done; empty if it was. Called alone. */
  private Optional<String> exchange(Path staged, Content.Exchanged exchanged) throws IOException {
    Content content = content();
    folder.settle(content);
    Path now = folder.path().resolve(exchanged.folder());
    if (!Files.isDirectory(now)) {
      return Optional.of("it went away while its files were merged");
    }
    if (isElsewhere(now)) {
      return Optional.of("it is a link, or on another disk than the store's folder");
    }
    Set<String> known = content.files();
    Set<String> missing = new HashSet<>();
    exchanged.from().forEach(file -> missing.add(file.name()));
    List<Path> others = new ArrayList<>();
    try (Stream<Path> files = Files.list(now)) {
      for (Path file : files.toList()) {
        if (Files.isDirectory(file)) {
          return Optional.of("there is a folder in it, " + file.getFileName());
        }
        String name = file.getFileName().toString();
        if (!missing.remove(name) || !known.contains(exchanged.folder() + "/" + name)) {
          others.add(file);
        }
      }
    }
    if (!missing.isEmpty()) {
      return Optional.of(
          Counted.of(missing.size(), "file") + " of it went away while they were merged");
    }
    for (Path file : others) {
      Files.createLink(staged.resolve(file.getFileName()), file);
    }
    CommitLog.force(staged);
    CommitLog.force(folder.merging());
    folder.log().append(content, exchanged);
    try {
      folder.finish(exchanged);
    } catch (IOException | OutsideException e) {
      if (folder.isAhead(exchanged)) {
        folder.log().append(content(), exchanged.undone()); // Or nobody could open the table.
        TableFolder.remove(staged);
      }
      throw e;
    }
    return Optional.empty();
  }

  /** Only folders of one disk can be exchanged; of a link only the link would be. */
  private boolean isElsewhere(Path now) throws IOException {
    Path expected = folder.path().toRealPath().resolve(folder.path().relativize(now));
    return !now.toRealPath().equals(expected)
        || !Files.getFileStore(now).equals(Files.getFileStore(folder.merging()));
  }
}
