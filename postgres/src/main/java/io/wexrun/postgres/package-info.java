/** Tables in a PostgreSQL database. */
package io.wexrun.postgres;
