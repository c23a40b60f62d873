package io.wexrun.queue.ends;

import io.wexrun.core.diagnose.OutsideException;
import io.wexrun.core.framing.Framings;
import io.wexrun.core.intake.Block;
import io.wexrun.core.intake.FilePlace;
import io.wexrun.core.intake.Framing;
import io.wexrun.core.intake.SourcePartition;
import io.wexrun.queue.log.Codec;
import io.wexrun.queue.log.PackBuilder;
import io.wexrun.queue.log.PackHead;
import io.wexrun.queue.log.Packs;
import java.util.Arrays;
import java.util.LinkedHashMap;
import java.util.Map;

/**
 * What a channel's record says of the block that is its value. The value is the source's header,
 * then the block's bytes, compressed if that makes them smaller.
 *
 * @param begins whether nothing of the source was taken before it
 * @param records how many it has
 * @param raw how many bytes it has when it is not compressed
 */
record ChannelBlock(
    SourcePartition source,
    long first,
    long end,
    boolean begins,
    int records,
    String framing,
    int header,
    int raw,
    Codec codec,
    long taken,
    long written,
    FilePlace place) {

  /**
   * Reads what a record's headers say.
   *
   * @throws OutsideException if they do not say it
   */
  static ChannelBlock of(Map<String, String> headers) {
    try {
      return read(headers);
    } catch (RuntimeException e) {
      throw new OutsideException(
          "a record of the channel is not a block: "
              + headers
              + "; 'wexrun queue verify' says more",
          e);
    }
  }

  private static ChannelBlock read(Map<String, String> headers) {
    return new ChannelBlock(
        new SourcePartition(headers.get("source")),
        Long.parseLong(headers.get("first")),
        Long.parseLong(headers.get("end")),
        headers.containsKey("begins"),
        Integer.parseInt(headers.get("records")),
        headers.get("framing"),
        Integer.parseInt(headers.getOrDefault("header", "0")),
        Integer.parseInt(headers.get("raw")),
        headers.containsKey("lz4") ? Codec.LZ4 : Codec.NONE,
        Long.parseLong(headers.getOrDefault("taken", "0")),
        Long.parseLong(headers.getOrDefault("written", "0")),
        new FilePlace(
            headers.getOrDefault("member", ""),
            Long.parseLong(headers.getOrDefault("line", "0")),
            headers.getOrDefault("host", "")));
  }

  private Map<String, String> headers() {
    Map<String, String> headers = new LinkedHashMap<>();
    headers.put("source", source.name());
    headers.put("first", Long.toString(first));
    headers.put("end", Long.toString(end));
    headers.put("records", Integer.toString(records));
    headers.put("framing", framing);
    headers.put("raw", Integer.toString(raw));
    if (begins) {
      headers.put("begins", "");
    }
    if (header > 0) {
      headers.put("header", Integer.toString(header));
    }
    if (codec == Codec.LZ4) {
      headers.put("lz4", "");
    }
    if (taken > 0) {
      headers.put("taken", Long.toString(taken));
    }
    if (written > 0) {
      headers.put("written", Long.toString(written));
    }
    if (!place.member().isEmpty()) {
      headers.put("member", place.member());
    }
    if (!place.host().isEmpty()) {
      headers.put("host", place.host());
    }
    if (place.line() > 0) {
      headers.put("line", Long.toString(place.line()));
    }
    return headers;
  }

  /** A pack with a block as its only record. */
  static PackBuilder pack(String producer, Block block, int records, boolean begins, long now) {
    byte[] compressed = Codec.LZ4.compress(block.data(), 0, block.length());
    boolean smaller = compressed.length < block.length();
    ChannelBlock of =
        new ChannelBlock(
            block.source(),
            block.first(),
            block.end(),
            begins,
            records,
            block.framing().form(),
            block.header().length,
            block.length(),
            smaller ? Codec.LZ4 : Codec.NONE,
            block.taken(),
            block.written(),
            block.place());
    byte[] bytes = smaller ? compressed : block.data();
    int length = smaller ? compressed.length : block.length();
    byte[] value = Arrays.copyOf(block.header(), block.header().length + length);
    System.arraycopy(bytes, 0, value, block.header().length, length);
    PackBuilder pack = new PackBuilder(PackHead.of(producer), value.length + 1024);
    pack.add(null, 0, 0, of.headers(), value, 0, value.length, now, 0);
    pack.seal(Codec.NONE);
    return pack;
  }

  /** The block of a record's value. */
  Block block(byte[] value) {
    byte[] data =
        codec == Codec.NONE
            ? Arrays.copyOfRange(value, header, value.length)
            : codec
                .decompress(value, header, value.length, raw)
                .orElseThrow(
                    () -> new OutsideException("the channel's block of " + source + " is damaged"));
    Framing cut =
        framing.equals(Packs.FRAMING.form())
            ? Packs.FRAMING
            : Framings.named(framing)
                .orElseThrow(
                    () ->
                        new OutsideException(
                            "the channel has a block of "
                                + source
                                + " that is cut as '"
                                + framing
                                + "': use a newer Wexrun"));
    return new Block(
        source, first, end, data, raw, cut, Arrays.copyOf(value, header), taken, written, place);
  }
}
