/** Log records of OpenTelemetry (OTLP 1.x), over gRPC and HTTP, as protobuf and JSON. */
package io.wexrun.network.otlp;
