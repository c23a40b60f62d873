/** Records in requests of HTTP/1.1 (RFC 9112) and HTTP/2 (RFC 9113). */
package io.wexrun.network.http;
