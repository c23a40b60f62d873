/** Formats of files that hold rows of a table as text. */
package io.wexrun.files.format;
