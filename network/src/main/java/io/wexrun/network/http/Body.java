package io.wexrun.network.http;

import io.wexrun.core.intake.Records;
import java.util.Map;

/**
 * What stands in the body of a request.
 *
 * @param records perhaps none
 * @param columns the line that names the columns of CSV; empty for others
 * @param headers what is known of the records beside their bytes
 */
record Body(Records records, byte[] columns, Map<String, String> headers) {}
