package reply

import (
	"bytes"
	"context"
	"encoding/json"
	"sync"
	"sync/atomic"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"juvalogos/core/recipe"
	"juvalogos/internal/fair"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/record"
)

// Reply is one attempt at a reply while it is made, or as it was recorded.
// Whoever follows it takes a Listener; the text only ever grows.
type Reply struct {
	Turn         uuid.UUID
	Conversation uuid.UUID
	Slug         string
	TurnNumber   int // the turn's place in its conversation, from 1
	Attempt      int // from 1
	Question     string
	Title        string // of the conversation, if it began with this turn
	Model        string
	Recipe       string // its name
	Revision     int
	Choosing     Choosing
	StartedAt    time.Time

	key     string
	visitor record.Visitor
	party   fair.Party          // for whom it is made
	taken   *limits.Reservation // of what they may take
	// droppable says that it is dropped while it waits in line once nobody waits
	// for it.
	droppable bool
	cancel    func(cause error) // under the service's mu

	record *recipe.Recorder
	// private is set once the reply draws on what the visitor attached.
	private atomic.Bool

	mu        sync.Mutex
	text      []byte
	lanes     []*Lane  // of a reply of several texts
	mended    []byte   // the text that is kept, where it is not what listeners were shown
	thoughts  [][]byte // what was thought aloud before each text
	lanesGrew bool     // since they were put on record
	steps     int      // how often steps have changed
	inside    int      // listeners that want to hear of steps
	notice    Notice
	noticeSeq int
	end       End  // how it ended
	renew     bool // it is made once more although it was done: what is kept of the whole is not taken
	over      bool // the model is done with it
	settled   bool // and it is on record
	listeners []*Listener
	counted   map[string]int // for how many of their lists steps are done
	pieces    []Piece        // what may be read before there is a reply
	leftAt    time.Time      // when the last of them left

	// The scribe's, under mu.
	saved        int       // bytes on record
	unsavedSince time.Time // when the oldest byte came that is not on record
	unsure       bool      // the last write may or may not have happened
	firstAt      time.Time
}

// End is how a reply ended.
type End struct {
	State                                   record.State
	Finish                                  string // the model's own word
	Problem                                 fault.Code
	ProblemID                               string
	PromptTokens, ReplyTokens, memoryTokens int
	At                                      time.Time
	Cost                                    float64
	Lanes                                   []Lane // of a reply of several texts
	Preferred                               *int   // of them
	Parts                                   []recipe.MadePart

	usage record.Usage
	trace *record.Trace
	// RetryAfter is how long the model asks to be left alone; not on record.
	RetryAfter time.Duration
}

// Notice tells what a reply is waiting for.
type Notice struct {
	// Kind is retrying, waking, in-line, writing (after in-line), working, making,
	// preview, step, unsaved or saved.
	Kind string
	// Why is what stands in the way where the model is asked again: busy, away,
	// failed or cut-off.
	Why string
	// Done is how far a model has got that works on a job, of 1; 0: not known.
	Done float64
	// Says is what a visitor reads of a step. Where that runs for each of a list, Counted
	// is for how many of Of it is done.
	Says        string
	Counted, Of int
	// Seconds is when the model is asked again, or about how long the line
	// will take, or the pictures; 0 if that is not known.
	Seconds float64
	Place   int // in line; 1 is next. Of pictures: how many say how long it takes
	// Picture is what a picture looks like that is not done, as a data URL.
	Picture string
}

// Listener is woken when its reply has grown or changed.
type Listener struct {
	Wake  chan struct{}
	reply *Reply
}

// Listen adds a listener. Close it.
func (r *Reply) Listen() *Listener {
	l := &Listener{Wake: make(chan struct{}, 1), reply: r}
	r.mu.Lock()
	defer r.mu.Unlock()
	r.listeners = append(r.listeners, l)
	r.leftAt = time.Time{}
	l.Wake <- struct{}{}
	return l
}

// Close ends the listening; the reply goes on.
func (l *Listener) Close() {
	r := l.reply
	r.mu.Lock()
	defer r.mu.Unlock()
	for i, other := range r.listeners {
		if other == l {
			last := len(r.listeners) - 1
			r.listeners[i] = r.listeners[last]
			r.listeners[last] = nil
			r.listeners = r.listeners[:last]
			if last == 0 {
				r.leftAt = time.Now()
			}
			return
		}
	}
}

// alone reports since when nobody has listened; zero while somebody does, or if
// nobody ever did.
func (r *Reply) alone() time.Time {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.leftAt
}

// View is a reply at one moment, from an offset on.
type View struct {
	Text      []byte // what came after the offset, appended to the given buffer
	From      int    // the offset that was used
	Offset    int    // bytes of text in all
	Notice    Notice
	NoticeSeq int // how many notices there were
	Settled   bool
	End       End
	Steps     int // how often steps have changed
	// Mended is the whole text where it is not what was shown as it grew; nil:
	// it is.
	Mended []byte
}

// Since returns what is new after offset bytes; an offset that cannot be right
// counts as 0. The text is appended to into.
func (r *Reply) Since(offset int, into []byte) View {
	r.mu.Lock()
	defer r.mu.Unlock()
	if offset < 0 || offset > len(r.text) || offset < len(r.text) && !utf8.RuneStart(r.text[offset]) {
		offset = 0
	}
	return View{
		Text: append(into, r.text[offset:]...), From: offset, Offset: len(r.text),
		Notice: r.notice, NoticeSeq: r.noticeSeq,
		Settled: r.settled, End: r.end, Steps: r.steps, Mended: r.mended,
	}
}

