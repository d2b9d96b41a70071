// Package api is what our HTTP API takes and gives, as Go types: made from
// internal/web/openapi.yaml, the one description, by make types. The service
// writes them (internal/shape fills them in), the client reads them, and the
// console has the same as TypeScript. Ids are texts here: callers hand them
// back and need not know what they are made of.
//
// Change the description, run make types, and the compiler shows what has to
// follow.
package api
