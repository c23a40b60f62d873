/** What a workspace has open: connectors, stores, state, and the ends of its pipelines. */
package io.wexrun.project.open;
