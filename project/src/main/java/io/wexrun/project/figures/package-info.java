/** What a run does, as figures for machines. */
package io.wexrun.project.figures;
