/** Reads the files of a workspace into definitions, and writes definitions down. */
package io.wexrun.project.read;
