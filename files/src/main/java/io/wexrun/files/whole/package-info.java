/** Files that are taken whole, each once: those of drop folders and archives. */
package io.wexrun.files.whole;
