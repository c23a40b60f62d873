package io.wexrun.formats;

import static org.assertj.core.api.Assertions.assertThat;

import com.google.protobuf.ByteString;
import com.google.protobuf.DescriptorProtos.DescriptorProto;
import com.google.protobuf.DescriptorProtos.EnumDescriptorProto;
import com.google.protobuf.DescriptorProtos.EnumValueDescriptorProto;
import com.google.protobuf.DescriptorProtos.FieldDescriptorProto;
import com.google.protobuf.DescriptorProtos.FieldDescriptorProto.Label;
import com.google.protobuf.DescriptorProtos.FieldDescriptorProto.Type;
import com.google.protobuf.DescriptorProtos.FileDescriptorProto;
import com.google.protobuf.DescriptorProtos.FileDescriptorSet;
import com.google.protobuf.DescriptorProtos.OneofDescriptorProto;
import com.google.protobuf.Descriptors.Descriptor;
import com.google.protobuf.Descriptors.DescriptorValidationException;
import com.google.protobuf.Descriptors.EnumValueDescriptor;
import com.google.protobuf.Descriptors.FieldDescriptor;
import com.google.protobuf.Descriptors.FileDescriptor;
import com.google.protobuf.DynamicMessage;
import com.google.protobuf.InvalidProtocolBufferException;
import com.google.protobuf.Timestamp;
import com.google.protobuf.TimestampProto;
import com.google.protobuf.UnknownFieldSet;
import io.wexrun.core.pipeline.StepDefinition;
import java.io.ByteArrayOutputStream;
import java.time.Instant;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.SplittableRandom;
import net.jqwik.api.ForAll;
import net.jqwik.api.Property;
import org.junit.jupiter.api.Test;

class ProtobufTest {
  private static final FileDescriptorProto FILE = file();
  private static final Descriptor READING = reading();
  private static final byte[] SET =
      FileDescriptorSet.newBuilder()
          .addFile(TimestampProto.getDescriptor().toProto())
          .addFile(FILE)
          .build()
          .toByteArray();

  private static FieldDescriptorProto.Builder field(String name, int number, Type type) {
    return FieldDescriptorProto.newBuilder()
        .setName(name)
        .setNumber(number)
        .setType(type)
        .setLabel(Label.LABEL_OPTIONAL);
  }

  /** Every scalar type as a single field and as a list, messages, an enum, a oneof. */
  private static FileDescriptorProto file() {
    DescriptorProto.Builder reading = DescriptorProto.newBuilder().setName("Reading");
    int number = 1;
    for (Type type : Type.values()) {
      if (type != Type.TYPE_GROUP && type != Type.TYPE_MESSAGE && type != Type.TYPE_ENUM) {
        String name = type.name().substring(5).toLowerCase(java.util.Locale.ROOT);
        reading.addField(field("one_" + name, number++, type));
        reading.addField(field("many_" + name, number++, type).setLabel(Label.LABEL_REPEATED));
      }
    }
    reading.addField(field("state", 101, Type.TYPE_ENUM).setTypeName(".ostrel.State"));
    reading.addField(
        field("feeders", 102, Type.TYPE_MESSAGE)
            .setTypeName(".ostrel.Feeder")
            .setLabel(Label.LABEL_REPEATED));
    reading.addField(field("mainFeeder", 103, Type.TYPE_MESSAGE).setTypeName(".ostrel.Feeder"));
    reading.addField(
        field("at", 20_000, Type.TYPE_MESSAGE).setTypeName(".google.protobuf.Timestamp"));
    reading.addOneofDecl(OneofDescriptorProto.newBuilder().setName("either"));
    reading.addField(field("left", 105, Type.TYPE_INT32).setOneofIndex(0));
    reading.addField(field("right", 106, Type.TYPE_STRING).setOneofIndex(0));
    return FileDescriptorProto.newBuilder()
        .setName("test.proto")
        .setPackage("ostrel")
        .setSyntax("proto3")
        .addDependency("google/protobuf/timestamp.proto")
        .addMessageType(reading)
        .addMessageType(
            DescriptorProto.newBuilder()
                .setName("Feeder")
                .addField(field("no", 1, Type.TYPE_SINT32))
                .addField(
                    field("volts", 2, Type.TYPE_FLOAT).setProto3Optional(true).setOneofIndex(0))
                .addField(field("behind", 3, Type.TYPE_MESSAGE).setTypeName(".ostrel.Feeder"))
                .addOneofDecl(OneofDescriptorProto.newBuilder().setName("_volts")))
        .addEnumType(
            EnumDescriptorProto.newBuilder()
                .setName("State")
                .addValue(EnumValueDescriptorProto.newBuilder().setName("NORMAL").setNumber(0))
                .addValue(EnumValueDescriptorProto.newBuilder().setName("OVERLOAD").setNumber(1)))
        .build();
  }

