package models

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/yamlfile"
)

// Probe is what asking a model for a few tokens showed.
type Probe struct {
	Model           string    `json:"model"` // connection/name
	Works           bool      `json:"works"`
	FirstTokenMS    float64   `json:"first_token_ms"`
	TokensPerSecond float64   `json:"tokens_per_second"` // after the first; 0 if too few came
	Reply           string    `json:"reply"`
	Problem         ErrorKind `json:"problem,omitempty"`
	Advice          string    `json:"advice,omitempty"`
}

// probeTokens is enough to tell a rate and cheap enough for any price.
const probeTokens = 24

// Probe asks the model for a few tokens and times them. It fails if there is no
// model of that name; what goes wrong with a model is in its Probe.
func (e Entry) Probe(ctx context.Context) Probe {
	p := Probe{Model: e.Path()}
	if !e.Able("chat") {
		p.Problem, p.Advice = Refused, "this model does not chat; only chat models can be probed so far"
		return p
	}
	began := time.Now()
	var first, last time.Time
	var reply strings.Builder
	pieces := 0
	result, err := e.Generate(ctx, Request{
		Messages: []prompt.Message{{Role: prompt.User, Text: "Count from one to thirty in words."}},
		Sampling: deskfile.Sampling{MaxTokens: probeTokens},
	}, func(text []byte) {
		last = time.Now()
		if pieces == 0 {
			first = last
		}
		pieces++
		reply.Write(text)
	})
	p.Reply = reply.String()
	if err == nil && pieces == 0 {
		err = &Error{Kind: Garbled, Entry: e.Path(), Detail: "the reply is empty"}
	}
	if err != nil {
		e.explain(ctx, &p, err)
		return p
	}
	p.Works = true
	p.FirstTokenMS = first.Sub(began).Seconds() * 1000
	tokens := pieces
	if result.ReplyTokens > 0 {
		tokens = result.ReplyTokens
	}
	if span := last.Sub(first).Seconds(); span > 0 && tokens > 1 {
		p.TokensPerSecond = float64(tokens-1) / span
	}
	return p
}

func (e Entry) explain(ctx context.Context, p *Probe, err error) {
	var failure *Error
	if !errors.As(err, &failure) {
		p.Problem, p.Advice = Unreachable, err.Error()
		return
	}
	p.Problem, p.Advice = failure.Kind, failure.Advice()
	if failure.Kind != UnknownModel {
		return
	}
	names, err := e.client.Names(ctx)
	switch {
	case err != nil || len(names) == 0:
		p.Advice = fmt.Sprintf("the server has no model %q", e.Name)
	case yamlfile.Nearest(e.Name, names) != "":
		p.Advice = fmt.Sprintf("the server has no model %q; did you mean %q?", e.Name, yamlfile.Nearest(e.Name, names))
	default:
		p.Advice = fmt.Sprintf("the server has no model %q; it has: %s", e.Name, strings.Join(names, ", "))
	}
}

// Probe probes the model of that name, or with "" every model that chats. It
// fails if there is none of that name; what is wrong with a model is in its
// Probe.
func (r *Registry) Probe(ctx context.Context, name string) ([]Probe, error) {
	entries := slices.DeleteFunc(r.All(), func(e Entry) bool { return !e.Able("chat") })
	if name != "" {
		e, err := r.Find(name)
		if err != nil {
			return nil, err
		}
		entries = []Entry{e}
	}
	probes := make([]Probe, len(entries))
	for i, e := range entries {
		probes[i] = e.Probe(ctx)
		if probes[i].Works {
			r.answered.Store(true)
		}
	}
	return probes, nil
}
