package io.wexrun.network.http;

import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.Refusals;
import io.wexrun.core.connect.Site;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Sizes;
import io.wexrun.core.written.Form;
import io.wexrun.network.access.Tokens;
import io.wexrun.network.door.Address;
import io.wexrun.network.door.Certificates;
import io.wexrun.network.door.Doors;
import io.wexrun.network.door.Reception;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;

/**
 * What intakes have in common to which requests of HTTP come.
 *
 * <pre>{@code
 * most: SIZE             of a body, also unpacked
 * access: token | open
 * origins: [ORIGIN, ...] of pages that may send in a browser
 * }</pre>
 */
public abstract class HttpReceiving extends Reception {
  private static final String MOST = "most";
  private static final String ACCESS = "access";
  private static final String TOKEN = "token";
  private static final String OPEN = "open";
  private static final String ORIGINS = "origins";
  private static final long MOST_BYTES = 16L << 20;
  private static final long MOST_MOST = 256L << 20;

  protected HttpReceiving(String kind) {
    super(kind);
  }

  /** The forms of the keys that all have. */
  protected static Map<String, Form> common() {
    return Form.with(
        MOST,
        Form.text().about("how large a body may be, also unpacked; 16MB"),
        ACCESS,
        Form.word(TOKEN, OPEN),
        ORIGINS,
        Form.list(Form.text())
            .about("sites whose pages may send, such as https://ostrel.example; without it none"));
  }

  /** The address in settings. */
  protected String address(Settings settings) {
    return settings.main();
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    super.check(settings, site, path, diagnostics);
    String access = settings.text(ACCESS).orElse("");
    boolean open = access.equals(OPEN);
    if (!access.isEmpty() && !open && !access.equals(TOKEN)) {
      bad(path.key(ACCESS), access, "token or open", diagnostics);
    }
    boolean guarded = !open || knowsClients(settings);
    checkAddress(address(settings), guarded, encrypted(settings), path.key(kind()), diagnostics);
    if (settings.values().containsKey(MOST)
        && settings
            .text(MOST)
            .flatMap(Sizes::bytes)
            .filter(n -> n > 0 && n <= MOST_MOST)
            .isEmpty()) {
      bad(path.key(MOST), settings.text(MOST).orElse(""), "a size up to 256MB", diagnostics);
    }
  }

  /** How many bytes a body may have. */
  protected static int most(Settings settings) {
    return Math.toIntExact(settings.text(MOST).flatMap(Sizes::bytes).orElse(MOST_BYTES));
  }

  /** The origins of other sites whose pages may send something. */
  private static Set<String> origins(Settings settings) {
    Object written = settings.values().get(ORIGINS);
    return written instanceof List<?> list
        ? list.stream().map(String::valueOf).collect(Collectors.toSet())
        : settings.text(ORIGINS).map(Set::of).orElse(Set.of());
  }

  /** Who may come in. */
  protected Guard guard(IntakeOpening opening, String queue) {
    Settings settings = opening.settings();
    Address address = Address.read(address(settings)).orElseThrow();
    boolean token = settings.text(ACCESS).map(TOKEN::equals).orElse(!address.isLoopback());
    return new Guard(
        token ? Optional.of(new Tokens(opening.site().data())) : Optional.empty(),
        queue,
        opening.notices(),
        origins(settings));
  }

  /** Serves paths at the address of settings. */
  protected Entrance serve(IntakeOpening opening, List<Route> routes) {
    Settings settings = opening.settings();
    Address address = Address.read(address(settings)).orElseThrow();
    Doors doors = Doors.of(opening.site());
    // Two that want it encrypted in different ways cannot share it.
    String door = "http " + address + " " + settings.values().get("tls");
    HttpServer server =
        doors.use(
            door,
            () -> {
              Optional<Certificates> certificates =
                  certificates(settings, opening.site(), true, opening.notices());
              return new HttpServer(doors, address, certificates, Refusals.of(opening.site()));
            });
    routes.forEach(server::add);
    String at =
        (encrypted(settings) ? "https://" : "http://") + address.host() + ":" + server.port();
    String paths = routes.stream().map(Route::path).collect(Collectors.joining(" and "));
    opening.notices().accept("listening at " + at + paths);
    return () -> {
      routes.forEach(Route::stop);
      doors.letGo(door);
    };
  }
}
