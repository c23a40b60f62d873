/** YAML 1.2: reading it with the place of everything, and writing it. */
package io.wexrun.project.yaml;
