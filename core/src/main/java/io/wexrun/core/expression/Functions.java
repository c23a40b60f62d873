package io.wexrun.core.expression;

import dev.cel.common.CelFunctionDecl;
import dev.cel.common.CelOverloadDecl;
import dev.cel.common.types.CelType;
import dev.cel.common.values.CelByteString;
import dev.cel.runtime.CelFunctionBinding;
import io.wexrun.core.address.Address;
import io.wexrun.core.address.Network;
import io.wexrun.core.batch.Batch;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.batch.Vectors;
import io.wexrun.core.field.Measures;
import io.wexrun.core.schema.Type;
import io.wexrun.core.schema.Type.Scalar;
import java.nio.ByteBuffer;
import java.nio.charset.StandardCharsets;
import java.security.MessageDigest;
import java.security.NoSuchAlgorithmException;
import java.time.DateTimeException;
import java.time.Instant;
import java.time.LocalDate;
import java.time.LocalDateTime;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.time.ZonedDateTime;
import java.time.format.DateTimeFormatter;
import java.time.temporal.ChronoUnit;
import java.util.ArrayList;
import java.util.HexFormat;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.LongStream;

/**
 * The functions of the expression language that log work needs beyond CEL's own and its string and
 * list functions. The same Java code runs over columns and in the library's runtime.
 */
final class Functions {
  private static final Type WHOLES = new Type.ListOf(Scalar.LONG);
  private static final Type TEXTS = new Type.ListOf(Scalar.TEXT);
  private static final Type REALS = new Type.ListOf(Scalar.DOUBLE);

  /** What a function computes; an {@link IllegalArgumentException} fails the row. */
  @FunctionalInterface
  interface Body {
    Object of(Object... arguments);
  }

  /** One overload of a function. */
  record Function(String name, List<Type> takes, Type gives, Body body) {
    String overload() {
      StringBuilder id = new StringBuilder("wexrun_").append(name.replace('.', '_'));
      takes.forEach(type -> id.append('_').append(type.toString().replaceAll("\\W", "_")));
      return id.toString();
    }
  }

  private static final int LONGEST_LIST = 1_000_000;

  private static final List<Function> ALL = all();

  private Functions() {}

  private static List<Function> all() {
    List<Function> all = new ArrayList<>();
    Map<String, String> digests = Map.of("md5", "MD5", "sha1", "SHA-1", "sha256", "SHA-256");
    new java.util.TreeMap<>(digests)
        .forEach(
            (name, algorithm) -> {
              for (Type type : List.of(Scalar.TEXT, Scalar.BYTES)) {
                add(all, name, Scalar.TEXT, a -> hex(digest(algorithm, a[0])), type);
              }
            });
    add(all, "hash64", Scalar.LONG, a -> first(digest("SHA-256", a[0])), Scalar.TEXT);
    add(all, "isIp", Scalar.BOOL, a -> address(a[0]).isPresent(), Scalar.TEXT);
    add(all, "ipVersion", Scalar.LONG, a -> needed(a[0]).v4() ? 4L : 6L, Scalar.TEXT);
    add(all, "network", Scalar.TEXT, Functions::network, Scalar.TEXT, Scalar.LONG);
    add(
        all,
        "inNetwork",
        Scalar.BOOL,
        a -> {
          Network range =
              Network.parse((String) a[1])
                  .orElseThrow(() -> wrong(a[1], "a network, such as 10.0.0.0/8"));
          return address(a[0]).map(range::holds).orElse(false);
        },
        Scalar.TEXT,
        Scalar.TEXT);
    add(all, "epochMillis", Scalar.LONG, a -> ((Instant) a[0]).toEpochMilli(), Scalar.TIMESTAMP);
    add(
        all,
        "fromEpochMillis",
        Scalar.TIMESTAMP,
        a -> Instant.ofEpochMilli((Long) a[0]),
        Scalar.LONG);
    add(all, "date", Scalar.TIMESTAMP, a -> day(a[0]), Scalar.TEXT);
    add(
        all,
        "truncate",
        Scalar.TIMESTAMP,
        a -> truncate((Instant) a[0], (String) a[1], ZoneId.of("UTC")),
        Scalar.TIMESTAMP,
        Scalar.TEXT);
    add(
        all,
        "truncate",
        Scalar.TIMESTAMP,
        a -> truncate((Instant) a[0], (String) a[1], zone(a[2])),
        Scalar.TIMESTAMP,
        Scalar.TEXT,
        Scalar.TEXT);
    add(
        all,
        "formatTime",
        Scalar.TEXT,
        a -> formatter(a[1]).format(((Instant) a[0]).atZone(zone(a[2]))),
        Scalar.TIMESTAMP,
        Scalar.TEXT,
        Scalar.TEXT);
    add(
        all,
        "parseTime",
        Scalar.TIMESTAMP,
        Functions::parseTime,
        Scalar.TEXT,
        Scalar.TEXT,
        Scalar.TEXT);
    add(all, "sum", Scalar.LONG, a -> wholes(a).reduce(0L, Math::addExact), WHOLES);
    add(all, "sum", Scalar.DOUBLE, a -> reals(a).reduce(0.0, Double::sum), REALS);
    add(all, "least", Scalar.LONG, a -> some(wholes(a).min(Long::compare)), WHOLES);
    add(all, "least", Scalar.DOUBLE, a -> some(reals(a).min(Double::compare)), REALS);
    add(all, "greatest", Scalar.LONG, a -> some(wholes(a).max(Long::compare)), WHOLES);
    add(all, "greatest", Scalar.DOUBLE, a -> some(reals(a).max(Double::compare)), REALS);
    add(
        all,
        "replaceAll",
        Scalar.TEXT,
        a -> Regexes.replaceAll((String) a[0], (String) a[1], (String) a[2]),
        Scalar.TEXT,
        Scalar.TEXT,
        Scalar.TEXT);
    add(
        all,
        "splitAll",
        TEXTS,
        a -> Regexes.split((String) a[0], (String) a[1]),
        Scalar.TEXT,
        Scalar.TEXT);
    add(
        all,
        "findAll",
        TEXTS,
        a -> Regexes.findAll((String) a[0], (String) a[1]),
        Scalar.TEXT,
        Scalar.TEXT);
    add(all, "seconds", Scalar.DOUBLE, a -> seconds((String) a[0]), Scalar.TEXT);
    add(all, "byteSize", Scalar.LONG, a -> bytes((String) a[0]), Scalar.TEXT);
    add(all, "plain", Scalar.TEXT, a -> Regexes.plain((String) a[0]), Scalar.TEXT);
    add(all, "lists.range", WHOLES, a -> range((Long) a[0]), Scalar.LONG);
    return List.copyOf(all);
  }

