package recipe

import (
	"cmp"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"juvalogos/core/evidence"
	"juvalogos/core/prompt"
	"juvalogos/core/sound"
)

// State is how a step is or ended.
type State string

// The states.
const (
	Running State = "running"
	Done    State = "done"
	Failed  State = "failed"
	Skipped State = "skipped" // its condition did not hold, or what it needs is not there
	Reused  State = "reused"  // its outputs were kept from an earlier run
	Stopped State = "stopped" // the run ended before it did
)

// Span is what happened while a step ran. Times count from the beginning of
// the run.
type Span struct {
	Step   string        `json:"step"`             // its name; group/step within a group
	Number int           `json:"number,omitempty"` // from 1 where the step ran for each
	Of     int           `json:"of,omitempty"`     // how many entries there are then
	Do     string        `json:"do"`
	Says   string        `json:"says,omitempty"`
	Parent int           `json:"parent"` // the group's place among the spans; -1: none
	State  State         `json:"state"`
	Start  time.Duration `json:"start_ns"`
	First  time.Duration `json:"first_ns,omitempty"` // when it first wrote to the reply
	Took   time.Duration `json:"took_ns"`
	Tries  int           `json:"tries,omitempty"`
	Set    any           `json:"set,omitempty"`
	In     Values        `json:"in,omitempty"`
	Out    Values        `json:"out,omitempty"`
	Piece  *Piece        `json:"piece,omitempty"` // what a visitor reads of it before the reply
	Error  string        `json:"error,omitempty"`
	Notes  []string      `json:"notes,omitempty"`
	Calls  []ModelCall   `json:"calls,omitempty"`
}

// Piece is what a step that runs for each of a list has made of one, to be read before there
// is a reply.
type Piece struct {
	Title string `json:"title,omitempty"` // of the entry
	Text  string `json:"text"`
}

// ModelCall is one time that a model was asked.
type ModelCall struct {
	Model        string           `json:"model"` // connection/name
	Settings     any              `json:"settings,omitempty"`
	Messages     []prompt.Message `json:"messages,omitempty"` // exactly as sent
	Answer       string           `json:"answer"`             // exactly as it came
	Thought      string           `json:"thought,omitempty"`  // what the model thought aloud
	Finish       string           `json:"finish,omitempty"`
	PromptTokens int              `json:"prompt_tokens"`
	ReplyTokens  int              `json:"reply_tokens"`
	// Of these, what was thought aloud and what the server had kept from before.
	ThoughtTokens int     `json:"thought_tokens,omitempty"`
	CachedTokens  int     `json:"cached_tokens,omitempty"`
	Counted       bool    `json:"counted,omitempty"`  // by us; the server did not say
	Pictures      int     `json:"pictures,omitempty"` // that it made
	Making        *Making `json:"making,omitempty"`   // what was wished for
	// What was asked of a sound, or what was to be spoken, and how many seconds that has.
	Hearing *sound.Asked  `json:"hearing,omitempty"`
	Saying  *sound.Saying `json:"saying,omitempty"`
	Sound   float64       `json:"sound_seconds,omitempty"`
	Cost    float64       `json:"cost,omitempty"`
	At      time.Time     `json:"at"`
	Lane    int           `json:"lane,omitempty"` // of the reply, from 1; 0: it is not the reply
	First   time.Duration `json:"first_ns,omitempty"`
	Took    time.Duration `json:"took_ns"`
	Waited  time.Duration `json:"waited_ns,omitempty"` // in line
	Retries int           `json:"retries,omitempty"`
	Error   string        `json:"error,omitempty"`
}

// Recorder keeps the spans of a run. It may be read while the run goes on.
type Recorder struct {
	// Changed, if set, is called after every change, by whoever made it.
	Changed func(*Span)

	mu    sync.Mutex
	spans []Span
}

// Spans returns a copy of the spans so far, in the order in which they began.
func (r *Recorder) Spans() []Span {
	r.mu.Lock()
	defer r.mu.Unlock()
	spans := slices.Clone(r.spans)
	for i := range spans {
		spans[i].Calls = slices.Clone(spans[i].Calls)
	}
	return spans
}

