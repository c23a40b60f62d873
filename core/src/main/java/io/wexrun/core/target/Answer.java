package io.wexrun.core.target;

import java.util.List;

/**
 * What a query gave.
 *
 * @param columns names in order
 * @param numeric for each column whether it holds numbers
 * @param rows values as text; null where absent
 */
public record Answer(List<String> columns, List<Boolean> numeric, List<List<Object>> rows) {}
