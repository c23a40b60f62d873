/**
 * Steps that read fields out of texts: templates, regular expressions, CSV, JSON, pairs, syslog.
 */
package io.wexrun.core.parse;
