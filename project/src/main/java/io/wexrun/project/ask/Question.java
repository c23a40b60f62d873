package io.wexrun.project.ask;

/**
 * What is asked of a store, or of a run.
 *
 * @param kind what the text is
 * @param text a statement, the definition of a table, the name of a pipeline
 */
public record Question(Kind kind, String text) {
  /** What may be asked. */
  public enum Kind {
    /** A statement that only reads. */
    SQL,
    /** How a table stands, whose definition is the text. */
    TABLE,
    /** How the run's pipelines stand; no store is asked. */
    STATUS,
    /** That a pipeline of the run waits; no store is asked. */
    PAUSE,
    /** That a pipeline of the run goes on; no store is asked. */
    RESUME,
    /** That a pipeline of the run ends; no store is asked. */
    STOP,
    /**
     * That a pipeline's dead letters are replayed: its name, {@code own} if the run is to have it
     * or {@code any}, and its text, on lines of their own; no store is asked.
     */
    REPLAY,
    /**
     * That a rebuild of a pipeline is taken further: the pipeline's name, {@code own} or {@code
     * any}, the rebuild's number, and what is to be done, on lines of their own; no store is asked.
     */
    REBUILD
  }
}
