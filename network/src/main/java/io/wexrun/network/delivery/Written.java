package io.wexrun.network.delivery;

import io.wexrun.core.diagnose.KeyPath;
import io.wexrun.core.pipeline.Sizes;
import java.time.Duration;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.Function;
import tools.jackson.core.JsonPointer;

/** A map of settings, and where it stands. */
record Written(String what, Map<?, ?> values, KeyPath path, DeliverySettings.Mistakes mistakes) {
  void wrong(String key, String wrong, String hint) {
    mistakes.add(path.key(key), wrong, hint);
  }

  /** Tells of keys that are not among those known. */
  void known(List<String> keys) {
    for (Object key : values.keySet()) {
      if (!keys.contains(String.valueOf(key))) {
        wrong(
            String.valueOf(key),
            what + " has no key '" + key + "'",
            "the keys are " + String.join(", ", keys));
      }
    }
  }

  /** The map under a key; an empty one if there is none. */
  Written inside(String key, String name, String... keys) {
    Object value = values.get(key);
    if (value != null && !(value instanceof Map<?, ?>)) {
      wrong(
          key, name + " has keys of its own", "such as {" + String.join(": .., ", keys) + ": ..}");
    }
    Written inside =
        new Written(name, value instanceof Map<?, ?> map ? map : Map.of(), path.key(key), mistakes);
    if (keys.length > 0) {
      inside.known(List.of(keys));
    }
    return inside;
  }

  Optional<String> text(String key) {
    return Optional.ofNullable(values.get(key)).map(String::valueOf);
  }

  <T> Optional<T> of(String key, String expected, Function<String, Optional<T>> reading) {
    Optional<String> written = text(key);
    Optional<T> read = written.flatMap(reading);
    if (written.isPresent() && read.isEmpty()) {
      wrong(key, "'" + written.get() + "' is not " + expected, "write " + expected);
    }
    return read;
  }

  Optional<Integer> number(String key, int least, int most) {
    return of(
        key,
        "a number from " + least + " to " + most,
        text ->
            text.matches("[0-9]{1,9}")
                    && Integer.parseInt(text) >= least
                    && Integer.parseInt(text) <= most
                ? Optional.of(Integer.parseInt(text))
                : Optional.empty());
  }

  Optional<Duration> time(String key) {
    return of(
        key,
        "a time such as 30s",
        text -> Sizes.duration(text).filter(time -> !time.isZero() && !time.isNegative()));
  }

  Optional<JsonPointer> pointer(String key) {
    return of(
        key,
        "a JSON pointer such as /errors",
        text -> {
          try {
            return Optional.of(JsonPointer.compile(text));
          } catch (IllegalArgumentException e) {
            return Optional.empty();
          }
        });
  }
}
