/** Writes files of a workspace for its user: drafts of pipelines, and cases. */
package io.wexrun.project.draft;
