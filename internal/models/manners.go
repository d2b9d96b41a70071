package models

import (
	"slices"

	"juvalogos/core/yamlfile"
)

// Manners are how a server wants to be asked for a model, where that is not as
// the protocol has it. The zero Manners are the protocol's.
type Manners struct {
	LeaveOut []string        `yaml:"leave_out,omitempty" json:"leave_out,omitempty" most:"20" about:"Fields of the request that the server does not take, like stream_options; with stream the reply comes at once." example:"[stream_options]"`
	Rename   yamlfile.Texts  `yaml:"rename,omitempty" json:"rename,omitempty" about:"Fields that have another name there." example:"{max_tokens: max_completion_tokens}"`
	Add      yamlfile.Object `yaml:"add,omitempty" json:"add,omitempty" about:"Further fields of the request, in the server's own words." example:"{top_k: 40}"`
	Brief    string          `yaml:"brief,omitempty" json:"brief,omitempty" choices:"system,developer,user" about:"Where the standing instructions go: a message of the system (the default) or of the developer, or user: at the head of the first question."`
	// ThinksFirst is for servers that put the opening mark into the prompt.
	ThinksFirst bool `yaml:"thinks_first,omitempty" json:"thinks_first,omitempty" about:"The reply begins with thinking that only a closing mark ends, like </think>."`
}

// Plain reports whether there is nothing to heed.
func (m *Manners) Plain() bool {
	return m == nil || len(m.LeaveOut) == 0 && len(m.Rename) == 0 && len(m.Add) == 0 &&
		(m.Brief == "" || m.Brief == "system")
}

// Empty reports whether there is nothing to write down.
func (m *Manners) Empty() bool { return m == nil || m.Plain() && !m.ThinksFirst && m.Brief == "" }

// Leaves reports whether a field of the protocol is left out.
func (m *Manners) Leaves(field string) bool { return m != nil && slices.Contains(m.LeaveOut, field) }
