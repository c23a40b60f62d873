/** Tables as files in a folder. */
package io.wexrun.files.folder;
