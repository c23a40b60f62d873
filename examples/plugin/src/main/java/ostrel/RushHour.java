package ostrel;

import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.schema.Type;
import io.wexrun.core.step.RowStep;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.written.Written;
import java.time.ZoneId;
import java.util.List;

/**
 * A step of one's own: {@code - rush_hour: time} adds a bool field {@code rush}, true from six to
 * nine and from sixteen to nineteen o'clock in Ostrel. A record without a time dies.
 */
public final class RushHour implements StepKind {
  private static final ZoneId OSTREL = ZoneId.of("Europe/Berlin");

  @Override
  public String name() {
    return "rush_hour";
  }

  @Override
  public List<Step> compile(Written written, StepContext context) {
    if (context.field(written).isEmpty()) {
      return List.of();
    }
    String field = written.text();
    Schema output = context.input().with(Column.of("rush", Type.Scalar.BOOL));
    return List.of(
        new RowStep(
            output,
            (row, rows) -> {
              int hour = row.instant(field).orElseThrow().atZone(OSTREL).getHour();
              rows.set("rush", hour >= 6 && hour < 9 || hour >= 16 && hour < 19);
            }));
  }
}
