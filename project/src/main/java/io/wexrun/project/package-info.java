/**
 * Workspaces: {@link io.wexrun.project.Workspace} is where a program starts, whether its pipelines
 * stand in files or are made in Java.
 */
package io.wexrun.project;
