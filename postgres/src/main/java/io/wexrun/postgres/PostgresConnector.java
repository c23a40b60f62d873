package io.wexrun.postgres;

import io.wexrun.core.connect.Site;
import io.wexrun.core.connect.StoreConnector;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.secret.Secret;
import io.wexrun.core.target.Store;
import java.util.List;
import java.util.Optional;
import java.util.Properties;
import org.postgresql.Driver;

/**
 * {@code stores: {warehouse: {postgres: 'jdbc:postgresql://HOST/DATABASE', user: NAME, password:
 * '${env:VARIABLE}', schema: NAME}}}. What the driver takes beside that, such as {@code sslmode},
 * goes into the URL.
 */
public final class PostgresConnector implements StoreConnector {
  private static final String URL = "postgres";
  private static final String USER = "user";
  private static final String PASSWORD = "password";
  private static final String SCHEMA = "schema";

  @Override
  public String kind() {
    return URL;
  }

  @Override
  public List<String> keys() {
    return List.of(URL, USER, PASSWORD, SCHEMA);
  }

  @Override
  public void check(Settings settings, Site site, KeyPath path, Diagnostics diagnostics) {
    if (Driver.parseURL(settings.main(), new Properties()) == null) {
      diagnostics.error(
          "bad-value",
          path.key(URL),
          "'" + PostgresStore.shown(settings.main()) + "' is not a URL of a PostgreSQL database",
          Optional.of("write it like jdbc:postgresql://localhost:5432/tram"));
    }
    for (String key : List.of(URL, USER, PASSWORD)) {
      settings
          .text(key)
          .flatMap(written -> Secret.missing(written, site.folder()))
          .ifPresent(
              missing ->
                  diagnostics.error(
                      "missing-secret",
                      path.key(key),
                      missing,
                      Optional.of("it must be there where wexrun is started")));
    }
  }

  /** A database is there before Wexrun comes; whether it can be reached is seen when it is used. */
  @Override
  public boolean addsColumns() {
    return true;
  }

  @Override
  public boolean swaps() {
    return true;
  }

  @Override
  public boolean exists(Settings settings, Site site) {
    return true;
  }

  @Override
  public Optional<String> setup(
      String store, Settings settings, List<Table> tables, Optional<String> role) {
    String user =
        role.or(() -> settings.text(USER).filter(written -> !Secret.isElsewhere(written)))
            .orElse("loader");
    return Optional.of(Rights.script(store, settings.text(SCHEMA), tables, user));
  }

  @Override
  public Store open(String name, Settings settings, Site site) {
    Properties properties = new Properties();
    settings
        .text(USER)
        .ifPresent(user -> properties.setProperty("user", Secret.of(user, site.folder())));
    settings
        .text(PASSWORD)
        .ifPresent(
            password -> properties.setProperty("password", Secret.of(password, site.folder())));
    settings.text(SCHEMA).ifPresent(schema -> properties.setProperty("currentSchema", schema));
    properties.setProperty("ApplicationName", "wexrun");
    properties.setProperty("tcpKeepAlive", "true");
    properties.setProperty("connectTimeout", "10");
    return new PostgresStore(name, Secret.of(settings.main(), site.folder()), properties);
  }
}
