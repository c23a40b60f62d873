package io.wexrun.project.check;

import io.wexrun.core.connect.TargetConnector;
import io.wexrun.core.pipeline.Others;
import io.wexrun.core.shape.Steps;
import io.wexrun.core.written.Form;
import io.wexrun.project.open.Connectors;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.LinkedHashMap;
import java.util.List;
import java.util.Map;

/**
 * What may be written in the files of a workspace, as JSON Schemas (draft 2020-12), with what the
 * folder's plugins add.
 */
public final class FileForms {
  private FileForms() {}

  /** The schema of a document in {@code pipelines/*.yaml}. */
  public static Map<String, Object> pipeline(Path folder) {
    Connectors connectors = new Connectors(folder);
    Form route =
        Form.keys(
            Form.with(
                "when", Form.text().about("a CEL condition; without it, every record"),
                "to", Form.list(Form.text()).about("tables and queues, or dead, or drop"),
                "key", Form.text().about("for queues: a pattern whose first group is the key"),
                "otherwise", Form.list(Form.text()).about("what no entry before took")));
    Form shape = reference("shape");
    Form routes = reference("route");
    Form kind =
        Form.keys(
            Form.with(
                "has", Form.list(Form.text()).about("fields that only this kind has"),
                "where", Form.map(Form.list(Form.text())).about("fields and their values"),
                "when", Form.text().about("a CEL condition"),
                "shape", shape,
                "to", Form.list(Form.text()),
                "route", routes));
    Form parameter =
        Form.keys(
            Form.with(
                "type", Form.word("text", "int", "double", "bool", "list", "map"),
                "default", Form.any(),
                "pattern", Form.text().about("what the whole value matches (RE2 syntax)"),
                "about", Form.text()));
    Form whole =
        Form.keys(
            Form.with(
                "pipeline", Form.text().about("its name"),
                "about", Form.text().about("what it is for"),
                "start",
                    Form.keys(
                            Form.with(
                                "every",
                                Form.text(),
                                "cron",
                                Form.text(),
                                "zone",
                                Form.text(),
                                "after",
                                Form.list(Form.text()),
                                "arrivals",
                                Form.text(),
                                "missed",
                                Form.word("once", "skip"),
                                "overlap",
                                Form.word("once", "skip"),
                                "retries",
                                Form.text(),
                                "with",
                                Form.map(Form.text()).about("values of parameters at each start")))
                        .about("when it is started in a run that goes on"),
                "tags", Form.list(Form.text()).about("words by which it is chosen: tag:WORD"),
                "parameters", Form.map(parameter).about("values that come when it is run"),
                "patterns", Form.map(Form.text()).about("names of regular expressions"),
                "intake", intakes(connectors),
                "channel", channels(connectors),
                "shape", shape,
                "route", routes,
                "kinds", Form.either(Form.map(kind), Form.text()),
                "others", word(Others.values()),
                "dead", reference("route").about("where dead letters go, by their fields"),
                "flush",
                    Form.keys(
                        Form.with("rows", Form.text(), "size", Form.text(), "age", Form.text())),
                "deaths",
                    Form.keys(
                            Form.with("warn", Form.text(), "stop", Form.text(), "of", Form.text()))
                        .about("how many may die before it is told, or the pipeline stops"),
                "cases", Form.list(Form.map(Form.any()))),
            "pipeline",
            "intake");
    Map<String, Object> shared = new LinkedHashMap<>();
    shared.put("shape", Form.list(reference("step")).about("steps, in order").schema());
    shared.put("step", steps(connectors.steps()).schema());
    shared.put(
        "route",
        Form.list(reference("entry"))
            .about("the first entry whose condition holds takes the record")
            .schema());
    shared.put("entry", route.schema());
    Map<String, Object> schema = document("A pipeline of a Wexrun workspace", whole);
    schema.put("$defs", shared);
    return schema;
  }

