/** Records in streams and datagrams: TCP, UDP, Unix domain sockets, syslog, standard input. */
package io.wexrun.network.lines;
