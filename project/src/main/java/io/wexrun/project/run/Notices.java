package io.wexrun.project.run;

import io.wexrun.core.run.Notice;
import io.wexrun.core.run.RunListener;
import java.util.ArrayDeque;
import java.util.Deque;
import java.util.List;

/** Keeps the latest notices of runs. For several threads. */
public final class Notices implements RunListener {
  private static final int MOST = 1000;

  private final Deque<Notice> latest = new ArrayDeque<>();

  @Override
  public synchronized void told(Notice notice) {
    latest.add(notice);
    if (latest.size() > MOST) {
      latest.remove();
    }
  }

  /** The latest, oldest first. */
  public synchronized List<Notice> latest() {
    return List.copyOf(latest);
  }
}
