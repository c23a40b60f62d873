/** What users write in definitions, with its place, and what may be written there. */
package io.wexrun.core.written;
