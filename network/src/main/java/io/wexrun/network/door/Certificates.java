package io.wexrun.network.door;

import io.netty.handler.ssl.ApplicationProtocolConfig;
import io.netty.handler.ssl.ApplicationProtocolNames;
import io.netty.handler.ssl.ClientAuth;
import io.netty.handler.ssl.SslContext;
import io.netty.handler.ssl.SslContextBuilder;
import io.netty.handler.ssl.SslProvider;
import io.netty.handler.ssl.SupportedCipherSuiteFilter;
import io.wexrun.core.diagnose.OutsideException;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Optional;
import java.util.function.Consumer;
import javax.net.ssl.SSLException;

/**
 * The certificate of a door, in PEM files that are read again when they change. For several
 * threads.
 */
public final class Certificates {
  private static final long LOOK = 1_000_000_000L;

  private final PemFiles files;
  private final boolean http2;
  private final Consumer<String> notices;
  private SslContext context;
  private String stamp;
  private long lookedAt;

  /**
   * The files.
   *
   * @param certificate the certificate, and those that signed it
   * @param key its private key, without a password
   * @param clients certificates that sign those of clients, which then must have one; empty if they
   *     need none
   */
  public record PemFiles(Path certificate, Path key, Optional<Path> clients) {}

  /** With forward secrecy and authenticated encryption alone (RFC 9325, section 4.2). */
  private static final List<String> CIPHERS =
      List.of(
          "TLS_AES_128_GCM_SHA256",
          "TLS_AES_256_GCM_SHA384",
          "TLS_CHACHA20_POLY1305_SHA256",
          "TLS_ECDHE_ECDSA_WITH_AES_128_GCM_SHA256",
          "TLS_ECDHE_RSA_WITH_AES_128_GCM_SHA256",
          "TLS_ECDHE_ECDSA_WITH_AES_256_GCM_SHA384",
          "TLS_ECDHE_RSA_WITH_AES_256_GCM_SHA384",
          "TLS_ECDHE_ECDSA_WITH_CHACHA20_POLY1305_SHA256",
          "TLS_ECDHE_RSA_WITH_CHACHA20_POLY1305_SHA256");

  /**
   * Reads the files.
   *
   * @param http2 whether clients may choose HTTP/2
   * @param notices is told when files that have changed cannot be used
   * @throws OutsideException if they cannot be used
   */
  public Certificates(PemFiles files, boolean http2, Consumer<String> notices) {
    this.files = files;
    this.http2 = http2;
    this.notices = notices;
    this.stamp = stamp();
    this.context = read();
    this.lookedAt = System.nanoTime();
  }

  /** What connections that begin now are encrypted with. */
  public synchronized SslContext context() {
    if (System.nanoTime() - lookedAt > LOOK) {
      lookedAt = System.nanoTime();
      String now = stamp();
      if (!now.equals(stamp)) {
        stamp = now;
        try {
          context = read();
          notices.accept("the certificate " + files.certificate() + " was read again");
        } catch (OutsideException e) {
          notices.accept(e.getMessage() + "; the one before is used until it is mended");
        }
      }
    }
    return context;
  }

  private String stamp() {
    StringBuilder all = new StringBuilder();
    for (Path file : files.clients().map(List::of).orElse(List.of())) {
      all.append(stamp(file));
    }
    return all + stamp(files.certificate()) + stamp(files.key());
  }

  private static String stamp(Path file) {
    try {
      return Files.getLastModifiedTime(file) + " " + Files.size(file) + " ";
    } catch (IOException e) {
      return "none ";
    }
  }

  private SslContext read() {
    try {
      SslContextBuilder builder =
          SslContextBuilder.forServer(files.certificate().toFile(), files.key().toFile())
              .sslProvider(SslProvider.JDK)
              .protocols("TLSv1.3", "TLSv1.2")
              .ciphers(CIPHERS, SupportedCipherSuiteFilter.INSTANCE);
      if (files.clients().isPresent()) {
        builder.trustManager(files.clients().get().toFile()).clientAuth(ClientAuth.REQUIRE);
      }
      if (http2) {
        builder.applicationProtocolConfig(
            new ApplicationProtocolConfig(
                ApplicationProtocolConfig.Protocol.ALPN,
                ApplicationProtocolConfig.SelectorFailureBehavior.NO_ADVERTISE,
                ApplicationProtocolConfig.SelectedListenerFailureBehavior.ACCEPT,
                ApplicationProtocolNames.HTTP_2,
                ApplicationProtocolNames.HTTP_1_1));
      }
      return builder.build();
    } catch (SSLException | IllegalArgumentException e) {
      Throwable why = e.getCause() == null ? e : e.getCause();
      throw new OutsideException(
          "cannot use the certificate "
              + files.certificate()
              + " with the key "
              + files.key()
              + ": "
              + why.getMessage(),
          e);
    }
  }
}
