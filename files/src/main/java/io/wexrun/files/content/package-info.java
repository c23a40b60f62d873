/** What is in files: found by pattern, unpacked, decoded, and cut into blocks. */
package io.wexrun.files.content;
