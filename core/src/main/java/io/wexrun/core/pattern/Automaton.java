package io.wexrun.core.pattern;

import io.wexrun.core.pattern.Program.Step;
import io.wexrun.core.pattern.Syntax.Edge;
import java.util.ArrayDeque;
import java.util.ArrayList;
import java.util.Arrays;
import java.util.BitSet;
import java.util.Deque;
import java.util.HashMap;
import java.util.List;
import java.util.Map;
import java.util.Objects;

/**
 * A deterministic automaton with tags, made while it is used: each state is a list of the steps of
 * a program at which a backtracking search could be, the more preferred ones first, each with a
 * block of positions that it has noted. A byte is one look into a table; what moves positions is
 * worked out once for each transition. The results are those of a leftmost search that prefers the
 * earlier of two ways.
 *
 * <p>After Laurikari, <i>NFAs with Tagged Transitions, their Conversion to Deterministic Automata
 * and Application to Regular Expressions</i> (2000), with the priorities of Kuklewicz left out,
 * which are for another rule. For one thread.
 */
final class Automaton {
  private static final int MOST_STATES = 4000;
  private static final int MOST_ENTRIES = 1 << 20;
  private static final int DEAD = 0;
  private static final int UNKNOWN = -1;
  private static final int FIRST_MOVE = -2;

  private static final int COPY = 0;
  private static final int NOTE = 1;
  private static final int RESULT = 2;
  private static final int NOTE_RESULT = 3;

  /** What was before a position. */
  private static final int OTHER = 0;

  private static final int BEGIN = 1;
  private static final int NEWLINE = 2;
  private static final int WORD = 3;

  /** The byte that stands for the end of the text. */
  private static final int END = 256;

  /** Entries of a state in the table: one for each byte, and one for the end. */
  private static final int WIDTH = END + 1;

  private final Program program;
  private final int slots;
  private final boolean sees;
  private final boolean seesLines;
  private final boolean seesWords;
  private final byte[] classes = new byte[256];
  private final int[] examples;
  private final int start;

  private final List<State> states = new ArrayList<>();
  private final Map<State, Integer> numbers = new HashMap<>();
  private final List<Move> moves = new ArrayList<>();
  private int[] table = {};
  private int blocks = 1;
  private int[] positions = {};
  private boolean full;
  private int read;

  /**
   * A state.
   *
   * @param at the steps, the most preferred one first
   * @param blocks where the positions of each are kept
   * @param before what was before
   */
  private record State(int[] at, int[] blocks, int before) {
    @Override
    public boolean equals(Object other) {
      return other instanceof State state
          && before == state.before
          && Arrays.equals(at, state.at)
          && Arrays.equals(blocks, state.blocks);
    }

    @Override
    public int hashCode() {
      return Objects.hash(Arrays.hashCode(at), Arrays.hashCode(blocks), before);
    }
  }

  /**
   * A transition that does something.
   *
   * @param next the state, as its first place in the table
   * @param acts triples of what is done
   * @param matches whether a match ends before the byte
   * @param lastCounts whether it leads back to its state, and only the last of several in a row
   *     counts
   */
  private record Move(int next, int[] acts, boolean matches, boolean lastCounts) {}

  /** A step that is reached, by whom, with the slots that were noted on the way. */
  private record Reached(int step, int from, Noted noted) {}

  /** A list of slots. */
  private record Noted(int slot, Noted rest) {}

  private record Way(int step, Noted noted) {}

  /**
   * An automaton of a program.
   *
   * @param from the step that it begins with
   */
  Automaton(Program program, int from) {
    this.program = program;
    this.slots = program.slots();
    List<BitSet> sets = new ArrayList<>();
    boolean edges = false;
    boolean lines = false;
    boolean words = false;
    for (int i = 0; i < program.size(); i++) {
      if (program.step(i) instanceof Step.Take take) {
        sets.add(take.bytes());
      } else if (program.step(i) instanceof Step.Check check) {
        edges = true;
        lines |= check.edge() == Edge.LINE_BEGIN || check.edge() == Edge.LINE_END;
        words |= check.edge() == Edge.WORD_EDGE || check.edge() == Edge.NO_WORD_EDGE;
      }
    }
    this.sees = edges;
    this.seesLines = lines;
    this.seesWords = words;
    if (lines) {
      BitSet newline = new BitSet();
      newline.set('\n');
      sets.add(newline);
    }
    if (words) {
      BitSet letters = new BitSet();
      for (int b = 0; b < 256; b++) {
        letters.set(b, isWord(b));
      }
      sets.add(letters);
    }
    this.examples = classify(sets);
    state(new State(new int[0], new int[0], OTHER)); // That of which nothing comes.
    this.start = state(new State(new int[] {from}, new int[] {0}, sees ? BEGIN : OTHER));
  }

