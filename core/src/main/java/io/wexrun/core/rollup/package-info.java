/** Groups of rows and what is kept of them: the work behind tables that are rollups. */
package io.wexrun.core.rollup;
