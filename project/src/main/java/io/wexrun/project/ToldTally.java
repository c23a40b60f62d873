package io.wexrun.project;

import io.wexrun.core.intake.SourcePartition;
import io.wexrun.core.tally.Account;
import io.wexrun.core.tally.Tally;
import io.wexrun.core.tally.TallyStore;
import java.util.List;
import java.util.Map;
import java.util.function.Consumer;

/** A tally that tells somebody what was written to it. */
record ToldTally(TallyStore tally, Consumer<List<Account>> told) implements TallyStore {
  @Override
  public Map<SourcePartition, Long> positions(String pipeline) {
    return tally.positions(pipeline);
  }

  @Override
  public void account(String pipeline, List<Account> accounts) {
    tally.account(pipeline, accounts);
    told.accept(accounts);
  }

  @Override
  public Tally tally(String pipeline) {
    return tally.tally(pipeline);
  }
}