  private static boolean isWord(int b) {
    return b >= '0' && b <= '9' || b >= 'A' && b <= 'Z' || b == '_' || b >= 'a' && b <= 'z';
  }

  /** Finds bytes that no set tells apart; returns one of each class, and the end behind them. */
  private int[] classify(List<BitSet> sets) {
    Map<BitSet, Integer> known = new HashMap<>();
    List<Integer> firsts = new ArrayList<>();
    List<BitSet> distinct = sets.stream().distinct().toList();
    for (int b = 0; b < 256; b++) {
      BitSet of = new BitSet();
      for (int i = 0; i < distinct.size(); i++) {
        of.set(i, distinct.get(i).get(b));
      }
      Integer number = known.get(of);
      if (number == null) {
        number = firsts.size();
        known.put(of, number);
        firsts.add(b);
      }
      classes[b] = (byte) (int) number;
    }
    firsts.add(END);
    return firsts.stream().mapToInt(Integer::intValue).toArray();
  }

  /** Whether it has grown too large to go on with; then it keeps nothing, and finds nothing. */
  boolean full() {
    return full;
  }

  /** How many bytes the last run has read, about. */
  int read() {
    return read;
  }

  private int state(State state) {
    Integer number = numbers.get(state);
    if (number != null) {
      return number;
    }
    int first = states.size() * WIDTH;
    if (states.size() >= MOST_STATES || first >= MOST_ENTRIES) {
      full = true;
      return DEAD;
    }
    if (first + WIDTH > table.length) {
      int before = table.length;
      table = Arrays.copyOf(table, 2 * table.length + WIDTH);
      Arrays.fill(table, before, table.length, UNKNOWN);
    }
    states.add(state);
    numbers.put(state, first);
    return first;
  }

  /**
   * Runs from the begin of a text, without skipping anything but what its program skips.
   *
   * @param groups takes begin and end of each group, -1 for one that takes no part; it is not
   *     looked at if the program notes nothing, and then it is enough to know that something
   *     matches
   * @return whether it matches; nothing that counts if it is {@link #full} afterwards
   */
  boolean run(byte[] data, int from, int to, int[] groups) {
    if (full) {
      return false;
    }
    int at = start;
    int position = from;
    boolean matched = false;
    boolean first = slots == 0;
    if (!first) {
      grow();
      Arrays.fill(positions, 0, slots, -1);
    }
    int[] known = table;
    while (position < to) {
      int next = known[at + (data[position] & 0xFF)];
      while (next == at && ++position < to) {
        next = known[at + (data[position] & 0xFF)];
      }
      if (position == to) {
        break;
      }
      if (next > DEAD) {
        at = next;
        position++;
      } else if (next == DEAD) {
        read = position - from;
        return matched;
      } else if (next == UNKNOWN) {
        build(at, classes[data[position] & 0xFF] & 0xFF);
        if (full) {
          forget();
          return false;
        }
        known = table;
      } else {
        Move move = moves.get(FIRST_MOVE - next);
        while (move.lastCounts
            && position + 1 < to
            && known[at + (data[position + 1] & 0xFF)] == next) {
          position++;
        }
        act(move.acts, position, groups);
        matched |= move.matches;
        if (move.next == DEAD || first && matched) {
          read = position - from;
          return matched;
        }
        at = move.next;
        position++;
      }
    }
    read = to - from;
    int end = known[at + END];
    if (end == UNKNOWN) {
      build(at, examples.length - 1);
      end = table[at + END];
    }
    if (end <= FIRST_MOVE) {
      Move move = moves.get(FIRST_MOVE - end);
      act(move.acts, to, groups);
      matched |= move.matches;
    }
    return matched;
  }

  private void forget() {
    states.clear();
    numbers.clear();
    moves.clear();
    table = new int[0];
  }

  private void grow() {
    if (positions.length < blocks * slots) {
      positions = Arrays.copyOf(positions, blocks * slots);
    }
  }

  private void act(int[] acts, int position, int[] groups) {
    for (int i = 0; i < acts.length; i += 3) {
      int first = acts[i + 1];
      int second = acts[i + 2];
      switch (acts[i]) {
        case COPY -> System.arraycopy(positions, first, positions, second, slots);
        case NOTE -> positions[first + second] = position;
        case RESULT -> System.arraycopy(positions, first, groups, 0, slots);
        default -> groups[second] = position;
      }
    }
  }

