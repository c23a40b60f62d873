package io.wexrun.network.door;

import io.wexrun.core.connect.IntakeConnector;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.framing.Framings;
import io.wexrun.core.framing.Lines;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.Receiving;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.written.Form;
import io.wexrun.queue.Queue;
import io.wexrun.queue.ends.QueueIntake;
import io.wexrun.queue.ends.Queues;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.OptionalLong;
import java.util.function.Consumer;
import java.util.stream.IntStream;

/**
 * What intakes have in common that receive: the queue to which they append, and from which the
 * pipeline takes.
 *
 * <pre>{@code
 * queue: NAME            one of the workspace's; without it, the pipeline has one of its own
 * behind: RECORDS        nothing is taken while more are not read yet
 * tls: {certificate: FILE, key: FILE, clients: FILE}
 * framing: see Framings
 * }</pre>
 */
public abstract class Reception implements IntakeConnector {
  protected static final String FRAMING = "framing";
  protected static final String PEER = "peer";
  private static final String BEHIND = "behind";
  private static final String TLS = "tls";
  private static final String CERTIFICATE = "certificate";
  private static final String KEY = "key";
  private static final String CLIENTS = "clients";
  private static final List<String> PEM = List.of(CERTIFICATE, KEY, CLIENTS);

  private final String kind;

  protected Reception(String kind) {
    this.kind = kind;
  }

  @Override
  public String kind() {
    return kind;
  }

  /** The keys that are not those of all receptions. */
  protected abstract Map<String, Form> own();

  /** Whether others than programs of this machine may come in, and how. */
  protected boolean encrypts() {
    return true;
  }

  private Map<String, Form> forms() {
    Map<String, Form> forms = new LinkedHashMap<>(own());
    forms.put(
        Settings.QUEUE, Form.text().about("the queue that is appended to; the pipeline's own"));
    forms.put(BEHIND, Form.text().about("nothing is taken while so many records are not read yet"));
    if (encrypts()) {
      forms.put(
          TLS,
          Form.keys(
                  Form.with(CERTIFICATE, Form.text(), KEY, Form.text(), CLIENTS, Form.text()),
                  CERTIFICATE,
                  KEY)
              .about("PEM files; with clients, clients need a certificate signed by one of them"));
    }
    forms.put("longest", Form.text());
    forms.put("blank", Form.text());
    return forms;
  }

  @Override
  public Form form() {
    return Form.keys(forms(), kind);
  }

  @Override
  public List<String> keys() {
    return List.copyOf(forms().keySet());
  }

  @Override
  public boolean receives() {
    return true;
  }

  @Override
  public Optional<String> reads(Settings settings) {
    return settings.text(Settings.QUEUE);
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    settings.text(Settings.QUEUE).ifPresent(name -> checkQueue(name, site, path, diagnostics));
    if (settings.values().containsKey(BEHIND) && behind(settings).isEmpty()) {
      bad(path.key(BEHIND), settings.text(BEHIND).orElse(""), "a number of records", diagnostics);
    }
    if (own().containsKey(FRAMING)) {
      try {
        Framings.read(settings.values().get(FRAMING));
      } catch (IllegalArgumentException e) {
        diagnostics.error("bad-value", path.key(FRAMING), e.getMessage(), Optional.empty());
      }
    }
    if (encrypts() && settings.values().containsKey(TLS)) {
      checkTls(settings, site, path.key(TLS), diagnostics);
    }
  }

  private static void checkQueue(String name, Site site, KeyPath path, Diagnostics diagnostics) {
    List<String> queues =
        site.targets().entrySet().stream()
            .filter(target -> target.getValue().kind().equals(Settings.QUEUE))
            .map(Map.Entry::getKey)
            .toList();
    if (!name.startsWith(Queues.RECEIVED) && !queues.contains(name)) {
      diagnostics.error(
          "unknown-queue",
          path.key(Settings.QUEUE),
          "there is no queue '" + name + "'",
          Diagnostics.nearestOrKnown(name, queues, known -> "there are " + known));
    }
  }

  private void checkTls(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    if (!(settings.values().get(TLS) instanceof Map<?, ?> written)) {
      diagnostics.error(
          "bad-value",
          path,
          "tls has a certificate and its key",
          Optional.of("such as {certificate: door.pem, key: door-key.pem}"));
      return;
    }
    for (Object key : written.keySet()) {
      if (!PEM.contains(String.valueOf(key))) {
        diagnostics.error(
            "unknown-key",
            path.key(String.valueOf(key)),
            "tls has no '" + key + "'",
            Diagnostics.nearest(String.valueOf(key), PEM));
      }
    }
    for (String needed : List.of(CERTIFICATE, KEY)) {
      if (written.get(needed) == null) {
        diagnostics.error(
            "missing-key", path, "tls needs '" + needed + "', a PEM file", Optional.empty());
      }
    }
    if (diagnostics.errors() == 0) {
      try {
        certificates(settings, site, false, notice -> {});
      } catch (OutsideException e) {
        diagnostics.error("bad-certificate", path, e.getMessage(), Optional.empty());
      }
    }
  }

  /** Tells that a value is not what it should be. */
  protected static void bad(KeyPath path, String value, String expected, Diagnostics diagnostics) {
    diagnostics.error("bad-value", path, "'" + value + "' is not " + expected, Optional.empty());
  }

