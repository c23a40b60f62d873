package io.wexrun.core.dead;

import java.util.Arrays;
import java.util.Locale;
import java.util.Map;
import java.util.Optional;
import java.util.stream.Collectors;

/** Why a record died. A code never changes its meaning. */
public enum Reason {
  /** The bytes are not UTF-8. */
  BAD_ENCODING,
  /** The record is longer than the intake allows. */
  TOO_LONG,
  /** No template fits the line. */
  NO_MATCH,
  /** The record is not JSON. */
  NOT_JSON,
  /** The record is not CSV. */
  NOT_CSV,
  /** The record is not the Protocol Buffers message it should be. */
  NOT_PROTOBUF,
  /** A value is not of its field's type, or out of its column's range. */
  BAD_VALUE,
  /** A field that must be there is absent or empty. */
  MISSING_FIELD,
  /** No route takes the record. */
  UNKNOWN_KIND,
  /** The record is of two kinds at once. */
  AMBIGUOUS_KIND,
  /** The reference table has no match. */
  NO_LOOKUP,
  /** An expression failed, such as by a division by zero. */
  FAILED_EXPRESSION,
  /** A custom step threw. */
  FAILED_STEP,
  /** The store refused the row. */
  REFUSED,
  /** The record has a field that the table has no column for, and takes none. */
  NEW_FIELD;

  private static final Map<String, Reason> BY_CODE =
      Arrays.stream(values()).collect(Collectors.toUnmodifiableMap(Reason::code, reason -> reason));

  private final String code = name().toLowerCase(Locale.ROOT).replace('_', '-');

  /** The code as it is written: {@code no-match}. */
  public String code() {
    return code;
  }

  /** The reason with a code; empty if there is none. */
  public static Optional<Reason> of(String code) {
    return Optional.ofNullable(BY_CODE.get(code));
  }

  @Override
  public String toString() {
    return code();
  }
}
