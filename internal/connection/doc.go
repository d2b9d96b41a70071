// Package connection keeps the connections to model servers that makers add
// while the service runs, beside those of the connection file. Keys that are
// typed in are sealed and never shown again.
package connection