  private static Descriptor reading() {
    try {
      return FileDescriptor.buildFrom(FILE, new FileDescriptor[] {TimestampProto.getDescriptor()})
          .findMessageTypeByName("Reading");
    } catch (DescriptorValidationException e) {
      throw new IllegalStateException(e);
    }
  }

  private static CompiledStep tried(String message, String names) {
    return new CompiledStep(
        StepDefinition.of(
            "protobuf", Map.of("descriptors", "a.desc", "message", message, "names", names)),
        Map.of("a.desc", SET));
  }

  private static final CompiledStep TRIED = tried("ostrel.Reading", "as-written");

  /** What the library's own reading gives, in the form of our rows. */
  private static String expected(DynamicMessage message) {
    Map<String, String> row = new LinkedHashMap<>();
    for (FieldDescriptor field : message.getDescriptorForType().getFields()) {
      if (field.isRepeated() || !field.hasPresence() || message.hasField(field)) {
        String json = json(field, message.getField(field));
        Object value = message.getField(field);
        row.put(
            field.getName(),
            value instanceof String text
                ? text
                : value instanceof ByteString bytes
                    ? bytes.toStringUtf8()
                    : json.startsWith("\"") ? json.substring(1, json.length() - 1) : json);
      }
    }
    return row.toString();
  }

  private static String json(FieldDescriptor field, Object value) {
    if (value instanceof List<?> list) {
      return list.stream().map(v -> json(field, v)).toList().toString();
    }
    return switch (field.getType()) {
      case ENUM -> "\"" + ((EnumValueDescriptor) value).getName().replaceAll(".*_", "") + "\"";
      case STRING -> "\"" + escaped((String) value) + "\"";
      case BYTES -> "\"" + escaped(((ByteString) value).toStringUtf8()) + "\"";
      case FLOAT -> Double.toString((Float) value);
      case UINT32, FIXED32 -> Long.toString((Integer) value & 0xFFFFFFFFL);
      case MESSAGE -> message((DynamicMessage) value);
      default -> value.toString();
    };
  }

  private static String escaped(String text) {
    StringBuilder escaped = new StringBuilder();
    for (char c : text.toCharArray()) {
      escaped.append(c == '"' || c == '\\' ? "\\" : "");
      escaped.append(c < 32 ? String.format("\\u%04x", (int) c) : c);
    }
    return escaped.toString();
  }

  private static String message(DynamicMessage message) {
    Descriptor type = message.getDescriptorForType();
    if (type.getFullName().equals("google.protobuf.Timestamp")) {
      long seconds = (Long) message.getField(type.findFieldByNumber(1));
      int nanos = (Integer) message.getField(type.findFieldByNumber(2));
      return "\"" + Instant.ofEpochSecond(seconds, nanos / 1000 * 1000) + "\"";
    }
    List<String> members = new ArrayList<>();
    for (FieldDescriptor field : type.getFields()) {
      boolean there = !field.hasPresence() || message.hasField(field);
      String value = there ? json(field, message.getField(field)) : "null";
      if (field.getName().equals("behind") && there) {
        ByteString raw = ((DynamicMessage) message.getField(field)).toByteString();
        value = "\"" + escaped(raw.toStringUtf8()) + "\"";
      }
      members.add("\"" + field.getName() + "\": " + value);
    }
    return "{" + String.join(", ", members) + "}";
  }

  private static DynamicMessage random(Descriptor type, SplittableRandom random, int depth) {
    DynamicMessage.Builder builder = DynamicMessage.newBuilder(type);
    for (FieldDescriptor field : type.getFields()) {
      boolean message = field.getJavaType() == FieldDescriptor.JavaType.MESSAGE;
      boolean inItself = field.getName().equals("behind");
      if (random.nextInt(3) == 0 || message && depth > 2 || inItself && depth < 0) {
        continue;
      }
      if (field.isRepeated()) {
        for (int i = random.nextInt(4); i > 0; i--) {
          builder.addRepeatedField(field, value(field, random, depth));
        }
      } else {
        builder.setField(field, value(field, random, depth));
      }
    }
    return builder.build();
  }

  private static Object value(FieldDescriptor field, SplittableRandom random, int depth) {
    long bits = random.nextLong() >> random.nextInt(64);
    return switch (field.getType()) {
      case DOUBLE -> bits / 8.0;
      case FLOAT -> bits / 8.0f;
      case INT32, SINT32, SFIXED32, UINT32, FIXED32 -> (int) bits;
      case UINT64, FIXED64 -> bits & Long.MAX_VALUE;
      case INT64, SINT64, SFIXED64 -> bits;
      case BOOL -> bits < 0;
      case STRING -> "zé" + Long.toString(bits, 36);
      case BYTES -> ByteString.copyFromUtf8(Long.toString(bits, 36));
      case ENUM -> field.getEnumType().findValueByNumberCreatingIfUnknown(random.nextInt(3));
      case MESSAGE ->
          field.getMessageType().getFullName().equals("google.protobuf.Timestamp")
              ? Timestamp.newBuilder()
                  .setSeconds(random.nextLong(-1L << 32, 1L << 34))
                  .setNanos(random.nextInt(1_000_000_000))
                  .build()
              : random(field.getMessageType(), random, depth + 1);
      case GROUP -> throw new IllegalStateException();
    };
  }

