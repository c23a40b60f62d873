/** Parquet files that are encrypted as the format says, written by the format's own library. */
package io.wexrun.duckdb.encrypted;