  /**
   * Checks an address, and warns of one that anybody reaches.
   *
   * @param guarded whether only who is known may send
   */
  protected static void checkAddress(
      String written, boolean guarded, boolean encrypted, KeyPath path, Diagnostics diagnostics) {
    Optional<Address> address = Address.read(written);
    if (address.isEmpty()) {
      diagnostics.error(
          "bad-address",
          path,
          "'" + written + "' is not an address to listen at",
          Optional.of(
              "write a port for programs of this machine, or HOST:PORT; *:PORT is for all"));
    } else if (!address.get().isLoopback() && !guarded) {
      diagnostics.warning(
          "open-door",
          path,
          "whoever reaches " + address.get() + " may send records",
          Optional.of("listen at 127.0.0.1, or let in only who is known (docs/security.md)"));
    } else if (!address.get().isLoopback() && !encrypted) {
      diagnostics.warning(
          "open-door",
          path,
          "tokens and records can be read on their way to " + address.get(),
          Optional.of("give it tls, or listen at 127.0.0.1"));
    }
  }

  /** The certificate of settings that were checked; empty without tls. */
  protected static Optional<Certificates> certificates(
      Settings settings, Site site, boolean http2, Consumer<String> notices) {
    if (!(settings.values().get(TLS) instanceof Map<?, ?> pem)) {
      return Optional.empty();
    }
    Path folder = site.folder();
    Certificates.PemFiles files =
        new Certificates.PemFiles(
            folder.resolve(String.valueOf(pem.get(CERTIFICATE))),
            folder.resolve(String.valueOf(pem.get(KEY))),
            Optional.ofNullable(pem.get(CLIENTS)).map(file -> folder.resolve(file + "")));
    List<Path> all = new ArrayList<>(List.of(files.certificate(), files.key()));
    files.clients().ifPresent(all::add);
    for (Path file : all) {
      if (!Files.isReadable(file)) {
        throw new OutsideException("there is no file " + file + " that can be read");
      }
    }
    return Optional.of(new Certificates(files, http2, notices));
  }

  /** Whether settings say how connections are encrypted. */
  protected static boolean encrypted(Settings settings) {
    return settings.values().get(TLS) instanceof Map;
  }

  /** Whether clients need a certificate. */
  protected static boolean knowsClients(Settings settings) {
    return settings.values().get(TLS) instanceof Map<?, ?> pem && pem.get(CLIENTS) != null;
  }

  /** The framing of settings that were checked. */
  protected static Framing framing(Settings settings) {
    return settings.values().containsKey(FRAMING)
        ? Framings.read(settings.values().get(FRAMING))
        : Lines.FRAMING;
  }

  /** A setting that is true or false. */
  protected static boolean flag(Settings settings, String key) {
    return settings.text(key).orElse("").equals("true");
  }

  /** How many bytes a record may have before it is cut. */
  protected static int longest(Settings settings) {
    long written = settings.text("longest").flatMap(Sizes::bytes).orElse(256L << 10);
    return (int) Math.min(8 << 20, Math.max(64 << 10, written + 1));
  }

  private static OptionalLong behind(Settings settings) {
    String written = settings.text(BEHIND).orElse("").replace("_", "");
    return written.matches("[1-9][0-9]{0,17}")
        ? OptionalLong.of(Long.parseLong(written))
        : OptionalLong.empty();
  }

  /**
   * Opens what senders come in by.
   *
   * @param queue what they append to
   */
  protected abstract Entrance enter(IntakeOpening opening, Queue queue, Inbox inbox);

  /** What senders come in by; nobody does after it is closed. */
  public interface Entrance extends AutoCloseable {
    /** Whether nobody is coming any more. */
    default boolean ended() {
      return false;
    }

    /** Why nobody can come any more, though more should; empty if that is not so. */
    default Optional<String> failure() {
      return Optional.empty();
    }

    @Override
    void close();
  }

  /** Whether it is opened in a run that ends when everything is taken. */
  protected boolean ends() {
    return false;
  }

  @Override
  public Intake open(IntakeOpening opening) {
    Settings settings = opening.settings();
    String name = reads(settings).orElseThrow();
    Receiving receiving = opening.receiving();
    if (receiving == Receiving.NOTHING) {
      return new QueueIntake(
          Queues.of(opening.site()).shared(name),
          false,
          opening.known(),
          opening.notices(),
          opening.fed(),
          () -> {});
    }
    Queue queue = Queues.of(opening.site()).open(name);
    ReceivedIntake intake =
        new ReceivedIntake(
            queue,
            fed ->
                new QueueIntake(
                    queue,
                    false,
                    opening.known(),
                    opening.notices(),
                    () -> fed.getAsBoolean() && opening.fed().getAsBoolean(),
                    () -> {}));
    if (receiving == Receiving.ALWAYS || receiving == Receiving.TO_THE_END && ends()) {
      Inbox inbox = new Inbox(queue, intake::behind, behind(settings).orElse(Long.MAX_VALUE));
      try {
        intake.enter(inbox, enter(opening, queue, inbox));
      } catch (RuntimeException e) {
        inbox.close();
        throw e;
      }
    }
    return intake;
  }

  private static boolean isEmpty(Queue queue) {
    return IntStream.range(0, queue.partitions()).allMatch(p -> queue.recordsFrom(p, 0) == 0);
  }

  @Override
  public Intake peek(Settings settings, Site site) {
    Optional<Queue> there = Queues.of(site).openToRead(reads(settings).orElseThrow());
    if (there.isPresent() && isEmpty(there.get())) {
      there.get().close();
      there = Optional.empty();
    }
    Queue queue =
        there.orElseThrow(
            () ->
                new OutsideException(
                    "nothing has been received yet: name a file to try, or run it"));
    return new QueueIntake(queue, false, () -> true, queue::close);
  }
}
