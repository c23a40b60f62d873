package io.wexrun.formats;

import com.google.protobuf.DescriptorProtos.FileDescriptorSet;
import com.google.protobuf.Descriptors.Descriptor;
import com.google.protobuf.Descriptors.DescriptorValidationException;
import com.google.protobuf.InvalidProtocolBufferException;
import io.wexrun.core.connect.ColumnsReader;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.schema.Column;
import io.wexrun.core.schema.Schema;
import java.io.IOException;
import java.nio.file.Files;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;

/** The fields of a message in a Protocol Buffers descriptor set, as {@code protoc} writes it. */
public final class ProtobufColumns implements ColumnsReader {
  @Override
  public String kind() {
    return "protobuf";
  }

  @Override
  public List<String> keys() {
    return List.of("protobuf", "message", "names");
  }

  @Override
  public Columns read(Path file, Settings settings, String table) throws IOException {
    String name = settings.text("message").orElse("");
    Map<String, Descriptor> messages;
    try {
      messages = ProtobufKind.messages(FileDescriptorSet.parseFrom(Files.readAllBytes(file)));
    } catch (InvalidProtocolBufferException | DescriptorValidationException e) {
      throw new IllegalArgumentException("it is not a descriptor set: " + e.getMessage(), e);
    }
    Descriptor message = messages.get(name);
    if (message == null) {
      throw new IllegalArgumentException(
          (name.isEmpty() ? "'message' does not say which" : "it has no message '" + name + "'")
              + "; the messages are "
              + String.join(", ", messages.keySet()));
    }
    boolean snake = settings.text("names").orElse("").equals("snake");
    List<Column> columns =
        MessageField.of(message, snake).stream().map(f -> Column.of(f.name(), f.type())).toList();
    return new Columns(new Schema(columns), Map.of());
  }
}
