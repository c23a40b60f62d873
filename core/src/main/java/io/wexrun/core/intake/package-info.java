/**
 * Where records come from: the contract of intakes, and the blocks of raw records they hand out.
 */
package io.wexrun.core.intake;
