package io.wexrun.project.ask;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.target.Answer;
import java.io.DataInputStream;
import java.io.DataOutputStream;
import java.io.IOException;
import java.net.StandardProtocolFamily;
import java.net.UnixDomainSocketAddress;
import java.nio.channels.Channels;
import java.nio.channels.SocketChannel;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Optional;
import java.util.stream.Stream;

/** Asks the runs of a workspace about stores that they hold. */
public final class Asking {
  private Asking() {}

  /**
   * Asks every run there is, until one has the store open.
   *
   * @param data the workspace's data folder
   * @return empty if none has
   * @throws OutsideException with the store's message if it does not take the question
   */
  public static Optional<Answer> ask(Path data, String store, Question question) {
    return sockets(data).stream()
        .flatMap(socket -> askOne(socket, store, question).stream())
        .findFirst();
  }

  /**
   * Asks every run there is something that is of the run itself.
   *
   * @param data the workspace's data folder
   * @return what those answered whom it concerns
   * @throws OutsideException if one cannot do what it is asked to
   */
  public static List<Answer> askAll(Path data, Question question) {
    return sockets(data).stream().flatMap(socket -> askOne(socket, "", question).stream()).toList();
  }

  /** Whether a run of the workspace can be asked now. */
  public static boolean isAnyThere(Path data) {
    return !askAll(data, new Question(Question.Kind.STATUS, "")).isEmpty();
  }

  private static List<Path> sockets(Path data) {
    Path folder = AskedRun.folder(data);
    if (!Files.isDirectory(folder)) {
      return List.of();
    }
    try (Stream<Path> files = Files.list(folder)) {
      return files.sorted().toList();
    } catch (IOException e) {
      throw new OutsideException("cannot look into " + folder + ": " + e.getMessage(), e);
    }
  }

  /**
   * Asks how a table stands.
   *
   * @param definition the table's
   * @return empty if no run has the store open
   */
  public static Optional<AskedTable> table(Path data, String store, String definition) {
    return ask(data, store, new Question(Question.Kind.TABLE, definition)).map(AskedTable::of);
  }

  private static Optional<Answer> askOne(Path socket, String store, Question question) {
    SocketChannel channel;
    try {
      channel = SocketChannel.open(StandardProtocolFamily.UNIX);
      channel.connect(UnixDomainSocketAddress.of(socket));
    } catch (IOException | UnsupportedOperationException e) {
      return Optional.empty(); // Nobody is there any more: a run that was killed leaves its socket.
    }
    try (channel;
        DataOutputStream out = new DataOutputStream(Channels.newOutputStream(channel));
        DataInputStream in = new DataInputStream(Channels.newInputStream(channel))) {
      Wire.text(out, store);
      Wire.text(out, question.kind().name());
      Wire.text(out, question.text());
      out.flush();
      byte reply = in.readByte();
      if (reply == Wire.FAILURE) {
        throw new OutsideException(Wire.text(in));
      }
      return reply == Wire.ANSWER ? Optional.of(Wire.answer(in)) : Optional.empty();
    } catch (IOException e) {
      throw new OutsideException("the run that was asked ended meanwhile; ask again", e);
    }
  }
}
