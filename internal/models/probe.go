package models

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"github.com/goccy/go-yaml"

	"juvalogos/core/deskfile"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/sound"
	"juvalogos/core/thinking"
	"juvalogos/core/yamlfile"
)

// Probe is what asking a model for a few tokens showed.
type Probe struct {
	Model           string    `json:"model"` // connection/name
	Works           bool      `json:"works"`
	FirstTokenMS    float64   `json:"first_token_ms"`
	TokensPerSecond float64   `json:"tokens_per_second"` // after the first; 0 if too few came
	Reply           string    `json:"reply"`
	Thinks          bool      `json:"thinks"` // aloud
	Problem         ErrorKind `json:"problem,omitempty"`
	Advice          string    `json:"advice,omitempty"`
	// Found is how the server wants to be asked, if it works only so; nil: as the
	// connection says. Lines are how to write that down.
	Found *Manners `json:"found,omitempty"`
	Lines string   `json:"lines,omitempty"`
	// Trials are what was tried to find that out.
	Trials []Trial `json:"trials,omitempty"`
	// Places are where in the answer of an endpoint texts stand, the longest first, if
	// the connection does not say where the reply is.
	Places []Place `json:"places,omitempty"`
	// Exchanges are the requests as they went over the wire, the last few.
	Exchanges []Exchange `json:"exchanges,omitempty"`
}

// Place is where in an answer a text stands, as a JSON Pointer.
type Place struct {
	At   string `json:"at"`
	Text string `json:"text"`
}

// Trial is one way of asking that was tried.
type Trial struct {
	What  string `json:"what"`
	Works bool   `json:"works"`
	Said  string `json:"said,omitempty"` // what the server said to it
}

const (
	// probeTokens is enough to tell a rate and cheap enough for any price.
	probeTokens = 24
	// mostExchanges are kept of a probe.
	mostExchanges = 3
	// probePause is how long a busy server is left alone at most, mostPauses how often.
	probePause = 20 * time.Second
	mostPauses = 3
)

// prober asks one model in several ways.
type prober struct {
	entry  Entry
	probe  Probe
	pauses int
}

// trial is what one way of asking gave.
type trial struct {
	first, last time.Time
	pieces      int
	said        strings.Builder
	files       []string // the kinds of files that came
	thought     bool
	began       time.Time
	result      Result
}

// errEnough is why a model is stopped that writes on and on.
var errEnough = errors.New("that was enough")

// probeQuestion is what is asked with everything that a desk may send.
func probeQuestion(m *Manners, brief bool) Request {
	r := Request{
		Messages: []prompt.Message{{Role: prompt.User, Text: "Count from one to thirty in words."}},
		Sampling: deskfile.Sampling{MaxTokens: probeTokens, Temperature: new(0.3), TopP: new(0.9), Seed: new(7),
			Stop: []string{"\n\n\n\n"}},
		Manners: m,
	}
	if brief {
		r.Messages = slices.Insert(r.Messages, 0, prompt.Message{Role: prompt.System, Text: "Answer briefly."})
	}
	return r
}

// ask asks once; a busy server is asked again.
func (p *prober) ask(ctx context.Context, r Request) (trial, error) {
	for {
		t, err := p.askOnce(ctx, r)
		var failure *Error
		if !errors.As(err, &failure) || failure.Kind != Busy || p.pauses >= mostPauses ||
			failure.RetryAfter > probePause {
			return t, err
		}
		p.pauses++
		select {
		case <-ctx.Done():
			return t, context.Cause(ctx)
		case <-time.After(max(time.Second, failure.RetryAfter)):
		}
	}
}

