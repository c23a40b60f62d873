package io.wexrun.project;

import io.wexrun.core.diagnose.Diagnostic;
import io.wexrun.core.diagnose.Diagnostics;
import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.run.Notice;
import io.wexrun.core.shape.Shaper;
import io.wexrun.project.open.Connectors;
import io.wexrun.project.open.Snapshot;
import io.wexrun.project.open.Stores;
import io.wexrun.project.open.WorkspaceSite;
import io.wexrun.project.run.Compiling;
import io.wexrun.project.run.Feeding;
import java.nio.file.Path;
import java.util.ArrayList;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.Set;
import java.util.TreeSet;
import java.util.function.Consumer;
import java.util.regex.Pattern;

/**
 * Takes what was changed in the files of a workspace into a run that goes on: if it is right, those
 * pipelines that it concerns go on from their positions with the new text; if not, all go on as
 * they are, and the mistakes are told. Used by one thread at a time.
 */
final class Rereading {
  private final Parts parts;
  private final WorkspaceRun run;
  private final Set<String> names;
  private Map<String, String> running;
  private String lastTold = "";

  /**
   * What a workspace consists of.
   *
   * @param parameters with which its files are read
   */
  record Parts(
      Path folder,
      Map<String, String> parameters,
      Connectors connectors,
      WorkspaceSite site,
      Stores stores) {}

  /**
   * For a run.
   *
   * @param names of the pipelines that run; all that there are, if there are none
   * @param running the signatures of those that run
   */
  Rereading(Parts parts, WorkspaceRun run, Set<String> names, Map<String, String> running) {
    this.parts = parts;
    this.run = run;
    this.names = names;
    this.running = running;
  }

  /**
   * Reads the files, and changes what runs.
   *
   * @param taken is told what the workspace is from now on
   * @return whether it is to be tried again after a while, since a table does not fit yet
   */
  boolean reread(Consumer<Scene> taken) {
    try {
      return tryAndTake(taken);
    } catch (OutsideException e) {
      run.tell(Notice.Kind.WAITS, "the changed files are not taken: " + e.getMessage());
    } catch (InterruptedException e) {
      Thread.currentThread().interrupt();
    } catch (RuntimeException e) {
      System.getLogger(Rereading.class.getName())
          .log(System.Logger.Level.ERROR, "changed files are not taken, by a bug", e);
      run.tell(Notice.Kind.WAITS, "the changed files are not taken, by a bug: " + e);
    }
    return false;
  }

  private boolean tryAndTake(Consumer<Scene> taken) throws InterruptedException {
    Scene.Read read =
        Scene.Read.of(parts.folder(), parts.connectors(), parts.parameters())
            .completed(parts.folder(), parts.connectors());
    Diagnostics diagnostics = Diagnostics.of("workspace");
    Map<String, Shaper> shapers;
    Map<String, String> signatures;
    List<Pipeline> all;
    Map<String, Compiling.Compiled> compiled = new HashMap<>();
    try (WorkspaceSite site =
            new WorkspaceSite(parts.folder(), read.definition(), parts.connectors());
        Stores stores = parts.stores().tried(site, read.definition())) {
      Scene tried = Scene.of(read, site, stores, parts.connectors());
      Map<String, Snapshot> looksUp = new HashMap<>();
      shapers = tried.compilation().compile(diagnostics, looksUp);
      List<Diagnostic> mistakes =
          tried.compilation().inOrder(diagnostics).stream().filter(Scene::isMistake).toList();
      if (!mistakes.isEmpty()) {
        tellMistakes(mistakes);
        return false;
      }
      all =
          read.definition().pipelines().stream()
              .filter(pipeline -> names.isEmpty() || names.contains(pipeline.name()))
              .toList();
      signatures = tried.signatures(all, shapers);
      Optional<String> unfit = unfit(read, stores, shapers, signatures);
      if (unfit.isPresent()) {
        if (!unfit.get().equals(lastTold)) {
          run.tell(Notice.Kind.WAITS, unfit.get());
        }
        lastTold = unfit.get();
        return true;
      }
      lastTold = "";
      shapers.forEach(
          (name, shaper) ->
              compiled.put(
                  name,
                  tried
                      .compilation()
                      .with(
                          shaper,
                          looksUp.computeIfAbsent(
                              name, n -> tried.compilation().references().now()))));
    }
    take(read, all, signatures, compiled, taken);
    return false;
  }

