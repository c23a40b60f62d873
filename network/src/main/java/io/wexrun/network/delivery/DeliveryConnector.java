package io.wexrun.network.delivery;

import io.wexrun.core.connect.Site;
import io.wexrun.core.connect.StoreConnector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.secret.Secret;
import io.wexrun.core.target.Store;
import io.wexrun.core.written.Form;
import io.wexrun.network.door.Address;
import java.net.URI;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import java.util.Optional;

/**
 * {@code stores: {office: {http: 'https://HOST/{table}', body: ndjson, login: {token:
 * '${env:OFFICE}'}}}}: rows of its tables are posted there.
 */
public final class DeliveryConnector implements StoreConnector {
  private static final String FOLDER = "deliveries";
  private static final String IN = "in";

  @Override
  public String kind() {
    return DeliverySettings.KIND;
  }

  @Override
  public List<String> keys() {
    return List.copyOf(DeliverySettings.forms().keySet());
  }

  @Override
  public Form form() {
    return Form.keys(DeliverySettings.forms(), kind());
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    DeliverySettings read =
        DeliverySettings.read(
            settings,
            path,
            (at, what, hint) -> diagnostics.error("bad-value", at, what, Optional.of(hint)));
    read.login().ifPresent(login -> checkLogin(login, site, path.key("login"), diagnostics));
    read.headers()
        .forEach((name, value) -> missing(value, site, path.key("headers").key(name), diagnostics));
    read.tls().ifPresent(tls -> checkTls(tls, site, path.key("tls"), diagnostics));
    if (diagnostics.errors() == 0
        && read.address().startsWith("http:")
        && read.login().isPresent()
        && !isHere(read.address())) {
      diagnostics.warning(
          "plain-login",
          path.key(kind()),
          "the login can be read by whoever is on the way to " + read.address(),
          Optional.of("use https"));
    }
  }

  private static boolean isHere(String address) {
    String host = URI.create(address.replace("{table}", "t")).getHost();
    return Address.read(host + ":1").map(Address::isLoopback).orElse(false);
  }

  private static void checkLogin(
      DeliverySettings.Login login, Site site, KeyPath path, Diagnostics diagnostics) {
    login
        .values()
        .forEach(
            (key, value) -> {
              missing(value, site, path.key(key), diagnostics);
              boolean secret = List.of("token", "password", "secret", "value").contains(key);
              if (secret && !Secret.isElsewhere(value)) {
                diagnostics.warning(
                    "secret-in-file",
                    path.key(key),
                    "whoever reads this file knows the " + key,
                    Optional.of("write ${env:NAME}, ${file:NAME} or ${command:LINE}"));
              }
            });
  }

  private static void missing(String value, Site site, KeyPath path, Diagnostics diagnostics) {
    Secret.missing(value, site.folder())
        .ifPresent(
            what ->
                diagnostics.error(
                    "missing-secret",
                    path,
                    what,
                    Optional.of("it must be there where wexrun is started")));
  }

  private static void checkTls(
      DeliverySettings.Tls tls, Site site, KeyPath path, Diagnostics diagnostics) {
    Map<String, Optional<String>> files =
        Map.of(
            "authorities", tls.authorities(), "certificate", tls.certificate(), "key", tls.key());
    files.forEach(
        (key, file) ->
            file.filter(name -> !Files.isReadable(site.folder().resolve(name)))
                .ifPresent(
                    name ->
                        diagnostics.error(
                            "missing-file",
                            path.key(key),
                            "there is no file " + name + " that can be read",
                            Optional.of("it is a PEM file"))));
  }

  @Override
  public void check(Table table, Settings settings, KeyPath path, Diagnostics diagnostics) {
    if (table.rollup().isPresent()) {
      diagnostics.error(
          "bad-group",
          path.key("group"),
          "rows that were delivered cannot be added to",
          Optional.of("group in a database or a folder"));
    } else if (!table.key().isEmpty()) {
      diagnostics.error(
          "bad-key",
          path.key("key"),
          "rows that were delivered cannot be taken back",
          Optional.of("remove the key"));
    }
    DeliverySettings read = DeliverySettings.read(settings, path, (at, what, hint) -> {});
    List<String> columns = table.schema().columns().stream().map(c -> c.name()).toList();
    for (String name : read.row().map(Template::names).orElse(java.util.Set.of())) {
      if (!columns.contains(name) && !name.equals(Body.ROW)) {
        diagnostics.error(
            "unknown-column",
            path.key(IN),
            "the store's rows have a place for '" + name + "', and the table no such column",
            Diagnostics.nearestOrKnown(name, columns, known -> "the columns are " + known));
      }
    }
  }

  @Override
  public boolean answersQueries() {
    return false;
  }

  @Override
  public boolean resends() {
    return true;
  }

  private static Path data(String name, Site site) {
    return site.data().resolve(FOLDER).resolve(Ledger.named(name));
  }

  @Override
  public boolean exists(Settings settings, Site site) {
    return true; // Nothing has to be made; whether it can be reached is seen when it is used.
  }

  @Override
  public Store open(String name, Settings settings, Site site) {
    DeliverySettings read =
        DeliverySettings.read(
            settings,
            KeyPath.ROOT,
            (at, what, hint) -> {
              throw OutsideException.lasting(
                  "store " + name + " has mistakes: 'wexrun check' says which");
            });
    return new DeliveryStore(name, read, data(name, site), site.folder());
  }
}
