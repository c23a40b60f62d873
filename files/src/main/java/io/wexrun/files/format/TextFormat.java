package io.wexrun.files.format;

import io.wexrun.core.connect.FileForm;
import io.wexrun.core.connect.FileFormat;
import java.util.List;

/** What formats of text share: their names end with that of the format, and files are alike. */
abstract class TextFormat implements FileFormat {
  private final String name;

  TextFormat(String name) {
    this.name = name;
  }

  @Override
  public final String name() {
    return name;
  }

  @Override
  public final List<String> compressions() {
    return TextFile.COMPRESSIONS;
  }

  @Override
  public final String ending(FileForm form) {
    return "." + name + TextFile.ending(form);
  }

  @Override
  public final boolean owns(String file) {
    return TextFile.owns(file, "." + name);
  }
}
