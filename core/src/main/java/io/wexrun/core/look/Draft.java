package io.wexrun.core.look;

import io.wexrun.core.pipeline.StepDefinition;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/** The steps that read what was looked at. */
public final class Draft {
  private Draft() {}

  /** The names and types of the fields that the steps give, in order. */
  public static Map<String, String> columns(Look look) {
    if (look.given().isEmpty()) {
      return Looker.types(look);
    }
    Map<String, String> types = new LinkedHashMap<>();
    look.fields().forEach(field -> types.put(field.name(), field.spec()));
    return types;
  }

  /** The steps. */
  public static List<StepDefinition> steps(Look look) {
    List<StepDefinition> all = new ArrayList<>(List.of(first(look)));
    all.addAll(look.further());
    return all;
  }

  private static StepDefinition first(Look look) {
    if (look.given().isPresent()) {
      return look.given().get();
    }
    Map<String, Object> fields = new LinkedHashMap<>();
    look.fields().forEach(field -> fields.put(field.name(), field.written()));
    Map<String, Object> value = new LinkedHashMap<>();
    switch (look.format()) {
      case LINES -> {
        return StepDefinition.of(
            "template", look.templates().stream().map(Look.Template::text).toList());
      }
      case JSON, PAIRS -> value.put("fields", fields);
      case SYSLOG -> {
        if (look.oldSyslog()) {
          value.put("zone", "UTC");
        }
      }
      case CSV -> {
        value.put(
            "columns",
            look.header() ? "header" : look.fields().stream().map(FieldLook::name).toList());
        if (look.separator() != ',') {
          value.put("separator", look.separator() == '\t' ? "tab" : "" + look.separator());
        }
        value.put("fields", fields);
      }
      default -> throw new IllegalStateException("no draft for " + look.format());
    }
    String kind = look.format().name().toLowerCase(java.util.Locale.ROOT);
    return StepDefinition.of(kind, value);
  }
}