func (p *prober) askOnce(ctx context.Context, r Request) (t trial, err error) {
	within, enough := context.WithCancelCause(ctx)
	defer enough(nil)
	t.began = time.Now()
	piece := func(text []byte) {
		if t.last = time.Now(); t.pieces == 0 {
			t.first = t.last
		}
		if t.pieces++; t.pieces > 4*probeTokens {
			enough(errEnough)
		}
	}
	t.result, err = p.entry.Generate(within, r, Sink{
		Text:    func(text []byte) { piece(text); t.said.Write(text) },
		Thought: func(text []byte) { piece(text); t.thought = true },
		File: func(f recipe.Media) {
			piece(nil)
			t.files = append(t.files,
				f.Kind)
			t.said.WriteString("(" + f.Kind + ")")
		},
		Exchanged: func(x Exchange) {
			p.probe.Exchanges = append(p.probe.Exchanges, x)
			p.probe.Exchanges = p.probe.Exchanges[max(0, len(p.probe.Exchanges)-mostExchanges):]
		},
	})
	if errors.Is(err, errEnough) {
		err = nil
	}
	if err == nil && t.pieces == 0 {
		detail := "the model ended without a word"
		if t.result.Finish != "" {
			detail += fmt.Sprintf(", with %q", t.result.Finish)
		}
		err = &Error{Kind: SaidNothing, Entry: p.entry.Path(), Detail: detail}
	}
	return t, err
}

// Probe asks the model for a few tokens, or for what else it makes, and times that. If the server refuses the
// request as it is, it finds out by trying how it wants to be asked.
func (e Entry) Probe(ctx context.Context) Probe {
	p := &prober{entry: e, probe: Probe{Model: e.Path()}}
	if e.Able("embeddings") && len(e.Can) == 1 {
		p.embeddings(ctx)
		return p.probe
	}
	if e.Able("pictures") && !e.Able("chat") {
		p.pictures(ctx)
		return p.probe
	}
	if (e.Able("hear") || e.Able("speech")) && !e.Able("chat") {
		p.sound(ctx)
		return p.probe
	}
	question := probeQuestion(e.Manners, e.Able("chat"))
	how := e.Connection.Endpoint
	if how != nil && how.Reply == "" {
		question.Sampling.MaxTokens = 0 // the whole answer is needed, to find the reply in it
	}
	t, err := p.ask(ctx, question)
	var failure *Error
	if e.Connection.Protocol == ChatCompletions && errors.As(err, &failure) && aboutTheRequest(failure) {
		found, how, works := p.explore(ctx)
		if works {
			t, err = how, nil
			p.found(found)
			p.probe.Problem = failure.Kind
			said := "it does not say why"
			if failure.Detail != "" {
				said = "it says: " + failure.Detail
			}
			p.probe.Advice = "it does not take the request as the protocol has it (" + said + "), but it works so:"
		}
	}
	if err != nil {
		e.explain(ctx, &p.probe, err)
		return p.probe
	}
	if how != nil && how.Reply == "" && how.Stream == "" {
		p.probe.Places = placesIn(t.said.String())
	}
	p.probe.Works, p.probe.Reply, p.probe.Thinks = true, t.said.String(), t.thought
	p.probe.FirstTokenMS = t.first.Sub(t.began).Seconds() * 1000
	tokens := t.pieces
	if t.result.ReplyTokens > 0 {
		tokens = t.result.ReplyTokens
	}
	if span := t.last.Sub(t.first).Seconds(); span > 0.005 && tokens > 1 && t.pieces > 1 {
		p.probe.TokensPerSecond = float64(tokens-1) / span
	}
	if p.probe.Found == nil && !t.thought && closesThinking(p.probe.Reply) {
		m := Manners{}
		if e.Manners != nil {
			m = *e.Manners
		}
		m.ThinksFirst = true
		p.found(m)
		p.probe.Thinks = true
		p.probe.Advice = "it thinks aloud, and only a closing mark shows where that ends; write that down so:"
	}
	return p.probe
}

// mostPlaces are shown of an answer.
const mostPlaces = 6

// placesIn lists where in JSON texts stand.
func placesIn(answer string) (places []Place) {
	var v any
	if json.Unmarshal([]byte(answer), &v) != nil {
		return nil
	}
	escape := strings.NewReplacer("~", "~0", "/", "~1")
	var walk func(v any, at string)
	walk = func(v any, at string) {
		switch v := v.(type) {
		case string:
			if at != "" {
				places = append(places, Place{at, v})
			}
		case []any:
			for i, x := range v[:min(len(v), mostPlaces)] {
				walk(x, fmt.Sprintf("%s/%d", at, i))
			}
		case map[string]any:
			for _, key := range slices.Sorted(maps.Keys(v)) {
				walk(v[key], at+"/"+escape.Replace(key))
			}
		}
	}
	walk(v, "")
	slices.SortStableFunc(places, func(a, b Place) int { return len(b.Text) - len(a.Text) })
	return places[:min(len(places), mostPlaces)]
}

