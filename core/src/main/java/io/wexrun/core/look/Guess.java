package io.wexrun.core.look;

import io.wexrun.core.field.FieldSpec;
import java.util.ArrayList;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.regex.Pattern;
import java.util.stream.Stream;

/** Collects the values of a field and guesses how to read them. For one thread. */
final class Guess {
  /** A type is guessed if so many of the values are of it; the others are taken as spoiled. */
  private static final double ENOUGH = 0.97;

  /** The narrowest first. */
  private static final List<FieldSpec> SPECS =
      Stream.of(
              "int",
              "long",
              "double",
              "bool",
              "timestamp",
              "timestamp @UTC",
              "timestamp 'dd/MMM/yyyy:HH:mm:ss Z'",
              "timestamp 'dd.MM.yyyy HH:mm:ss' @UTC",
              "timestamp 'dd.MM.yyyy HH:mm' @UTC",
              "timestamp 'MM/dd/yyyy HH:mm:ss' @UTC",
              "timestamp 'yyyy/MM/dd HH:mm:ss' @UTC",
              "date",
              "date 'dd.MM.yyyy'",
              "uuid")
          .map(FieldSpec::new)
          .toList();

  private static final int EXAMPLES = 3;

  /** A number or a time is not longer. */
  private static final int LONGEST = 48;

  /** Whole numbers of more digits may be larger than an int tomorrow. */
  private static final int LARGE = 8;

  private static final int SPOILED = 5;

  /** Names of fields that tell a time. */
  private static final Pattern NAMES =
      Pattern.compile(
          "(?i).*(time|date|stamp|epoch).*|(.*[_.])?(at|ts|t|when|created|updated|since)");

  /** Numbers since 1970 of this time, with how they are read. */
  private static final Map<String, Pattern> EPOCHS =
      Map.of(
          "epoch", Pattern.compile("1[4-9][0-9]{8}(\\.[0-9]{1,9})?"),
          "epoch ms", Pattern.compile("1[4-9][0-9]{11}"),
          "epoch us", Pattern.compile("1[4-9][0-9]{14}"),
          "epoch ns", Pattern.compile("1[4-9][0-9]{17}"));

  private static final Pattern BOOLS = Pattern.compile("(?i)true|false");
  private static final Pattern ZEROS = Pattern.compile("-?0\\d+.*");

  private final long[] fits = new long[SPECS.size()];
  private final Set<String> distinct = new LinkedHashSet<>();
  private long present;
  private long nils;
  private long zeros;
  private long large;
  private long json;

  /** Adds a value; one that is empty or {@code -} counts as absent. */
  void add(String value) {
    if (value.isEmpty() || value.equals("-")) {
      nils++;
      return;
    }
    present++;
    if (distinct.size() < FieldLook.MOST_DISTINCT) {
      distinct.add(value);
    }
    boolean digit = false;
    for (int i = 0; i < value.length() && !digit; i++) {
      digit = value.charAt(i) >= '0' && value.charAt(i) <= '9';
    }
    boolean whole = value.length() <= LONGEST && (digit || BOOLS.matcher(value).matches());
    for (int i = 0; i < fits.length && whole; i++) {
      // What has failed too often is not tried any more: times are slow to read.
      if (present - fits[i] <= SPOILED + present * (1 - ENOUGH)) {
        fits[i] += SPECS.get(i).takes(value) ? 1 : 0;
      }
    }
    if (digit) {
      zeros += ZEROS.matcher(value).matches() ? 1 : 0;
      large += value.length() > LARGE ? 1 : 0;
    }
  }

  /** Adds a value that is an array or an object. */
  void addJson(String value) {
    present++;
    json++;
    if (distinct.size() < FieldLook.MOST_DISTINCT) {
      distinct.add(value);
    }
  }

  /** Whether there was nothing but null. */
  boolean isNil() {
    return present == 0;
  }

  boolean isEmpty() {
    return present + nils == 0;
  }

  boolean isTime() {
    return spec("").startsWith("timestamp");
  }

  Set<String> distinct() {
    return distinct;
  }

  FieldLook look(String name, String from, boolean mayBeNil) {
    String spec = spec(name);
    List<String> examples = new ArrayList<>();
    distinct.stream().limit(EXAMPLES).forEach(examples::add);
    boolean optional = mayBeNil && nils > 0;
    String written = optional ? spec.replaceFirst("^(\\w+)", "$1?") : spec;
    return new FieldLook(name, written, from, present, distinct.size(), examples);
  }

  private String spec(String name) {
    if (json > 0) {
      return "json";
    }
    boolean named = NAMES.matcher(name).matches();
    for (Map.Entry<String, Pattern> epoch : EPOCHS.entrySet()) {
      boolean all = distinct.stream().allMatch(v -> epoch.getValue().matcher(v).matches());
      if (named && all && !distinct.isEmpty()) {
        return "timestamp '" + epoch.getKey() + "'";
      }
    }
    for (int i = 0; i < fits.length && present > 0; i++) {
      boolean number = SPECS.get(i).type().toString().matches("int|long|double");
      // Zeros before a number mean something: it is a name.
      if (fits[i] >= present * ENOUGH && !(number && zeros > 0)) {
        String spec = SPECS.get(i).toString();
        return spec.equals("int") && large > 0 ? "long" : spec;
      }
    }
    return times().orElse("text");
  }

  /** How the values are read if all of them are times of one form. */
  private Optional<String> times() {
    if (distinct.isEmpty() || distinct.stream().anyMatch(v -> v.length() > LONGEST)) {
      return Optional.empty();
    }
    for (TimeForm form : TimeForm.ALL) {
      if (!form.isEpoch()
          && distinct.stream().allMatch(v -> form.compiled().matcher(v).matches())) {
        return form.read(List.copyOf(distinct)).map(TimeForm.Reading::spec);
      }
    }
    return Optional.empty();
  }
}
