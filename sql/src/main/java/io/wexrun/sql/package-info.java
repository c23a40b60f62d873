/** What stores that speak SQL share: columns and how they differ, answers, refused rows. */
package io.wexrun.sql;