// aboutTheRequest reports whether another way of asking may be answered.
func aboutTheRequest(e *Error) bool {
	switch e.Kind {
	case Unsupported, Refused, Garbled, Declined, TooLong, SaidNothing:
		return true
	case ServerFailed: // some fall over what they do not know
		return e.Status == 0 || e.Status == 500 || e.Status == 501
	}
	return false
}

// closesThinking reports whether a text ends thinking that it did not begin.
func closesThinking(text string) bool {
	return slices.ContainsFunc(thinking.Marks, func(m thinking.Mark) bool {
		return strings.Contains(text, m.Close) && !strings.Contains(text, m.Open)
	})
}

func (p *prober) found(m Manners) {
	if m.Empty() {
		return
	}
	p.probe.Found = &m
	if text, err := yaml.MarshalWithOptions(m, yaml.Flow(true)); err == nil {
		p.probe.Lines = "manners: " + strings.TrimSpace(string(text))
	}
}

// try asks in one way and notes what came of it.
func (p *prober) try(ctx context.Context, what string, m Manners, brief bool) (trial, bool) {
	t, err := p.ask(ctx, probeQuestion(&m, brief))
	note := Trial{What: what, Works: err == nil}
	var failure *Error
	if errors.As(err, &failure) {
		note.Said = failure.Detail
	} else if err != nil {
		note.Said = err.Error()
	}
	p.probe.Trials = append(p.probe.Trials, note)
	return t, err == nil
}

// Fields of the protocol that a server may not know, in the order in which they
// are tried.
var optional = []string{"stream", "stream_options", "max_tokens", "temperature", "top_p", "stop", "seed"}

// renamed are other names that servers have for fields.
var renamed = map[string][]string{"max_tokens": {"max_completion_tokens", "max_new_tokens"}}

// explore asks with as little as there can be, and adds what works.
func (p *prober) explore(ctx context.Context) (m Manners, last trial, works bool) {
	if own := p.entry.Manners; own != nil {
		m.Add, m.ThinksFirst = own.Add, own.ThinksFirst
	}
	m.LeaveOut = slices.Clone(optional)
	last, works = p.try(ctx, "the question alone", m, false)
	if !works {
		return m, last, false
	}
	for _, field := range optional {
		if field == "stream_options" && m.Leaves("stream") {
			continue
		}
		with := m
		with.LeaveOut = slices.DeleteFunc(slices.Clone(m.LeaveOut), func(f string) bool { return f == field })
		if t, ok := p.try(ctx, "with "+field, with, false); ok {
			m, last = with, t
			continue
		}
		for _, name := range renamed[field] {
			with.Rename = yamlfile.Texts{field: name}
			if t, ok := p.try(ctx, "with "+name, with, false); ok {
				m, last = with, t
				break
			}
		}
	}
	for _, brief := range []string{"", "developer", "user"} {
		with := m
		with.Brief = brief
		what := "with a brief as system"
		if brief != "" {
			what = "with a brief as " + brief
		}
		if t, ok := p.try(ctx, what, with, true); ok {
			return with, t, true
		}
	}
	return m, last, false
}

func (p *prober) embeddings(ctx context.Context) {
	began := time.Now()
	vectors, _, err := p.entry.Embed(ctx, []string{"How do I light a smoker?"})
	if err != nil {
		p.entry.explain(ctx, &p.probe, err)
		return
	}
	p.probe.Works, p.probe.FirstTokenMS = true, time.Since(began).Seconds()*1000
	p.probe.Reply = fmt.Sprintf("a vector of %d numbers", len(vectors[0]))
}

