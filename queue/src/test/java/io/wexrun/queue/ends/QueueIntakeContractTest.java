package io.wexrun.queue.ends;

import io.wexrun.contract.FolderSite;
import io.wexrun.contract.IntakeContract;
import io.wexrun.core.connect.IntakeOpening;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.Intake;
import io.wexrun.core.intake.KnownSource;
import io.wexrun.queue.Producer;
import io.wexrun.queue.QueueMessage;
import io.wexrun.queue.log.Packs;
import java.nio.file.Path;
import java.util.List;
import org.junit.jupiter.api.AfterEach;
import org.junit.jupiter.api.BeforeEach;
import org.junit.jupiter.api.io.TempDir;

class QueueIntakeContractTest extends IntakeContract {
  @TempDir private Path folder;
  private FolderSite site;

  @BeforeEach
  void makeQueue() {
    site = new FolderSite(folder).with("q", QueueConnector.partitions(2));
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
    return new QueueConnector.AsIntake()
        .open(
            new IntakeOpening(
                QueueConnector.intake("q"), site, known, notice -> {}, true, () -> true));
  }

  @Override
  protected Framing framing(String form) {
    return form.equals(Packs.FRAMING.form()) ? Packs.FRAMING : super.framing(form);
  }
}