  private static DynamicMessage parsed(byte[] bytes) throws InvalidProtocolBufferException {
    return DynamicMessage.parseFrom(READING, bytes);
  }

  @Property(tries = 500)
  void everyMessageIsReadAsTheLibraryReadsIt(@ForAll long seed) throws Exception {
    SplittableRandom random = new SplittableRandom(seed);
    ByteArrayOutputStream bytes = new ByteArrayOutputStream();
    // Two messages behind each other are one, in which later values count and messages are merged.
    int parts = 1 + random.nextInt(3);
    for (int part = 0; part < parts; part++) {
      // A message inside itself is kept as its bytes; merged ones have the same parts otherwise.
      random(READING, random, parts == 1 ? 0 : -9).writeTo(bytes);
      if (random.nextBoolean()) {
        UnknownFieldSet.newBuilder()
            .addField(
                5000 + random.nextInt(100),
                UnknownFieldSet.Field.newBuilder()
                    .addVarint(random.nextLong())
                    .addFixed32(7)
                    .addLengthDelimited(ByteString.copyFromUtf8("x"))
                    .addGroup(UnknownFieldSet.newBuilder().build())
                    .build())
            .build()
            .writeTo(bytes);
      }
    }
    byte[] message = bytes.toByteArray();
    assertThat(TRIED.of(message)).isEqualTo(expected(parsed(message)));
  }

  @Property(tries = 1000)
  void whatIsNoMessageForTheLibraryIsNoneForUs(@ForAll long seed) {
    SplittableRandom random = new SplittableRandom(seed);
    byte[] message = random(READING, random, -9).toByteArray();
    if (message.length > 0) {
      message = Arrays.copyOf(message, random.nextInt(message.length) + 1);
      message[random.nextInt(message.length)] = (byte) random.nextInt();
    }
    String row = TRIED.of(message);
    String theirs;
    try {
      theirs = expected(parsed(message));
    } catch (InvalidProtocolBufferException | java.time.DateTimeException e) {
      assertThat(row).startsWith("dies: ");
      return;
    }
    // What only a column cannot hold dies here alone: a uint64 above a long, an odd instant. And
    // the
    // library lets some varints pass that do not end, and packed values beyond their length.
    boolean narrow =
        row.contains("more than a long")
            || row.contains("not an instant")
            || row.contains("not UTF-8")
            || row.startsWith("dies: not-protobuf") && row.endsWith("does not end");
    assertThat(narrow ? theirs : row)
        .as("%s", java.util.HexFormat.of().formatHex(message))
        .isEqualTo(theirs);
  }

  @Test
  void enumsThatAreNotKnownKeepTheirNumber() throws Exception {
    byte[] message = {(byte) 0xA8, 6, 42};
    assertThat(TRIED.of(message)).contains("state=42");
  }

  @Test
  void namesAreAsWrittenOrInSnakeCase() {
    assertThat(TRIED.output().names()).contains("mainFeeder");
    assertThat(tried("ostrel.Reading", "snake").output().names()).contains("main_feeder");
    assertThat(
            List.of("HTTPStatus", "takenAt", "kWh2Total", "a_b").stream().map(MessageField::snake))
        .containsExactly("http_status", "taken_at", "k_wh2_total", "a_b");
  }

  @Test
  void aWrongMessageIsToldWithThoseThatThereAre() {
    assertThat(tried("Reading", "snake").mistakes())
        .containsExactly(
            "unknown-message: 'a.desc' has no message 'Reading' (did you mean 'ostrel.Reading'?)");
    assertThat(tried("ostrel.Reding", "snake").mistakes().get(0))
        .contains("(did you mean 'ostrel.Reading'?)");
    assertThat(tried("x", "snake").mistakes().get(0))
        .contains("(the messages are google.protobuf.Timestamp, ostrel.Feeder, ostrel.Reading)");
    StepDefinition definition =
        StepDefinition.of("protobuf", Map.of("descriptors", "a.desc", "message", "x"));
    assertThat(
            new CompiledStep(definition, Map.of("a.desc", new byte[] {1, 2, 3})).mistakes().get(0))
        .startsWith("bad-descriptors: 'a.desc' is not a descriptor set");
    assertThat(new CompiledStep(definition, Map.of()).mistakes())
        .containsExactly("missing-file: there is no file 'a.desc'");
  }
}
