package io.wexrun.project.open;

import io.wexrun.core.channel.Channel;
import io.wexrun.core.channel.Memory;
import io.wexrun.core.channel.MemoryChannel;
import io.wexrun.core.connect.ChannelConnector;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.connect.TargetConnector;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.pipeline.Pipeline;
import io.wexrun.core.pipeline.Route;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.core.pipeline.Table;
import io.wexrun.core.run.TargetOpener;
import io.wexrun.core.target.Target;
import io.wexrun.project.definition.WorkspaceDefinition;
import java.util.List;
import java.util.Map;
import java.util.Optional;
import java.util.function.BooleanSupplier;
import java.util.function.Consumer;

/** Opens what pipelines are connected to: intakes, channels and targets. For several threads. */
public final class Ends {
  /** The kind of target that keeps dead letters. */
  private static final Settings DEAD_LETTERS = new Settings("queue", Map.of());

  private final WorkspaceSite site;
  private final WorkspaceDefinition definition;
  private final Connectors connectors;
  private final Stores stores;

  /** The ends of a workspace's pipelines. */
  public Ends(
      WorkspaceSite site, WorkspaceDefinition definition, Connectors connectors, Stores stores) {
    this.site = site;
    this.definition = definition;
    this.connectors = connectors;
    this.stores = stores;
  }

  /**
   * The intake of a pipeline.
   *
   * @param notices takes what a user should know
   * @param writtenHere whether pipelines of this run write to what it reads
   * @param fed whether none of them is going to write any more
   */
  public Intake intake(
      Pipeline pipeline, Consumer<String> notices, boolean writtenHere, BooleanSupplier fed) {
    Settings settings = pipeline.intake();
    return connectors
        .intakes()
        .get(settings.kind())
        .open(
            new IntakeOpening(
                settings,
                site,
                site.state().tally().sources(pipeline.name()),
                notices,
                writtenHere,
                fed));
  }

  /** The target that an intake reads from, such as a queue; empty if it reads none. */
  public Optional<String> reads(Settings intake) {
    return Optional.ofNullable(connectors.intakes().get(intake.kind()))
        .flatMap(connector -> connector.reads(intake));
  }

  /** Opens the targets of a pipeline: tables, others, and its dead letters. */
  public TargetOpener targets(Pipeline pipeline) {
    return (name, writer) -> {
      if (name.equals(Route.DEAD)) {
        return connectors
            .targets()
            .get(DEAD_LETTERS.kind())
            .openForDeadLetters(pipeline.deadLetters(), writer, DEAD_LETTERS, site);
      }
      return target(name, writer);
    };
  }

  private Target target(String name, String writer) {
    Table table = definition.tables().get(name);
    if (table != null) {
      return stores.open(table.store()).target(writer, table);
    }
    Settings settings = definition.targets().get(name);
    TargetConnector connector = connectors.targets().get(settings.kind());
    return connector.open(name, writer, settings, site);
  }

  /**
   * The channel of a pipeline.
   *
   * @param memory what blocks in memory are counted in
   */
  public Channel channel(Pipeline pipeline, Memory memory) {
    Map<SourcePartition, Long> positions = site.state().tally().positions(pipeline.name());
    ChannelConnector connector = connectors.channels().get(pipeline.channel().kind());
    return connector == null
        ? new MemoryChannel(memory.share(), positions)
        : connector.open(pipeline.name(), pipeline.channel(), site, positions);
  }

  /** The kinds of channels that a pipeline had and has no more. */
  public List<ChannelConnector> leftChannels(Pipeline pipeline) {
    return connectors.channels().values().stream()
        .filter(c -> !c.kind().equals(pipeline.channel().kind()))
        .filter(c -> c.exists(pipeline.name(), site))
        .toList();
  }

  /** Opens a channel that was left, or that another text of the pipeline filled. */
  public Channel openLeft(ChannelConnector connector, String pipeline) {
    return connector.openLeft(pipeline, site, site.state().tally().positions(pipeline));
  }

  /** Removes a channel that holds nothing. */
  public void remove(ChannelConnector connector, String pipeline) {
    connector.remove(pipeline, site);
  }

  /** The kinds of channels that hold records of a pipeline. */
  public List<ChannelConnector> holding(String pipeline) {
    return connectors.channels().values().stream().filter(c -> held(c, pipeline) > 0).toList();
  }

  /** How many records of a pipeline wait in channels that outlive a run. */
  public long held(String pipeline) {
    return connectors.channels().values().stream().mapToLong(c -> held(c, pipeline)).sum();
  }

  private long held(ChannelConnector connector, String pipeline) {
    return connector.exists(pipeline, site)
        ? connector.held(pipeline, site, site.positions(pipeline))
        : 0;
  }
}