  /** Works out what a class of bytes leads to. */
  private void build(int at, int number) {
    State state = states.get(at / WIDTH);
    int example = examples[number];
    List<Reached> reached = new ArrayList<>();
    Reached match = reach(state, example, reached);
    int[] claimed = new int[reached.size()];
    List<int[]> copies = new ArrayList<>();
    place(state, reached, claimed, copies);
    int before = before(example);
    int[] steps = reached.stream().mapToInt(Reached::step).toArray();
    int next = steps.length == 0 ? DEAD : state(new State(steps, claimed, before));
    List<Integer> acts = new ArrayList<>();
    boolean lastCounts = next == at && copies.isEmpty();
    if (match != null && slots > 0) {
      int block = state.blocks[match.from];
      acts.addAll(List.of(RESULT, block * slots, 0));
      for (int i = 0; i < claimed.length; i++) {
        lastCounts &= claimed[i] != block || reached.get(i).noted == null;
      }
    }
    copies.forEach(copy -> acts.addAll(List.of(COPY, copy[0] * slots, copy[1] * slots)));
    if (match != null && slots > 0) {
      for (Noted noted = match.noted; noted != null; noted = noted.rest) {
        acts.addAll(List.of(NOTE_RESULT, 0, noted.slot));
      }
    }
    for (int i = 0; i < claimed.length; i++) {
      for (Noted noted = reached.get(i).noted; noted != null; noted = noted.rest) {
        acts.addAll(List.of(NOTE, claimed[i] * slots, noted.slot));
      }
    }
    if (acts.isEmpty() && match == null) {
      lead(at, number, next);
      return;
    }
    moves.add(
        new Move(
            next, acts.stream().mapToInt(Integer::intValue).toArray(), match != null, lastCounts));
    lead(at, number, FIRST_MOVE - (moves.size() - 1));
  }

  /** Enters what a state does at all bytes of a class. */
  private void lead(int at, int number, int next) {
    if (examples[number] == END) {
      table[at + END] = next;
      return;
    }
    for (int b = 0; b < END; b++) {
      if ((classes[b] & 0xFF) == number) {
        table[at + b] = next;
      }
    }
  }

  private int before(int example) {
    if (seesLines && example == '\n') {
      return NEWLINE;
    }
    return seesWords && isWord(example) ? WORD : OTHER;
  }

  /** Follows all ways of a state to what takes a byte; returns the match, if one is preferred. */
  private Reached reach(State state, int example, List<Reached> reached) {
    BitSet seen = new BitSet(program.size());
    BitSet taken = new BitSet(program.size());
    for (int from = 0; from < state.at.length; from++) {
      Deque<Way> open = new ArrayDeque<>();
      open.push(new Way(state.at[from], null));
      while (!open.isEmpty()) {
        Way way = open.pop();
        if (seen.get(way.step)) {
          continue;
        }
        seen.set(way.step);
        Step step = program.step(way.step);
        if (step instanceof Step.Match) {
          return new Reached(way.step, from, way.noted);
        } else if (step instanceof Step.Take take) {
          if (example != END && take.bytes().get(example) && !taken.get(take.next())) {
            taken.set(take.next());
            reached.add(new Reached(take.next(), from, way.noted));
          }
        } else if (step instanceof Step.Fork fork) {
          open.push(new Way(fork.second(), way.noted));
          open.push(new Way(fork.first(), way.noted));
        } else if (step instanceof Step.Note note) {
          open.push(new Way(note.next(), new Noted(note.slot(), way.noted)));
        } else if (step instanceof Step.Check check && holds(check.edge(), state.before, example)) {
          open.push(new Way(check.next(), way.noted));
        }
      }
    }
    return null;
  }

  private static boolean holds(Edge edge, int before, int example) {
    return switch (edge) {
      case TEXT_BEGIN -> before == BEGIN;
      case TEXT_END -> example == END;
      case LINE_BEGIN -> before == BEGIN || before == NEWLINE;
      case LINE_END -> example == END || example == '\n';
      case WORD_EDGE -> before == WORD != isWord(example);
      case NO_WORD_EDGE -> before == WORD == isWord(example);
    };
  }

  /** Gives each step that is reached a block: that of where it came from, or a copy of it. */
  private void place(State state, List<Reached> reached, int[] claimed, List<int[]> copies) {
    if (slots == 0) {
      return; // All in block 0, which nobody looks at.
    }
    BitSet used = new BitSet();
    for (int i = 0; i < claimed.length; i++) {
      int block = state.blocks[reached.get(i).from];
      claimed[i] = used.get(block) ? -1 : block;
      used.set(block);
    }
    for (int i = 0; i < claimed.length; i++) {
      if (claimed[i] < 0) {
        claimed[i] = used.nextClearBit(0);
        used.set(claimed[i]);
        copies.add(new int[] {state.blocks[reached.get(i).from], claimed[i]});
      }
    }
    blocks = Math.max(blocks, used.length());
    grow();
  }
}
