package io.wexrun.core.connect;

import io.wexrun.core.written.Form;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * What all connectors have: settings of a kind. Found by {@link java.util.ServiceLoader}: needs a
 * public constructor without parameters. Has no state; for several threads.
 */
public interface Connector {
  /** The key that names the kind in settings. */
  String kind();

  /** All keys that settings may have, the kind's own included. */
  List<String> keys();

  /** What may be written in settings, for editors; by default anything under each key. */
  default Form form() {
    Map<String, Form> forms = new LinkedHashMap<>();
    keys().forEach(key -> forms.put(key, Form.any()));
    return Form.keys(forms, kind());
  }
}
