package io.wexrun.examples;

import static java.nio.charset.StandardCharsets.UTF_8;

import io.wexrun.queue.Producer;
import io.wexrun.queue.Queue;
import io.wexrun.queue.QueueOptions;
import io.wexrun.queue.Reader;
import io.wexrun.queue.log.QueueRecord;
import java.nio.file.Path;
import java.time.Duration;

/** Appends to a queue and reads it back. The first argument names the queue's folder. */
public final class QueueExample {
  private QueueExample() {}

  /** Runs the example. */
  public static void main(String[] args) {
    try (Queue queue = Queue.open(Path.of(args[0]), "doors", QueueOptions.partitions(2))) {
      try (Producer producer = queue.producer()) {
        for (int cycle = 1; cycle <= 3; cycle++) {
          producer.append("tram-04".getBytes(UTF_8), ("door cycle " + cycle).getBytes(UTF_8));
        }
        producer.flush(); // from here on the records survive the loss of power
      }
      Reader reader = queue.readFromOldest();
      for (QueueRecord record : reader.poll(10, Duration.ofSeconds(1))) {
        System.out.println(record.keyText() + " @" + record.position() + ": " + record.text());
      }
    }
  }
}