  private static void add(List<Function> all, String name, Type gives, Body body, Type... takes) {
    all.add(new Function(name, List.of(takes), gives, body));
  }

  private static List<Long> range(long count) {
    if (count > LONGEST_LIST) {
      throw new IllegalArgumentException(
          "a list of " + count + " elements is longer than " + LONGEST_LIST);
    }
    return LongStream.range(0, Math.max(0, count)).boxed().toList();
  }

  /** The names of all functions. */
  static List<String> names() {
    return ALL.stream().map(Function::name).distinct().toList();
  }

  private static double seconds(String text) {
    return Measures.seconds(text)
        .orElseThrow(() -> wrong(text, "a duration, such as 112ms, 1.9s or 2h 3m"))
        .doubleValue();
  }

  private static long bytes(String text) {
    return Measures.bytes(text)
        .orElseThrow(() -> wrong(text, "a size, such as 12 kB, 1.5MiB or 900 B"));
  }

  static IllegalArgumentException wrong(Object value, String kind) {
    return new IllegalArgumentException("\"" + value + "\" is not " + kind);
  }

  private static byte[] digest(String algorithm, Object value) {
    byte[] bytes =
        value instanceof CelByteString raw
            ? raw.toByteArray()
            : ((String) value).getBytes(StandardCharsets.UTF_8);
    try {
      return MessageDigest.getInstance(algorithm).digest(bytes);
    } catch (NoSuchAlgorithmException e) {
      throw new IllegalStateException("every Java platform has " + algorithm, e);
    }
  }

  private static String hex(byte[] digest) {
    return HexFormat.of().formatHex(digest);
  }

  /** The first eight bytes, the most significant one first. */
  private static long first(byte[] digest) {
    return ByteBuffer.wrap(digest).getLong();
  }

  private static Optional<Address> address(Object text) {
    return Address.parse((String) text);
  }

  private static Address needed(Object text) {
    return address(text).orElseThrow(() -> wrong(text, "an internet address"));
  }

  private static Object network(Object... a) {
    Address address = needed(a[0]);
    long prefix = (Long) a[1];
    if (prefix < 0 || prefix > address.bits()) {
      throw wrong(prefix, "a prefix length of " + address);
    }
    return new Network(address, (int) prefix).toString();
  }

  static ZoneId zone(Object id) {
    try {
      return ZoneId.of((String) id);
    } catch (DateTimeException e) {
      throw wrong(id, "a time zone");
    }
  }

  private static DateTimeFormatter formatter(Object pattern) {
    return DateTimeFormatter.ofPattern((String) pattern, Locale.ENGLISH);
  }

  private static Instant parseTime(Object... a) {
    try {
      return LocalDateTime.parse((String) a[0], formatter(a[1])).atZone(zone(a[2])).toInstant();
    } catch (DateTimeException e) {
      throw wrong(a[0], "a time of the form " + a[1]);
    }
  }

