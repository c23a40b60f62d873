package io.wexrun.cli.demo;

import java.io.IOException;
import java.io.OutputStream;
import java.util.Locale;

/** A source of made-up records of Ostrel Trams; equal seeds give equal records. For one thread. */
public interface Feed {
  /** What there is to feed. */
  enum Kind {
    /** Lines of gate readers. */
    GATES,
    /** Messages of vehicles, a JSON object on each line. */
    VEHICLES,
    /** Rows of ticket machines, separated by semicolons; the first line names the columns. */
    TICKETS,
    /** Syslog messages of depot controllers. */
    DEPOTS,
    /** Events of a program in the depots, some with the trace of an error. */
    EVENTS,
    /** Protocol Buffers messages of substations, each with its length before it. */
    SUBSTATIONS;

    /**
     * A feed of this kind.
     *
     * @param spoiled the share of spoiled records, 0 to 1
     */
    public Feed feed(long seed, double spoiled) {
      return switch (this) {
        case GATES -> new GateLines(seed, spoiled);
        case VEHICLES -> new VehicleMessages(seed, spoiled);
        case TICKETS -> new TicketRows(seed, spoiled);
        case DEPOTS -> new DepotMessages(seed, spoiled);
        case EVENTS -> new DepotEvents(seed, spoiled);
        case SUBSTATIONS -> new SubstationReadings(seed, spoiled);
      };
    }

    @Override
    public String toString() {
      return name().toLowerCase(Locale.ROOT);
    }
  }

  /** Writes what stands before the first record of a file. */
  default void writeHeader(OutputStream out) throws IOException {}

  /** Writes the next record with its line end, or with its length before it. */
  void writeNext(OutputStream out) throws IOException;
}
