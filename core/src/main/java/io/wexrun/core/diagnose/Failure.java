package io.wexrun.core.diagnose;

import java.io.IOException;
import java.nio.file.AccessDeniedException;
import java.nio.file.FileAlreadyExistsException;
import java.nio.file.FileSystemException;
import java.nio.file.NoSuchFileException;
import java.nio.file.NotDirectoryException;

/** What a failure of the disk means, in words: Java's own often say only the file. */
public final class Failure {
  private Failure() {}

  /** Why, with the file, as the end of a sentence. */
  public static String told(IOException e) {
    String message = e.getMessage() == null ? e.getClass().getSimpleName() : e.getMessage();
    if (!(e instanceof FileSystemException of) || of.getReason() != null) {
      return message;
    }
    if (e instanceof NoSuchFileException) {
      return "there is no " + of.getFile() + ", and it cannot be made";
    }
    if (e instanceof AccessDeniedException) {
      return "no right to " + of.getFile();
    }
    if (e instanceof FileAlreadyExistsException || e instanceof NotDirectoryException) {
      return of.getFile() + " is there, and is not a folder";
    }
    return message;
  }
}