  static Instant truncate(Instant time, String unit, ZoneId zone) {
    ZonedDateTime local = time.atZone(zone);
    LocalDate day = local.toLocalDate();
    return (switch (unit) {
          case "second" -> local.truncatedTo(ChronoUnit.SECONDS);
          case "minute" -> local.truncatedTo(ChronoUnit.MINUTES);
          case "hour" -> local.truncatedTo(ChronoUnit.HOURS);
          // A day need not begin at midnight, where clocks are put forward then.
          case "day" -> day.atStartOfDay(zone);
          case "week" -> day.minusDays(day.getDayOfWeek().getValue() - 1L).atStartOfDay(zone);
          case "month" -> day.withDayOfMonth(1).atStartOfDay(zone);
          case "year" -> day.withDayOfYear(1).atStartOfDay(zone);
          default ->
              throw wrong(
                  unit, "a unit: second, minute, hour, day, week (from Monday), month, year");
        })
        .toInstant();
  }

  /** When a day begins in UTC; that is also what a date is in an expression. */
  private static Instant day(Object text) {
    try {
      return LocalDate.parse((String) text).atStartOfDay(ZoneOffset.UTC).toInstant();
    } catch (DateTimeException e) {
      throw wrong(text, "a date, such as 2026-11-25");
    }
  }

  /** The numbers of a list without those that are absent. */
  private static java.util.stream.Stream<Long> wholes(Object... a) {
    return ((List<?>) a[0]).stream().filter(Long.class::isInstance).map(Long.class::cast);
  }

  private static java.util.stream.Stream<Double> reals(Object... a) {
    return ((List<?>) a[0]).stream().filter(Double.class::isInstance).map(Double.class::cast);
  }

  private static <T> T some(Optional<T> value) {
    return value.orElseThrow(() -> new IllegalArgumentException("the list is empty"));
  }

  /** The overload that takes values of these types. */
  static Optional<Function> find(String name, List<Type> types) {
    return ALL.stream().filter(f -> f.name.equals(name) && f.takes.equals(types)).findFirst();
  }

  /** What the checker is told. */
  static List<CelFunctionDecl> declarations() {
    Map<String, List<CelOverloadDecl>> overloads = new LinkedHashMap<>();
    for (Function function : ALL) {
      List<CelType> takes = function.takes.stream().map(Library::celType).toList();
      overloads
          .computeIfAbsent(function.name, name -> new ArrayList<>())
          .add(
              CelOverloadDecl.newGlobalOverload(
                  function.overload(), Library.celType(function.gives), takes));
    }
    List<CelFunctionDecl> declarations = new ArrayList<>();
    overloads.forEach(
        (name, of) -> declarations.add(CelFunctionDecl.newFunctionDeclaration(name, of)));
    return declarations;
  }

  /** What the library's runtime is told. */
  static List<CelFunctionBinding> bindings() {
    return ALL.stream()
        .map(
            f ->
                CelFunctionBinding.from(
                    f.overload(),
                    f.takes.stream().<Class<?>>map(Functions::classOf).toList(),
                    f.body::of))
        .toList();
  }

  private static Class<?> classOf(Type type) {
    if (type instanceof Type.ListOf) {
      return List.class;
    }
    return switch ((Scalar) type) {
      case LONG -> Long.class;
      case TEXT -> String.class;
      case BYTES -> CelByteString.class;
      case TIMESTAMP -> Instant.class;
      default -> throw new IllegalArgumentException("no function takes " + type);
    };
  }

  /** A function over columns: absent where an argument is. */
  record Applied(Function function, List<Node> operands) implements Node {
    @Override
    public Type type() {
      return function.gives;
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Evaluated[] inputs = operands.stream().map(o -> o.evaluate(batch)).toArray(Evaluated[]::new);
      Vector result = Vectors.forType(function.gives, batch.rows());
      String[] failures = Evaluated.merge(inputs);
      Object[] arguments = new Object[inputs.length];
      for (int row = 0; row < batch.rows(); row++) {
        boolean present = failures == null || failures[row] == null;
        for (int i = 0; i < inputs.length && present; i++) {
          present = !inputs[i].values().absent(row);
          if (present) {
            arguments[i] = Library.value(inputs[i].values(), operands.get(i).type(), row);
          }
        }
        if (!present) {
          result.appendAbsent();
          continue;
        }
        try {
          Library.append(result, function.body.of(arguments));
        } catch (IllegalArgumentException | ArithmeticException | DateTimeException e) {
          failures = failures == null ? new String[batch.rows()] : failures;
          failures[row] = function.name + ": " + e.getMessage();
          result.appendAbsent();
        }
      }
      return new Evaluated(result, failures);
    }
  }

  /** {@code inNetwork} of a constant network, on bytes. */
  record InNetwork(Node operand, Network network) implements Node {
    @Override
    public Type type() {
      return Scalar.BOOL;
    }

    @Override
    public Evaluated evaluate(Batch batch) {
      Evaluated a = operand.evaluate(batch);
      TextVector text = (TextVector) a.values();
      return a.toLongs(
          row ->
              Address.parse(text.data(), text.start(row), text.end(row))
                      .map(network::holds)
                      .orElse(false)
                  ? 1
                  : 0);
    }
  }
}
