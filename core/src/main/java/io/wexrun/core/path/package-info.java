/** Values that the paths of files carry, such as a day or a depot. */
package io.wexrun.core.path;