  /** Tells of a table that a changed pipeline could not load any more, which it does as it is. */
  private Optional<String> unfit(
      Scene.Read read, Stores stores, Map<String, Shaper> shapers, Map<String, String> signatures) {
    WorkspaceTables tables =
        new WorkspaceTables(read.definition(), stores, parts.site().data(), Optional.empty());
    for (Map.Entry<String, String> each : signatures.entrySet()) {
      String before = running.get(each.getKey());
      Shaper shaper = shapers.get(each.getKey());
      if (before == null || shaper == null || before.equals(each.getValue())) {
        continue;
      }
      Optional<WorkspaceTables.Facts> unfit =
          tables.facts(shaper.targets()).stream()
              .filter(facts -> facts.difference().isPresent())
              .findFirst();
      if (unfit.isPresent()) {
        return Optional.of(
            "the changed files are not taken yet, since table "
                + unfit.get().table().name()
                + " in "
                + unfit.get().table().store()
                + " has other columns than they say: 'wexrun rebuild "
                + each.getKey()
                + "' builds it again beside, and 'wexrun check' says how to change it");
      }
    }
    return Optional.empty();
  }

  private void take(
      Scene.Read read,
      List<Pipeline> all,
      Map<String, String> signatures,
      Map<String, Compiling.Compiled> compiled,
      Consumer<Scene> taken)
      throws InterruptedException {
    Set<String> changed = new TreeSet<>();
    Set<String> removed = new TreeSet<>();
    running.forEach(
        (name, signature) -> {
          if (!signatures.containsKey(name)) {
            removed.add(name);
          } else if (!signatures.get(name).equals(signature)) {
            changed.add(name);
          }
        });
    List<Pipeline> added =
        all.stream().filter(pipeline -> !running.containsKey(pipeline.name())).toList();
    Optional<String> renamed = renamed(removed, added, signatures);
    if (renamed.isPresent()) {
      run.tell(Notice.Kind.WAITS, renamed.get());
      return;
    }
    List<String> still = new ArrayList<>(changed);
    still.addAll(removed);
    run.change(
        still,
        () -> {
          parts.site().redefine(read.definition());
          parts.stores().redefine(read.definition());
          Scene scene = Scene.of(read, parts.site(), parts.stores(), parts.connectors());
          taken.accept(scene);
          return new WorkspaceRun.Change(
              new Feeding(all, compiled, scene.ends()),
              scene.compilation().compiling(),
              List.copyOf(removed),
              added);
        });
    running = signatures;
    tellTaken(changed, removed, added.stream().map(Pipeline::name).toList());
  }

  /**
   * Tells of a pipeline that is there under another name: it would load everything again, which
   * nobody wants who only renames it.
   */
  private Optional<String> renamed(
      Set<String> removed, List<Pipeline> added, Map<String, String> signatures) {
    for (String before : removed) {
      for (Pipeline pipeline : added) {
        String now = signatures.get(pipeline.name());
        if (nameless(running.get(before), before).equals(nameless(now, pipeline.name()))) {
          return Optional.of(
              "pipeline "
                  + before
                  + " seems to be renamed to "
                  + pipeline.name()
                  + ", which would load everything again, so everything goes on as it was: stop the"
                  + " run, 'wexrun adopt "
                  + before
                  + " "
                  + pipeline.name()
                  + "', and start it again");
        }
      }
    }
    return Optional.empty();
  }

  private static String nameless(String signature, String name) {
    return signature.replaceFirst("pipeline: \"?" + Pattern.quote(name) + "\"?", "pipeline:");
  }

  private void tellMistakes(List<Diagnostic> mistakes) {
    String more = mistakes.size() == 1 ? "" : ", and " + (mistakes.size() - 1) + " more";
    run.tell(
        Notice.Kind.WAITS,
        "the changed files have mistakes, so everything goes on as it was: "
            + told(mistakes.get(0))
            + more
            + "; 'wexrun check' says all");
  }

  private static String told(Diagnostic mistake) {
    String where =
        mistake
            .place()
            .map(p -> p.file() + ":" + p.line() + ":" + p.column())
            .orElse(mistake.subject());
    return where
        + ": "
        + mistake.message()
        + mistake.hint().map(hint -> " (" + hint + ")").orElse("");
  }

  private void tellTaken(Set<String> changed, Set<String> removed, List<String> added) {
    List<String> what = new ArrayList<>();
    if (!changed.isEmpty()) {
      what.add("changed " + String.join(", ", changed));
    }
    if (!added.isEmpty()) {
      what.add("started " + String.join(", ", added));
    }
    if (!removed.isEmpty()) {
      what.add("stopped " + String.join(", ", removed));
    }
    run.tell(
        Notice.Kind.GOES_ON,
        "the files were changed: "
            + (what.isEmpty() ? "no pipeline is concerned" : String.join("; ", what)));
  }
}
