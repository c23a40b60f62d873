package io.wexrun.core.shape;

import static org.assertj.core.api.Assertions.assertThat;

import com.google.re2j.Matcher;
import com.google.re2j.Pattern;
import io.wexrun.core.batch.TextVector;
import io.wexrun.core.intake.Records;
import java.nio.charset.StandardCharsets;
import net.jqwik.api.Arbitraries;
import net.jqwik.api.Arbitrary;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import net.jqwik.api.Provide;

class KeyTest {
  @Property(tries = 3000)
  void aKeyIsWhatThePatternFinds(@ForAll("patterns") String pattern, @ForAll("lines") String line) {
    byte[] data = ("##" + line).getBytes(StandardCharsets.UTF_8);
    Records records = Records.atBytes(data, new int[] {2}, new int[] {data.length}, 1, 0, null);
    TextVector keys = new TextVector(1, 1);
    new Key(pattern).append(records, 0, keys);
    Matcher matcher = Pattern.compile(pattern).matcher(line);
    boolean found = matcher.find();
    assertThat(keys.absent(0)).isEqualTo(!found);
    if (found) {
      assertThat(keys.text(0)).isEqualTo(matcher.group(matcher.groupCount()));
    }
  }

  @Provide
  Arbitrary<String> patterns() {
    return Arbitraries.of("card=(\\S+)", "card=(\\w+)", "card=([A-F0-9]+)", "card=\\S+", "d=(.)");
  }

  @Provide
  Arbitrary<String> lines() {
    return Arbitraries.of("card=", "card", "d=", "7F", " ", "\t", "é", "_", "-", "=")
        .list()
        .ofMaxSize(12)
        .map(parts -> String.join("", parts));
  }
}
