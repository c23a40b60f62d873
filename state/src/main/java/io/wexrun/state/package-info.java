/** The workspace's durable state over JDBC: tally, positions and the texts of pipelines. */
package io.wexrun.state;
