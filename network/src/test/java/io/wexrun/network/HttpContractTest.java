package io.wexrun.network;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.IntakeContract;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.intake.Choice;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.core.intake.Receiving;
import io.wexrun.core.pipeline.Settings;
import io.wexrun.queue.Producer;
import io.wexrun.queue.QueueMessage;
import io.wexrun.queue.ends.Queues;
import io.wexrun.queue.log.Packs;
import java.nio.file.Path;
import java.util.List;
import java.util.Map;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.io.TempDir;

class HttpContractTest extends IntakeContract {
  @TempDir private Path folder;
  private FolderSite site;

  @BeforeEach
  void makeQueue() {
    site = new FolderSite(folder).with("q", new Settings("queue", Map.of("partitions", 2L)));
  }

  @AfterEach
  void close() throws Exception {
    site.close();
  }

  @Override
  protected List<String> sources() {
    return List.of("0", "1");
  }

  @Override
  protected void append(String source, String... records) {
    try (Producer producer = Queues.of(site).open("q").producer()) {
      for (String record : records) {
        producer.append(QueueMessage.of(record).to(Integer.parseInt(source)));
      }
    }
  }

  @Override
  protected Intake open(List<KnownSource> known) {
    return Receiver.connector("http")
        .open(
            new IntakeOpening(
                Receiver.settings("http", "0/in", Settings.QUEUE, "q"),
                site,
                known,
                notice -> {},
                false,
                () -> true,
                Choice.ALL,
                block -> 0,
                Receiving.TO_THE_END));
  }

  @Override
  protected Framing framing(String form) {
    return form.equals(Packs.FRAMING.form()) ? Packs.FRAMING : super.framing(form);
  }
}