// add appends text as it comes from a model.
func (r *Reply) add(text []byte, now func() time.Time) {
	text = keepable(text)
	r.mu.Lock()
	r.began(now)
	r.text = append(r.text, text...)
	r.wake()
	r.mu.Unlock()
}

// keepable is a text with what PostgreSQL cannot keep replaced: NUL and broken
// UTF-8.
func keepable(text []byte) []byte {
	if bytes.IndexByte(text, 0) >= 0 || !utf8.Valid(text) {
		return record.Clean(text)
	}
	return text
}

// began notes when text came that is not saved yet, and the first of all. The
// caller holds mu.
func (r *Reply) began(now func() time.Time) {
	if r.unsavedSince.IsZero() {
		r.unsavedSince = now()
	}
	if r.firstAt.IsZero() {
		r.firstAt = r.unsavedSince
	}
}

func (r *Reply) tell(n Notice) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.notice = n
	r.noticeSeq++
	r.wake()
}

// stepChanged hears of every change of a step.
func (r *Reply) stepChanged(span *recipe.Span) {
	r.keepPiece(span)
	r.mu.Lock()
	r.steps++
	counted := 0
	if span.Of > 1 && span.Parent < 0 && span.State != recipe.Running {
		if r.counted == nil {
			r.counted = map[string]int{}
		}
		r.counted[span.Step]++
		counted = r.counted[span.Step]
	}
	if r.inside > 0 {
		r.wake()
	}
	quiet := len(r.text) == 0
	r.mu.Unlock()
	begun := span.State == recipe.Running && span.First == 0 && len(span.Calls) == 0
	if quiet && begun && span.Says != "" {
		r.tell(Notice{Kind: "step", Says: span.Says, Counted: r.countedOf(span.Step), Of: span.Of})
	} else if quiet && counted > 0 && span.Says != "" {
		r.tell(Notice{Kind: "step", Says: span.Says, Counted: counted, Of: span.Of})
	}
}

// countedOf is for how many of its list a step is done.
func (r *Reply) countedOf(step string) int {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.counted[step]
}

// LookInside says that a listener wants to be woken by steps too, until the
// returned function is called.
func (r *Reply) LookInside() (end func()) {
	count := func(n int) {
		r.mu.Lock()
		defer r.mu.Unlock()
		r.inside += n
	}
	count(1)
	return func() { count(-1) }
}

// Spans are the steps so far.
func (r *Reply) Spans() []recipe.Span {
	spans := r.record.Spans()
	if r.private.Load() {
		return withheld(spans)
	}
	return spans
}

// wake tells every listener, without waiting and without allocating. The
// caller holds mu.
func (r *Reply) wake() {
	for _, l := range r.listeners {
		select {
		case l.Wake <- struct{}{}:
		default:
		}
	}
}

// finish says that no more text will come. Listeners learn of it once the
// reply is on record.
func (r *Reply) finish(end End) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if !r.settled {
		r.end, r.over = end, true
	}
}

// settle says that the whole reply is on record.
func (r *Reply) settle() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.settled = true
	r.wake()
}

// Settled reports whether the whole reply is on record.
func (r *Reply) Settled() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.settled
}

// Wait waits until the whole reply is on record, or the context ends, which is the error.
func (r *Reply) Wait(ctx context.Context) error {
	l := r.Listen()
	defer l.Close()
	for !r.Settled() {
		select {
		case <-l.Wake:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
	return nil
}

// length is the number of bytes of text so far.
func (r *Reply) length() int {
	r.mu.Lock()
	defer r.mu.Unlock()
	return len(r.text)
}

// recorded makes a Reply of a turn on record that no longer grows.
func recorded(t record.Turn) *Reply {
	a := t.Attempt
	r := &Reply{
		Turn: t.ID, Conversation: t.Conversation, Slug: t.Slug, TurnNumber: t.Number, Attempt: a.Number,
		Question: t.Question, Model: a.Model, StartedAt: a.StartedAt,
		text: []byte(a.Reply), over: true, settled: true, record: &recipe.Recorder{},
		end: EndOf(a),
	}
	for _, l := range r.end.Lanes {
		r.lanes = append(r.lanes, &l)
		r.Choosing = Choosing{Show: l.Show, Blind: l.Blind && r.end.Preferred == nil,
			Titles: append(r.Choosing.Titles, l.Title)}
	}
	return r
}

// EndOf is how an attempt on record ended.
func EndOf(a record.Attempt) End {
	e := End{
		State: a.State, Finish: a.Finish, Problem: fault.Code(a.Problem), ProblemID: a.ProblemID,
		PromptTokens: a.PromptTokens, ReplyTokens: a.ReplyTokens, Cost: a.Cost,
		Lanes: ReadLanes(a.Lanes), Preferred: a.Preferred,
	}
	if a.Parts != nil && json.Unmarshal(a.Parts, &e.Parts) != nil {
		e.Parts = nil // cannot happen: we wrote it
	}
	if a.EndedAt != nil {
		e.At = *a.EndedAt
	}
	if a.State == record.Interrupted && e.Problem == "" {
		e.Problem = fault.Interruption
	}
	return e
}

// Usage is what making the reply has taken so far.
func (r *Reply) Usage() record.Usage { return record.Usage(r.record.Usage()) }
