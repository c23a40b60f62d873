package io.wexrun.network;

import java.io.IOException;
import java.io.InputStream;
import java.nio.file.Files;
import java.nio.file.Path;
import java.security.GeneralSecurityException;
import java.security.KeyStore;
import java.util.Base64;
import javax.net.ssl.KeyManagerFactory;
import javax.net.ssl.SSLContext;
import javax.net.ssl.TrustManagerFactory;

/** Certificates that sign themselves, made by the JDK's own keytool. */
record Pem(Path certificate, Path key, KeyStore store) {
  private static final char[] PASSWORD = "changeit".toCharArray();

  static Pem of(Path folder, String name) throws IOException, GeneralSecurityException {
    Path file = folder.resolve(name + ".p12");
    Files.deleteIfExists(file);
    try {
      Process made =
          new ProcessBuilder(
                  Path.of(System.getProperty("java.home"), "bin", "keytool").toString(),
                  "-genkeypair",
                  "-alias",
                  "x",
                  "-keyalg",
                  "EC",
                  "-dname",
                  "CN=localhost",
                  "-ext",
                  "san=dns:localhost,ip:127.0.0.1",
                  "-storetype",
                  "PKCS12",
                  "-keystore",
                  file.toString(),
                  "-storepass",
                  new String(PASSWORD))
              .redirectErrorStream(true)
              .start();
      String said = new String(made.getInputStream().readAllBytes());
      if (made.waitFor() != 0) {
        throw new IOException(said);
      }
    } catch (InterruptedException e) {
      throw new IOException(e);
    }
    KeyStore store = KeyStore.getInstance("PKCS12");
    try (InputStream in = Files.newInputStream(file)) {
      store.load(in, PASSWORD);
    }
    Path certificate = folder.resolve(name + ".pem");
    Path key = folder.resolve(name + "-key.pem");
    write(certificate, "CERTIFICATE", store.getCertificate("x").getEncoded());
    write(key, "PRIVATE KEY", store.getKey("x", PASSWORD).getEncoded());
    return new Pem(certificate, key, store);
  }

  private static void write(Path file, String what, byte[] der) throws IOException {
    String text = Base64.getMimeEncoder(64, "\n".getBytes()).encodeToString(der);
    Files.writeString(
        file, "-----BEGIN " + what + "-----\n" + text + "\n-----END " + what + "-----\n");
  }

  /** A context that trusts this certificate, and shows one if it is given. */
  SSLContext client(Pem own) throws GeneralSecurityException {
    KeyStore trusted = KeyStore.getInstance("PKCS12");
    try {
      trusted.load(null, null);
    } catch (IOException e) {
      throw new GeneralSecurityException(e);
    }
    trusted.setCertificateEntry("server", store.getCertificate("x"));
    TrustManagerFactory trust =
        TrustManagerFactory.getInstance(TrustManagerFactory.getDefaultAlgorithm());
    trust.init(trusted);
    KeyManagerFactory keys = KeyManagerFactory.getInstance(KeyManagerFactory.getDefaultAlgorithm());
    keys.init(own == null ? null : own.store(), PASSWORD);
    SSLContext context = SSLContext.getInstance("TLS");
    context.init(own == null ? null : keys.getKeyManagers(), trust.getTrustManagers(), null);
    return context;
  }
}
