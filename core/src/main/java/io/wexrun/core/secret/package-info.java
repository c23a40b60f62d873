/** What must not be told: secrets in settings, and keys that files are encrypted with. */
package io.wexrun.core.secret;
