// Package protocol speaks to model servers, in the protocols that there are:
//
//	chat-completions   POST /chat/completions with an event stream for an
//	                   answer, /embeddings, /models; what most servers speak
//
// A new protocol is one file: a type that is a models.Client, a function that
// makes it, and a line that registers it:
//
//	var _ = register("my-protocol", newMyProtocol)
//
// A client hands over whole characters as they come, ends when its context
// does, and returns every failure as a *models.Error that tells a server that
// cannot be reached from one that is busy, slow, or refuses: what is tried
// again, and what makers are told, depends on it alone.
package protocol

import (
	"maps"

	"juvalogos/internal/models"
)

var all = map[string]models.Protocol{}

// register makes a protocol known by the name that connections call it by.
func register(name string, p models.Protocol) models.Protocol {
	all[name] = p
	return p
}

// All are the protocols by their names.
func All() map[string]models.Protocol { return maps.Clone(all) }
