package io.wexrun.formats;

import com.google.protobuf.DescriptorProtos.FileDescriptorProto;
import com.google.protobuf.DescriptorProtos.FileDescriptorSet;
import com.google.protobuf.Descriptors.Descriptor;
import com.google.protobuf.Descriptors.DescriptorValidationException;
import com.google.protobuf.Descriptors.FileDescriptor;
import com.google.protobuf.InvalidProtocolBufferException;
import io.wexrun.core.batch.Vector;
import io.wexrun.core.dead.Reason;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.intake.Records;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import io.wexrun.core.step.ParseStep;
import io.wexrun.core.step.Rejects;
import io.wexrun.core.step.Step;
import io.wexrun.core.step.StepContext;
import io.wexrun.core.step.StepKind;
import io.wexrun.core.written.Form;
import io.wexrun.core.written.Written;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.TreeMap;

/**
 * {@code protobuf: {descriptors: FILE, message: FULL.NAME, names: as-written | snake, from:
 * FIELD}}: records that hold one Protocol Buffers message each, without a length before it. The
 * file is a descriptor set, as {@code protoc --include_imports --descriptor_set_out=FILE} writes
 * it.
 */
public final class ProtobufKind implements StepKind {
  @Override
  public String name() {
    return "protobuf";
  }

  @Override
  public Form form() {
    return Form.keys(
            Form.with(
                "descriptors", Form.text(),
                "message", Form.text(),
                "names", Form.word("as-written", "snake"),
                "from", Form.text().about("the field to read, if it is not the raw record")),
            "descriptors",
            "message")
        .about("one Protocol Buffers message");
  }

  @Override
  public List<Step> compile(Written written, StepContext context) {
    int before = written.diagnostics().errors();
    Map<String, Written> entries =
        written.entries("a protobuf", List.of("descriptors", "message", "names", BinaryStep.FIELD));
    int from = BinaryStep.place(entries, written, context);
    boolean snake =
        entries.containsKey("names")
            && entries.get("names").choice(List.of("as-written", "snake")).equals("snake");
    Written file = entries.get("descriptors");
    Written name = entries.get("message");
    if (file == null || name == null) {
      String missing = file == null ? "descriptors" : "message";
      written.error("missing-key", "protobuf needs '" + missing + "'", "");
      return List.of();
    }
    Optional<Descriptor> message = message(file, name, context);
    if (message.isEmpty() || written.diagnostics().errors() > before) {
      return List.of();
    }
    List<MessageField> fields = MessageField.of(message.get(), snake);
    if (fields.isEmpty()) {
      name.error("bad-message", "message '" + name.text() + "' has no fields", "");
      return List.of();
    }
    return List.of(new ProtobufStep(context.input(), fields, from, message.get().getFullName()));
  }

  private static Optional<Descriptor> message(Written file, Written name, StepContext context) {
    Map<String, Descriptor> messages;
    try {
      messages = messages(FileDescriptorSet.parseFrom(context.references().bytes(file.text())));
    } catch (OutsideException e) {
      file.error("missing-file", e.getMessage(), "");
      return Optional.empty();
    } catch (InvalidProtocolBufferException | DescriptorValidationException e) {
      String stem = file.text().replaceFirst("\\.proto$", "");
      String hint =
          "write one with protoc --include_imports --descriptor_set_out=" + stem + ".desc";
      String message = "'" + file.text() + "' is not a descriptor set: " + e.getMessage();
      file.error("bad-descriptors", message, hint);
      return Optional.empty();
    }
    Descriptor found = messages.get(name.text());
    if (found == null) {
      List<String> known = List.copyOf(messages.keySet());
      List<String> ends = known.stream().filter(full -> full.endsWith("." + name.text())).toList();
      Optional<String> whole =
          ends.size() == 1 ? Optional.of("did you mean '" + ends.get(0) + "'?") : Optional.empty();
      name.diagnostics()
          .error(
              "unknown-message",
              name.path(),
              "'" + file.text() + "' has no message '" + name.text() + "'",
              whole.or(
                  () ->
                      Diagnostics.nearestOrKnown(
                          name.text(), known, all -> "the messages are " + all)));
    }
    return Optional.ofNullable(found);
  }

  /** All messages of a descriptor set by their full names. */
  static Map<String, Descriptor> messages(FileDescriptorSet set)
      throws DescriptorValidationException {
    Map<String, FileDescriptorProto> protos = new LinkedHashMap<>();
    set.getFileList().forEach(proto -> protos.put(proto.getName(), proto));
    Map<String, FileDescriptor> files = new LinkedHashMap<>();
    Map<String, Descriptor> messages = new TreeMap<>();
    for (FileDescriptorProto proto : set.getFileList()) {
      build(proto, protos, files).getMessageTypes().forEach(m -> add(m, messages));
    }
    return messages;
  }

  private static FileDescriptor build(
      FileDescriptorProto proto,
      Map<String, FileDescriptorProto> protos,
      Map<String, FileDescriptor> files)
      throws DescriptorValidationException {
    FileDescriptor built = files.get(proto.getName());
    if (built == null) {
      FileDescriptor[] imports = new FileDescriptor[proto.getDependencyCount()];
      int known = 0;
      for (String name : proto.getDependencyList()) {
        if (protos.containsKey(name)) {
          imports[known++] = build(protos.get(name), protos, files);
        }
      }
      FileDescriptor[] there = java.util.Arrays.copyOf(imports, known);
      built = FileDescriptor.buildFrom(proto, there, false);
      files.put(proto.getName(), built);
    }
    return built;
  }

  private static void add(Descriptor message, Map<String, Descriptor> messages) {
    messages.put(message.getFullName(), message);
    message.getNestedTypes().stream()
        .filter(nested -> !nested.getOptions().getMapEntry())
        .forEach(nested -> add(nested, messages));
  }

  private static final class ProtobufStep extends BinaryStep {
    private final List<MessageField> fields;
    private final String message;

    ProtobufStep(Schema input, List<MessageField> fields, int from, String message) {
      super(
          input,
          new Schema(
              fields.stream()
                  .map(f -> new Column(f.name(), f.type(), f.repeated() || !f.presence()))
                  .toList()),
          from);
      this.fields = fields;
      this.message = message;
    }

    @Override
    protected ParseStep.Reading begin(Records records, List<Vector> columns, Rejects rejects) {
      MessageReading reading = new MessageReading();
      return (data, from, to, record) -> {
        if (reading.read(fields, columns, data, from, to, 0)) {
          return true;
        }
        String what = reading.broken() ? "no " + message + ": " : "";
        Reason reason = reading.broken() ? Reason.NOT_PROTOBUF : Reason.BAD_VALUE;
        rejects.reject(record, reason, reading.faultField(), what + reading.fault());
        return false;
      };
    }
  }
}
