package io.wexrun.project.facts;

/**
 * A record of a source, beside another one.
 *
 * @param position where it stands
 * @param raw its bytes; not to be changed
 */
public record Neighbour(long position, byte[] raw) {}
