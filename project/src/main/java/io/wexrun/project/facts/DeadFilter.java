package io.wexrun.project.facts;

import io.wexrun.core.dead.DeadLetter;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Counted;
import java.net.URLDecoder;
import java.net.URLEncoder;
import java.nio.charset.StandardCharsets;
import java.time.Instant;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.LinkedHashMap;
import java.util.LinkedHashSet;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.stream.Collectors;

/**
 * Which dead letters are wanted: those that fit all that is said.
 *
 * @param reason why they died
 * @param step the step that rejected them, or the target that refused them
 * @param field the field at fault
 * @param source the name of the source partition that they came from
 * @param text what their records have in them, as text
 * @param since they died then or later
 * @param until they died before
 * @param places where they are kept; empty for anywhere
 */
public record DeadFilter(
    Optional<Reason> reason,
    Optional<String> step,
    Optional<String> field,
    Optional<String> source,
    Optional<String> text,
    Optional<Instant> since,
    Optional<Instant> until,
    Set<KeptLetter.Place> places) {
  private static final int FEW = 5;

  /** All letters. */
  public static final DeadFilter ALL =
      new DeadFilter(
          Optional.empty(),
          Optional.empty(),
          Optional.empty(),
          Optional.empty(),
          Optional.empty(),
          Optional.empty(),
          Optional.empty(),
          Set.of());

  /** Copies the set. */
  public DeadFilter {
    places = Set.copyOf(places);
  }

  /** Those that are kept at some places. */
  public static DeadFilter at(Set<KeptLetter.Place> places) {
    return new DeadFilter(
        ALL.reason, ALL.step, ALL.field, ALL.source, ALL.text, ALL.since, ALL.until, places);
  }

  /** What {@link #written} wrote. */
  public static DeadFilter read(String written) {
    Map<String, String> values = new HashMap<>();
    for (String each : written.isEmpty() ? new String[0] : written.split("&")) {
      int mark = each.indexOf('=');
      values.put(
          each.substring(0, mark),
          URLDecoder.decode(each.substring(mark + 1), StandardCharsets.UTF_8));
    }
    Set<KeptLetter.Place> places = new LinkedHashSet<>();
    for (String place : values.getOrDefault("at", "").split(",")) {
      KeptLetter.Place.of(place).ifPresent(places::add);
    }
    return new DeadFilter(
        Optional.ofNullable(values.get("reason")).flatMap(Reason::of),
        Optional.ofNullable(values.get("step")),
        Optional.ofNullable(values.get("field")),
        Optional.ofNullable(values.get("source")),
        Optional.ofNullable(values.get("text")),
        Optional.ofNullable(values.get("since")).map(Instant::parse),
        Optional.ofNullable(values.get("until")).map(Instant::parse),
        places);
  }

  /** The filter as text, by which it can be read again: names and values as in a URL's query. */
  public String written() {
    Map<String, String> values = new LinkedHashMap<>();
    reason.ifPresent(value -> values.put("reason", value.code()));
    step.ifPresent(value -> values.put("step", value));
    field.ifPresent(value -> values.put("field", value));
    source.ifPresent(value -> values.put("source", value));
    text.ifPresent(value -> values.put("text", value));
    since.ifPresent(value -> values.put("since", value.toString()));
    until.ifPresent(value -> values.put("until", value.toString()));
    if (!places.isEmpty()) {
      values.put(
          "at", places.stream().map(Object::toString).sorted().collect(Collectors.joining(",")));
    }
    return values.entrySet().stream()
        .map(e -> e.getKey() + "=" + URLEncoder.encode(e.getValue(), StandardCharsets.UTF_8))
        .collect(Collectors.joining("&"));
  }

  /** Whether a letter is wanted. */
  public boolean wants(KeptLetter kept) {
    DeadLetter.Death death = kept.letter().death();
    return (places.isEmpty() || places.contains(kept.place()))
        && reason.filter(wanted -> wanted != death.reason()).isEmpty()
        && fits(step, death.step())
        && fits(field, death.field())
        && fits(source, kept.letter().record().source())
        && text.filter(wanted -> !kept.letter().text().contains(wanted)).isEmpty()
        && since.filter(kept.died()::isBefore).isEmpty()
        && until.filter(time -> !kept.died().isBefore(time)).isEmpty();
  }

  /** Which letters are wanted, in words. */
  @Override
  public String toString() {
    List<String> words = new ArrayList<>();
    reason.ifPresent(value -> words.add("reason " + value.code()));
    step.ifPresent(value -> words.add("step " + value));
    field.ifPresent(value -> words.add("field " + value));
    source.ifPresent(value -> words.add("source " + value));
    text.ifPresent(value -> words.add("text \"" + value + '"'));
    since.ifPresent(time -> words.add("since " + time));
    until.ifPresent(time -> words.add("until " + time));
    if (places.size() > FEW) {
      words.add(Counted.of(places.size(), "letter"));
    } else if (!places.isEmpty()) {
      words.add(
          "letter "
              + places.stream().map(Object::toString).sorted().collect(Collectors.joining(", ")));
    }
    return words.isEmpty() ? "all" : String.join(", ", words);
  }

  private static boolean fits(Optional<String> wanted, String has) {
    return wanted.isEmpty() || wanted.get().equals(has);
  }
}