// pictures has one picture made, the cheapest way to see that some can be.
func (p *prober) pictures(ctx context.Context) {
	t, err := p.ask(ctx, Request{Make: &recipe.Making{Words: "A green circle on white", Number: 1,
		Width: p.entry.Takes.Width, Height: p.entry.Takes.Height}, Manners: p.entry.Manners})
	if err == nil && len(t.files) == 0 {
		err = &Error{Kind: SaidNothing, Entry: p.entry.Path(), Detail: "the answer has no picture"}
	}
	if err != nil {
		p.entry.explain(ctx, &p.probe, err)
		return
	}
	p.probe.Works, p.probe.FirstTokenMS = true, t.first.Sub(t.began).Seconds()*1000
	p.probe.Reply = "a picture (" + t.files[0] + ")"
}

// sound has a second of silence heard, or a word spoken, the cheapest ways to see that
// something can be.
func (p *prober) sound(ctx context.Context) {
	r := Request{Say: &sound.Saying{Text: "Yes.", Voice: p.entry.Speaks.Voice(""), Kind: p.entry.Speaks.Kind},
		Manners: p.entry.Manners}
	if p.entry.Able("hear") {
		r = Request{Hear: &sound.Asked{Seconds: 1}, Manners: p.entry.Manners,
			Files: []recipe.Media{{Name: "silence", Kind: "audio/wav", Body: silence(time.Second)}}}
	}
	t, err := p.ask(ctx, r)
	var failure *Error
	if errors.As(err, &failure) && failure.Kind == SaidNothing && r.Hear != nil {
		err = nil // nothing was said
	}
	if err == nil && r.Say != nil && len(t.files) == 0 {
		err = &Error{Kind: SaidNothing, Entry: p.entry.Path(), Detail: "the answer has no sound"}
	}
	if err != nil {
		p.entry.explain(ctx, &p.probe, err)
		return
	}
	p.probe.Works, p.probe.FirstTokenMS = true, time.Since(t.began).Seconds()*1000
	if p.probe.Reply = "it hears"; r.Say != nil {
		p.probe.Reply = "it speaks (" + t.files[0] + ")"
	}
}

// silence is a WAV of 16000 samples a second, of one channel, in which nothing is.
func silence(of time.Duration) []byte {
	const rate = 16000
	size := uint32(2 * rate * of / time.Second)
	head := []byte("RIFF")
	head = binary.LittleEndian.AppendUint32(head, 36+size)
	head = append(head, "WAVEfmt "...)
	head = binary.LittleEndian.AppendUint32(head, 16)
	for _, v := range []uint16{1, 1} {
		head = binary.LittleEndian.AppendUint16(head, v)
	}
	head = binary.LittleEndian.AppendUint32(head, rate)
	head = binary.LittleEndian.AppendUint32(head, 2*rate)
	for _, v := range []uint16{2, 16} {
		head = binary.LittleEndian.AppendUint16(head, v)
	}
	head = binary.LittleEndian.AppendUint32(append(head, "data"...), size)
	return append(head, make([]byte, size)...)
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
	near := yamlfile.Nearest(e.Name, names)
	switch {
	case err != nil || len(names) == 0:
		p.Advice = fmt.Sprintf("the server has no model %q; it says: %s", e.Name, failure.Detail)
	case slices.Contains(names, e.Name):
		p.Advice = fmt.Sprintf("the server lists the model %q, but does not find it when it is asked; it says: %s",
			e.Name,
			failure.Detail)
	case near != "":
		p.Advice = fmt.Sprintf("the server has no model %q; did you mean %q?", e.Name, near)
	case len(names) > mostNamed:
		p.Advice = fmt.Sprintf("the server has no model %q; it has %d, like: %s", e.Name, len(names),
			strings.Join(names[:mostNamed], ", "))
	default:
		p.Advice = fmt.Sprintf("the server has no model %q; it has: %s", e.Name, strings.Join(names, ", "))
	}
}

// Probe probes the model of that name, or with "" every model. It fails with
// *NoModel; what is wrong with a model is in its Probe.
func (r *Registry) Probe(ctx context.Context, name string) ([]Probe, error) {
	entries := r.All()
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
