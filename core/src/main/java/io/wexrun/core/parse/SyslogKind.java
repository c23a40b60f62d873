package io.wexrun.core.parse;

import io.wexrun.core.field.FieldParser;
import io.wexrun.core.field.Zone;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.step.ParseStep;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.step.Unfinished;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.time.DateTimeException;
import java.time.ZoneId;
import java.time.ZoneOffset;
import java.util.List;
import java.util.Map;

/**
 * {@code syslog: {fields: {NAME: SPEC from ID.PARAMETER}, year: 2026, zone: UTC, priority: required
 * | optional, from: FIELD}}; year and zone are for messages of RFC 3164.
 */
public final class SyslogKind implements StepKind {
  @Override
  public String name() {
    return "syslog";
  }

  @Override
  public Form form() {
    return Form.either(
            Form.keys(
                Form.with(
                    "fields",
                    Form.specs(),
                    "year",
                    Form.text(),
                    "zone",
                    Form.text(),
                    "priority",
                    Form.word("required", "optional"),
                    "from",
                    Form.text().about("the field to read, if it is not the raw record"))),
            Form.text())
        .about("syslog messages of RFC 5424 and RFC 3164");
  }

  @Override
  public List<Step> compile(Written written, StepContext context) {
    int before = written.diagnostics().errors();
    Map<String, Written> entries =
        written.entries("syslog", List.of("fields", "year", "zone", "priority", ParseStep.FROM));
    int from = ParseStep.from(entries, written, context);
    List<FieldParser.Read> read =
        entries.containsKey("fields")
            ? FieldParser.fields(entries.get("fields"), context.patterns())
            : List.of();
    boolean optional =
        entries.containsKey("priority")
            && entries.get("priority").choice(List.of("required", "optional")).equals("optional");
    Schema parsed = optional ? SyslogStep.WITHOUT_PRIORITY : SyslogStep.FIXED;
    for (FieldParser.Read each : read) {
      String name = each.field().name();
      if (parsed.find(name).isPresent()) {
        Written at = new Written("", entries.get("fields").path().key(name), written.diagnostics());
        at.error("duplicate-name", "a syslog message has a field '" + name + "' already", "");
      }
      parsed = parsed.with(Column.of(name, each.field().type()));
    }
    int year = entries.containsKey("year") ? year(entries.get("year")) : 0;
    Zone zone = entries.containsKey("zone") ? zone(entries.get("zone")) : null;
    return List.of(
        written.diagnostics().errors() > before
            ? new Unfinished(context.input(), parsed)
            : new SyslogStep(context.input(), parsed, from, read, year, zone, optional));
  }

  private static int year(Written written) {
    if (!written.text().matches("[1-9][0-9]{3}")) {
      written.error("bad-value", "'" + written.text() + "' is not a year", "such as 2026");
      return 0;
    }
    return Integer.parseInt(written.text());
  }

  private static Zone zone(Written written) {
    try {
      return new Zone(ZoneId.of(written.text()));
    } catch (DateTimeException e) {
      String message = "there is no time zone '" + written.text() + "'";
      written.error("bad-value", message, "use UTC, an offset such as +02:00, or an id");
      return new Zone(ZoneOffset.UTC);
    }
  }
}