// Add keeps a span of something that was done beside the run.
func (r *Recorder) Add(s Span) {
	r.mu.Lock()
	r.spans = append(r.spans, s)
	r.mu.Unlock()
	r.changed(&s)
}

// Usage is what models were asked for.
type Usage struct {
	PromptTokens, ReplyTokens, Calls, Retries, Reused int
	Cost                                              float64
}

// Usage sums up the spans so far.
func (r *Recorder) Usage() (u Usage) {
	r.mu.Lock()
	defer r.mu.Unlock()
	return Sum(r.spans)
}

// Sum adds up what the calls in spans used.
func Sum(spans []Span) (u Usage) {
	for i := range spans {
		if spans[i].State == Reused {
			u.Reused++
		}
		u.Retries += max(0, spans[i].Tries-1)
		for _, c := range spans[i].Calls {
			u.Calls++
			u.PromptTokens += c.PromptTokens
			u.ReplyTokens += c.ReplyTokens
			u.Cost += c.Cost
			u.Retries += c.Retries
		}
	}
	return u
}

// spanning is a span that is being made.
type spanning struct {
	recorder *Recorder
	at       int
	began    time.Time
	run      *run
	begun    atomic.Bool // some of the reply has been written
}

func (x *run) begin(s *Step, number, of, parent int) *spanning {
	sp := x.open(s, number, of, parent, Running)
	span := sp.change(func(*Span) {})
	sp.recorder.changed(span)
	return sp
}

// skipped records a step that does not run.
func (x *run) skipped(s *Step, number, parent int) {
	x.open(s, number, 0, parent, Skipped).end(Skipped, nil, nil)
}

func (x *run) open(s *Step, number, of, parent int, state State) *spanning {
	now := x.options.Now()
	sp := &spanning{recorder: x.options.Record, began: now, run: x}
	name := s.Name
	r := sp.recorder
	r.mu.Lock()
	if parent >= 0 {
		name = r.spans[parent].Step + "/" + name
	}
	sp.at = len(r.spans)
	r.spans = append(r.spans, Span{Step: name, Number: number, Of: of, Do: s.Kind.Name, Says: s.Says, Parent: parent,
		State: state, Start: now.Sub(x.began)})
	r.mu.Unlock()
	return sp
}

func (r *Recorder) changed(s *Span) {
	if r.Changed != nil {
		r.Changed(s)
	}
}

// change changes the span under the recorder's lock, and returns it.
func (sp *spanning) change(f func(*Span)) *Span {
	sp.recorder.mu.Lock()
	defer sp.recorder.mu.Unlock()
	f(&sp.recorder.spans[sp.at])
	changed := sp.recorder.spans[sp.at]
	return &changed
}

func (sp *spanning) end(state State, err error, out Values) {
	took := sp.run.options.Now().Sub(sp.began)
	sp.recorder.changed(sp.change(func(s *Span) {
		s.State, s.Took, s.Out = state, took, out
		if err != nil {
			s.Error = err.Error()
		}
	}))
}

func (sp *spanning) wrote() {
	if sp.begun.Load() || sp.begun.Swap(true) {
		return
	}
	sp.recorder.changed(sp.change(func(s *Span) { s.First = max(1, sp.run.options.Now().Sub(sp.run.began)) }))
}

func (sp *spanning) written() bool { return sp.begun.Load() }

func (sp *spanning) asked(m *ModelCall) {
	sp.recorder.changed(sp.change(func(s *Span) { s.Calls = append(s.Calls, *m) }))
}

func (sp *spanning) note(text string) {
	sp.change(func(s *Span) { s.Notes = append(s.Notes, text) })
}

// shows notes what a visitor may read of a step that runs for each.
func (sp *spanning) shows(s *Step, p prepared, out Values) {
	if text, is := out[s.file.Shows].(string); is && s.file.Shows != "" {
		sp.change(func(span *Span) { span.Piece = &Piece{p.titled, text} })
	}
}

// titleOf is what an entry of a list is called, if it says so.
func titleOf(item any) string {
	switch item := item.(type) {
	case evidence.Passage:
		return cmp.Or(strings.Join(item.Path, " › "), item.Title)
	case string:
		if len([]rune(item)) <= 80 {
			return item
		}
	}
	return ""
}