  /** The schema of {@code wexrun.yaml}. */
  public static Map<String, Object> workspace(Path folder) {
    Connectors connectors = new Connectors(folder);
    List<Form> stores = new ArrayList<>();
    connectors.stores().values().forEach(store -> stores.add(store.form()));
    Form column =
        Form.either(Form.text(), Form.map(Form.any()))
            .about(
                "a type, then 'required', 'default VALUE' or '= EXPRESSION'; a mapping is a"
                    + " struct");
    Form table =
        Form.keys(
            Form.with(
                "in",
                Form.text().about("the store"),
                "about",
                Form.text().about("what the table is"),
                "like",
                Form.map(Form.text()).about("a file that says what the columns are"),
                "columns",
                Form.map(column).about("beside or instead of those that the table is like"),
                "comments",
                Form.map(Form.text()).about("columns, and what they are"),
                "drift",
                Form.map(Form.word("ignore", "keep", "add", "die"))
                    .about("the field that holds what no column takes, and what becomes of it"),
                "group",
                Form.either(Form.text(), Form.list(Form.text()))
                    .about("one row for each combination of these; the others are measures"),
                "key",
                Form.either(Form.text(), Form.list(Form.text())),
                "origin",
                Form.word("true", "false")
                    .about("whether each row tells which record it was made of, for trace"),
                "sort",
                Form.either(Form.text(), Form.list(Form.text()))
                    .about("by which rows of a Parquet file are in order"),
                "manage",
                Form.word("create", "never", "follow")),
            "in");
    Map<String, Form> keys =
        Form.with(
            "workspace", Form.text(),
            "keys",
                Form.map(
                        Form.keys(
                            Form.with(
                                "env", Form.text().about("the variable that holds the secret"),
                                "file", Form.text().about("the file that holds the secret"),
                                "command",
                                    Form.text().about("the command that writes the secret"))))
                    .about("what files may be encrypted with"),
            "encrypt", Form.text().about("the key of all queues, channels and folders, or none"),
            "stores", Form.map(Form.either(stores.toArray(Form[]::new))));
    List<Form> targets = new ArrayList<>();
    for (TargetConnector target : connectors.targets().values()) {
      target
          .section()
          .ifPresent(s -> keys.put(s.key(), Form.map(Form.either(s.form(), Form.text()))));
      targets.add(target.form());
    }
    keys.put("tables", Form.map(table));
    keys.put("targets", Form.map(Form.either(targets.toArray(Form[]::new))));
    return document("A Wexrun workspace", Form.keys(keys));
  }

  private static Map<String, Object> document(String title, Form form) {
    Map<String, Object> schema = new LinkedHashMap<>();
    schema.put("$schema", "https://json-schema.org/draft/2020-12/schema");
    schema.put("title", title);
    schema.putAll(form.schema());
    return schema;
  }

  private static Form reference(String name) {
    return new Form(Map.of("$ref", "#/$defs/" + name));
  }

  private static Form word(Object... values) {
    return Form.word(List.of(values).stream().map(Object::toString).toArray(String[]::new));
  }

  private static Form intakes(Connectors connectors) {
    List<Form> intakes = new ArrayList<>();
    connectors.intakes().values().forEach(intake -> intakes.add(intake.form()));
    return Form.either(intakes.toArray(Form[]::new)).about("where records come from");
  }

  private static Form channels(Connectors connectors) {
    List<Form> channels = new ArrayList<>();
    connectors.channels().values().forEach(channel -> channels.add(channel.form()));
    return Form.either(channels.toArray(Form[]::new)).about("where records wait until delivered");
  }

  /** A step has one key. */
  private static Form steps(Steps steps) {
    Map<String, Object> schema =
        new LinkedHashMap<>(Form.keys(new LinkedHashMap<>(steps.forms())).schema());
    schema.put("minProperties", 1);
    schema.put("maxProperties", 1);
    return new Form(schema);
  }
}
