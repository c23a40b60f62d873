package io.wexrun.project.ask;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.target.Answer;
import io.wexrun.core.target.Comparing;
import java.io.BufferedOutputStream;
import java.io.DataInputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.net.StandardProtocolFamily;
import java.net.UnixDomainSocketAddress;
import java.nio.channels.Channels;
import java.nio.channels.ClosedChannelException;
import java.nio.channels.ServerSocketChannel;
import java.nio.channels.SocketChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.nio.file.attribute.PosixFilePermissions;
import java.util.Optional;
import java.util.concurrent.ExecutorService;
import java.util.concurrent.Executors;
import java.util.concurrent.atomic.AtomicInteger;
import java.util.stream.Stream;

/**
 * A run that can be asked by other processes of the same user, through a socket in the workspace's
 * data folder. Four are answered at once; others wait.
 */
public final class AskedRun implements AutoCloseable {
  private static final String FOLDER = "ask";
  private static final int AT_ONCE = 4;
  private static final AtomicInteger NEXT = new AtomicInteger();

  /** Answers a question about a store. */
  @FunctionalInterface
  public interface Answering {
    /**
     * Answers.
     *
     * @return empty if the store is not open in this process
     * @throws OutsideException if the store does not take the question
     */
    Optional<Answer> answer(String store, Question question);
  }

  private final Path socket;
  private final ServerSocketChannel server;
  private final Answering answering;
  private final ExecutorService threads =
      Executors.newFixedThreadPool(
          AT_ONCE + 1,
          work -> {
            Thread thread = new Thread(work, "asked");
            thread.setDaemon(true);
            return thread;
          });

  private AskedRun(Path socket, ServerSocketChannel server, Answering answering) {
    this.socket = socket;
    this.server = server;
    this.answering = answering;
  }

  /** The folder of the sockets. */
  static Path folder(Path data) {
    return data.resolve(FOLDER);
  }

  /**
   * Answers how a table stands in a store that is open.
   *
   * @param table its definition
   */
  public static Answer answer(Comparing store, Table table) {
    return AskedTable.of(store, table).answer();
  }

  /**
   * Begins to answer.
   *
   * @param data the workspace's data folder
   * @throws OutsideException if there cannot be a socket in it
   */
  public static AskedRun start(Path data, Answering answering) {
    Path folder = folder(data);
    Path socket = folder.resolve(ProcessHandle.current().pid() + "-" + NEXT.incrementAndGet());
    try {
      Files.createDirectories(folder);
      if (folder.getFileSystem().supportedFileAttributeViews().contains("posix")) {
        Files.setPosixFilePermissions(folder, PosixFilePermissions.fromString("rwx------"));
      }
      removeLeft(folder);
      ServerSocketChannel server = ServerSocketChannel.open(StandardProtocolFamily.UNIX);
      server.bind(UnixDomainSocketAddress.of(socket));
      AskedRun asked = new AskedRun(socket, server, answering);
      asked.threads.execute(asked::accept);
      return asked;
    } catch (IOException | UnsupportedOperationException e) {
      throw new OutsideException(
          "stores cannot be asked while this runs: no socket " + socket + ": " + e.getMessage(), e);
    }
  }

  /** Sockets of runs that were killed. */
  private static void removeLeft(Path folder) throws IOException {
    try (Stream<Path> sockets = Files.list(folder)) {
      for (Path each : sockets.toList()) {
        String pid = each.getFileName().toString().replaceFirst("-.*", "");
        if (pid.matches("[0-9]{1,18}") && ProcessHandle.of(Long.parseLong(pid)).isEmpty()) {
          Files.deleteIfExists(each);
        }
      }
    }
  }

  private void accept() {
    while (true) {
      try {
        SocketChannel client = server.accept();
        threads.execute(() -> serve(client));
      } catch (ClosedChannelException e) {
        return;
      } catch (IOException e) {
        System.getLogger(AskedRun.class.getName())
            .log(System.Logger.Level.WARNING, "nobody can ask any more", e);
        return;
      }
    }
  }

  /** Who goes away before the answer has only themselves to tell. */
  private void serve(SocketChannel client) {
    try (client;
        DataInputStream in = new DataInputStream(Channels.newInputStream(client));
        DataOutputStream out =
            new DataOutputStream(new BufferedOutputStream(Channels.newOutputStream(client)))) {
      String store = Wire.text(in);
      Question.Kind kind = Question.Kind.valueOf(Wire.text(in));
      reply(out, store, new Question(kind, Wire.text(in)));
    } catch (IOException e) {
      System.getLogger(AskedRun.class.getName())
          .log(System.Logger.Level.DEBUG, "a question was not answered", e);
    }
  }

  private void reply(DataOutputStream out, String store, Question question) throws IOException {
    try {
      Optional<Answer> answer = answering.answer(store, question);
      out.writeByte(answer.isPresent() ? Wire.ANSWER : Wire.NOT_OPEN);
      if (answer.isPresent()) {
        Wire.answer(out, answer.get());
      }
    } catch (RuntimeException e) {
      out.writeByte(Wire.FAILURE);
      Wire.text(out, String.valueOf(e.getMessage()));
    }
  }

  @Override
  public void close() {
    try {
      server.close();
      Files.deleteIfExists(socket);
    } catch (IOException e) {
      throw new OutsideException("cannot close " + socket + ": " + e.getMessage(), e);
    } finally {
      threads.shutdownNow();
    }
  }
}
