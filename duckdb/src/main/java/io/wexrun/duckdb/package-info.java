/** The embedded store: tables in a DuckDB file. */
package io.wexrun.duckdb;
