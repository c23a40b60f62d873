package io.wexrun.core.target;

/**
 * A flush whose rows and progress are written but not committed. Used once, by one thread at a
 * time, which need not be the one that staged it.
 */
public interface Staged {
  /**
   * Commits rows, progress and what was refused, all or nothing. When this returns, they survive
   * the loss of power. It is called at most once; never, if the flush before it failed.
   *
   * @throws io.wexrun.core.diagnose.OutsideException if it failed; then nothing of it is there, or
   *     all of it is and the target's progress says so when it is opened again
   * @throws io.wexrun.core.diagnose.OutsideException that is {@linkplain
   *     io.wexrun.core.diagnose.OutsideException#lasting lasting} if another run has moved the
   *     progress of a source partition since this target last read or committed it; then nothing of
   *     it is there
   */
  Receipt commit();
}
