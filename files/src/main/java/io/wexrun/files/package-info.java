/** Files as an intake: {@link io.wexrun.files.FilesIntake} follows those that match a pattern. */
package io.wexrun.files;
