package io.wexrun.cli;

import static org.assertj.core.api.Assertions.assertThat;

import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.field.JsonMembers;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.Records;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.StepDefinition;
import io.wexrun.core.shape.RecordTrial;
import io.wexrun.core.shape.Shaper;
import io.wexrun.core.shape.Steps;
import java.nio.charset.StandardCharsets;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Random;
import java.util.stream.LongStream;
import org.junit.jupiter.params.ParameterizedTest;
import org.junit.jupiter.params.provider.MethodSource;
import tools.jackson.databind.JsonNode;
import tools.jackson.databind.json.JsonMapper;
import tools.jackson.databind.node.ArrayNode;
import tools.jackson.databind.node.ObjectNode;

/** Random JSON values, written by a library: every value is picked as the library sees it. */
class JsonPicksTest {
  private static final JsonMapper MAPPER = JsonMapper.builder().build();
  private static final String[] TEXTS = {"", "x", "é\"\\/\n\t", "\u0001\u007f", "☃🚋", "null", "1"};

  static LongStream seeds() {
    return LongStream.range(0, 300);
  }

  private static JsonNode value(Random random, int depth) {
    switch (random.nextInt(depth > 4 ? 5 : 7)) {
      case 0:
        return MAPPER.getNodeFactory().numberNode(random.nextLong());
      case 1:
        return MAPPER.getNodeFactory().numberNode(random.nextGaussian() * 1e6);
      case 2:
        return MAPPER.getNodeFactory().booleanNode(random.nextBoolean());
      case 3:
        return MAPPER.getNodeFactory().nullNode();
      case 4:
        return MAPPER.getNodeFactory().stringNode(TEXTS[random.nextInt(TEXTS.length)]);
      case 5:
        ArrayNode array = MAPPER.createArrayNode();
        for (int i = random.nextInt(4); i > 0; i--) {
          array.add(value(random, depth + 1));
        }
        return array;
      default:
        return object(random, depth);
    }
  }

  private static ObjectNode object(Random random, int depth) {
    ObjectNode object = MAPPER.createObjectNode();
    for (int i = random.nextInt(5); i >= 0; i--) {
      String name = random.nextInt(5) == 0 ? "x y" + i : "m" + i;
      object.set(name, value(random, depth + 1));
    }
    return object;
  }

  @ParameterizedTest
  @MethodSource("seeds")
  void everyMemberIsPickedAtItsPath(long seed) {
    Random random = new Random(seed);
    ObjectNode object = object(random, 0);
    byte[] text = MAPPER.writeValueAsBytes(object);
    Map<String, String> members = new LinkedHashMap<>();
    assertThat(new JsonMembers().visit(text, members::put)).isTrue();
    Map<String, Object> fields = new LinkedHashMap<>();
    members.keySet().forEach(path -> fields.put("f" + fields.size(), "json from " + path));
    if (fields.isEmpty()) {
      return;
    }
    Map<String, String> row = run(fields, text);
    int number = 0;
    for (Map.Entry<String, String> member : members.entrySet()) {
      JsonNode expected = MAPPER.readTree(member.getValue());
      String picked = row.get("f" + number++);
      if (expected.isNull()) {
        assertThat(picked).as(member.getKey()).isNull();
      } else {
        assertThat(MAPPER.readTree(picked)).as(member.getKey()).isEqualTo(expected);
        assertThat(at(object, member.getKey())).isEqualTo(expected);
      }
    }
  }

  /** The node at a path of names, found by the library. */
  private static JsonNode at(JsonNode top, String path) {
    JsonNode node = top;
    for (String part : path.substring(1).split("\\.|\\['|']\\.?")) {
      node = part.isEmpty() ? node : node.get(part);
    }
    return node;
  }

  private static Map<String, String> run(Map<String, Object> fields, byte[] text) {
    Pipeline pipeline =
        Pipeline.named("p")
            .intake(Settings.of("lines", "").with("longest", "1MB"))
            .shape(StepDefinition.of("json", Map.of("fields", fields)))
            .route(Route.otherwiseDrop())
            .build();
    Diagnostics diagnostics = Diagnostics.of("picks");
    Shaper shaper =
        Shaper.compile(pipeline, Steps.ours(), n -> Optional.empty(), List.of(), diagnostics);
    diagnostics.orThrow();
    Block block =
        new Block(
            new SourcePartition("x"),
            0,
            text.length,
            text,
            text.length,
            b -> Records.atBytes(text, new int[] {0}, new int[] {text.length}, 1, 0, null));
    RecordTrial trial = shaper.tryOut(block).trials().get(0);
    assertThat(trial.death()).as(new String(text, StandardCharsets.UTF_8)).isEmpty();
    return trial.stages().get(0).rows().get(0);
  }
}
