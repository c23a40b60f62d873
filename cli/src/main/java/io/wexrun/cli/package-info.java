/** The {@code wexrun} command. Each command is a class; what it does, the library does. */
package io.wexrun.cli;
