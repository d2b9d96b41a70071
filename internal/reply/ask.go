package reply

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"unicode/utf8"

	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/phrase"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/internal/desk"
	"juvalogos/internal/fair"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/record"
	"juvalogos/internal/store"
)

// Question is what a visitor asks.
type Question struct {
	Slug         string
	Conversation uuid.UUID // zero: begin one
	// Instead is a turn of the conversation beside which the question begins a
	// branch: it is asked as if that one had never been. Zero: the question
	// goes on from the end.
	Instead uuid.UUID
	Visitor record.Visitor
	Channel string // page, preview, api, completions or run
	Text    string
	// Pictures are those that come with the question itself; without any, it is asked with
	// those of its conversation.
	Pictures []GivenPicture
	// Choice is what the visitor has chosen of what the desk lets them change.
	Choice deskfile.Choice
	// Pose is what a run sets otherwise than the desk file.
	Pose desk.Pose
	// Inputs are what the visitor filled in beside the question, by name, as text.
	Inputs map[string]string
	// Key makes asking twice harmless: the same key is the same turn. Empty
	// means a new one.
	Key string
	// Supplied is the conversation that a program brings along; nil otherwise.
	Supplied *Supplied
}

// Supplied is a conversation that lies with the program that asks.
type Supplied struct {
	System   string             `json:"system,omitempty"` // added to the brief
	Past     []prompt.Exchange  `json:"past,omitempty"`
	Sampling *deskfile.Sampling `json:"sampling,omitempty"` // for what the desk file leaves out
	// Schema is a JSON Schema that the reply has to fit; nil: none.
	Schema any `json:"schema,omitempty"`
}

// LongestQuestion is the most bytes of a question that are looked at; what
// fits a model is decided in tokens.
const LongestQuestion = 1 << 20

// Ask puts a question on record and begins its reply. The reply is made
// whether or not anyone listens. Errors are *fault.Problem or *limits.Exceeded, by
// the context's party.
func (s *Service) Ask(ctx context.Context, q Question) (*Reply, error) {
	ctx = store.Soon(ctx)
	q.Text = strings.TrimSpace(string(record.Clean([]byte(q.Text))))
	if q.Text == "" {
		return nil, fault.Plain(fault.Empty)
	}
	if len(q.Text) > LongestQuestion {
		return nil, tooLong(&prompt.TooLong{Tokens: len(q.Text) / 4, Room: LongestQuestion / 4})
	}
	d, err := s.open(ctx, q)
	if err != nil {
		return nil, err
	}
	question := prompt.Measure(d.Counter, q.Text)
	if err := fits(d, question, q.Supplied); err != nil {
		return nil, err
	}
	inputs, err := s.inputsOf(ctx, d, q)
	if err != nil {
		return nil, err
	}
	if q.Key == "" {
		q.Key = uuid.NewString()
	} else if turn, ok := s.keys.turn(q.Visitor, q.Key); ok {
		return s.Watch(ctx, q.Visitor, turn)
	}
	past, place, err := s.past(ctx, q, d)
	if err != nil {
		return nil, err
	}
	r := &Reply{
		Turn: uuid.Must(uuid.NewV7()), Conversation: q.Conversation, Slug: q.Slug, TurnNumber: place.Number, Attempt: 1,
		Question: q.Text, Model: d.Entry.Path(), Recipe: d.Recipe.Name, Revision: d.Number, StartedAt: s.Now(),
		key: q.Key, visitor: q.Visitor, party: fair.Of(ctx),
	}
	if place.New {
		r.Title = titleOf(q.Text)
	}
	if r.Conversation == uuid.Nil {
		r.Conversation = uuid.Must(uuid.NewV7())
	}
	if r.taken, err = s.Limits.Reserve(ctx, d.Slug, amountsOf(place)); err != nil {
		return nil, err
	}
	pictures, err := s.askedWith(ctx, q, r.Conversation, d, question)
	if err != nil {
		r.taken.Undo()
		return nil, err
	}
	if twin, err := s.reserve(r); twin != nil || err != nil {
		r.taken.Undo()
		return twin, err
	}
	supplied, err := encodeSupplied(q.Supplied)
	if err != nil {
		s.abandon(r)
		return nil, fault.New(fault.Unexpected, err)
	}
	// The model is asked while the question goes on record. Nobody hears of
	// the reply before that is done, and if it fails the model is stopped.
	s.begin(r, d, Request{question, inputs, past, q.Supplied, pictures})
	turn := record.NewTurn{
		ID: r.Turn, Conversation: r.Conversation, Place: place, DeskID: d.DeskID, Revision: d.Number,
		Visitor: q.Visitor, Channel: q.Channel, Title: r.Title, Key: q.Key,
		Question: q.Text, QuestionTokens: question.Tokens, Media: idsOf(pictures), Vocabulary: d.Counter.Vocabulary(),
		Supplied: supplied,
		Choice:   desk.Chose{Choice: q.Choice, Pose: q.Pose}.JSON(), Model: r.Model, Recipe: r.Recipe,
		Inputs:   encode(q.Inputs, len(q.Inputs) == 0),
		Instance: s.instance, AskedAt: r.StartedAt,
	}
	if err := s.record(ctx, r, turn); err != nil {
		s.abandon(r)
		return s.notAsked(ctx, q, err)
	}
	s.keep(r)
	return r, nil
}

// record puts a question on record, in so much time, and finds out whether it is there if
// the database's answer was lost.
func (s *Service) record(ctx context.Context, r *Reply, turn record.NewTurn) error {
	once, cancel := context.WithTimeout(ctx, askingLimit)
	defer cancel()
	err := s.Store.Replies.Ask(once, turn)
	if errors.Is(err, record.ErrNotFound) && s.lost(ctx) {
		err = s.Store.Replies.Ask(once, turn) // what stood in its way was nobody's
	}
	if inDoubt(err) && s.onRecordAfterAll(context.WithoutCancel(ctx), r) {
		return nil
	}
	return err
}

// open opens the desk that is asked, as it is to answer.
func (s *Service) open(ctx context.Context, q Question) (*desk.Desk, error) {
	d, err := s.Desks.Open(ctx, q.Slug)
	if err == nil {
		d, err = s.Desks.Chosen(d, q.Choice)
	}
	if err == nil {
		d, err = s.Desks.Posed(d, q.Pose)
	}
	return d, fault.Logged(s.Log, "ask", err)
}

// amountsOf is what a question counts for.
func amountsOf(p record.Place) limits.Amounts {
	amounts := limits.Amounts{limits.Questions: 1, limits.AtOnce: 1}
	if p.New {
		amounts[limits.Conversations] = 1
	}
	return amounts
}

// past returns what a question's conversation holds and the place of its next
// turn.
func (s *Service) past(ctx context.Context, q Question, d *desk.Desk) (record.Past, record.Place, error) {
	if q.Conversation == uuid.Nil {
		return record.Past{}, record.Place{Number: 1, New: true}, nil
	}
	var instead *uuid.UUID
	if q.Instead != uuid.Nil {
		instead = &q.Instead
	}
	past, place, err := s.Store.Replies.Past(ctx, q.Conversation, d.DeskID, q.Visitor, instead, Recalled(d))
	if errors.Is(err, record.ErrNotFound) && instead == nil {
		// Something was attached to it before the first question.
		if announced, failed := s.Store.Shelves.Announced(ctx, q.Conversation, q.Visitor, d.DeskID); announced ||
			failed != nil {
			err = failed
			place = record.Place{Number: 1, New: true}
		}
	}
	if err != nil {
		return past, place, fault.NotFound(s.Log, fault.NoConversation, err)
	}
	return past, place, nil
}

// Again makes another attempt at a turn whose last one is over. preview has it
// made by the desk's draft.
func (s *Service) Again(ctx context.Context, visitor record.Visitor, turn uuid.UUID, choice deskfile.Choice,
	preview bool) (*Reply, error) {
	ctx = store.Soon(ctx)
	t, err := s.Store.Conversations.Turn(ctx, turn, visitor)
	if err != nil {
		return nil, fault.NotFound(s.Log, fault.NoTurn, err)
	}
	slug := t.Slug
	if preview {
		slug = desk.DraftMark + slug
	}
	d, err := s.Desks.Open(ctx, slug)
	if err == nil {
		d, err = s.Desks.Chosen(d, choice)
	}
	if err != nil {
		return nil, fault.Logged(s.Log, "make again", err)
	}
	r := &Reply{
		Turn: t.ID, Conversation: t.Conversation, Slug: t.Slug, TurnNumber: t.Number,
		Question: t.Question, Model: d.Entry.Path(), Recipe: d.Recipe.Name, Revision: d.Number, StartedAt: s.Now(),
		visitor: visitor, party: fair.Of(ctx), renew: t.Attempt.State == record.Done,
	}
	if r.taken, err = s.Limits.Reserve(ctx, d.Slug,
		limits.Amounts{limits.Questions: 1, limits.AtOnce: 1}); err != nil {
		return nil, err
	}
	if twin, err := s.reserve(r); twin != nil || err != nil {
		r.taken.Undo()
		return twin, err
	}
	again := record.Again{
		Revision: d.Number, Model: r.Model, Recipe: r.Recipe, Choice: desk.Chose{Choice: choice}.JSON(),
		Instance: s.instance,
		At:       r.StartedAt, Remember: Recalled(d),
	}
	once, cancel := context.WithTimeout(ctx, askingLimit)
	defer cancel()
	number, supplied, inputs, past, err := s.Store.Replies.AskAgain(once, t, again)
	if errors.Is(err, record.ErrNotFound) && s.lost(ctx) {
		number, supplied, inputs, past, err = s.Store.Replies.AskAgain(once, t, again)
	}
	if errors.Is(err, record.ErrNotFound) {
		s.abandon(r)
		return nil, fault.Plain(fault.StillWriting) // it is written elsewhere
	}
	if err != nil {
		s.abandon(r)
		return nil, fault.Logged(s.Log, "make again", fault.New(fault.NoRecords, err))
	}
	q, err := AskedAgain(d, t.Question, supplied, inputs, past, t.Pictures)
	if err != nil {
		// The desk takes other things now: what it does not get, it says.
		s.Log.Warn("what a visitor gave does not fit the desk any more", "turn", t.ID, "error", err)
	}
	r.Attempt = number
	s.begin(r, d, q)
	s.keep(r)
	return r, nil
}

// Stop ends a reply on its way; the text so far stays. Stopping what is over
// does nothing.
func (s *Service) Stop(ctx context.Context, visitor record.Visitor, turn uuid.UUID) error {
	ctx = store.Soon(ctx)
	s.mu.Lock()
	r := s.live[turn]
	var cancel context.CancelCauseFunc
	if r != nil {
		cancel = r.cancel
	}
	s.mu.Unlock()
	if r != nil && r.visitor == visitor {
		cancel(errStopped)
		return nil
	}
	t, err := s.Store.Conversations.Turn(ctx, turn, visitor)
	if err != nil {
		return fault.NotFound(s.Log, fault.NoTurn, err)
	}
	if t.Attempt.State == record.Running {
		if err := s.stopElsewhere(ctx, turn); err != nil {
			return fault.Logged(s.Log, "stop", fault.New(fault.NoRecords, err))
		}
	}
	return nil
}

// reserve makes room for a reply: one at a time in a conversation. If a
// question with the same key came first it returns that one's reply.
func (s *Service) reserve(r *Reply) (twin *Reply, err error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.closing {
		return nil, fault.Plain(fault.Closing)
	}
	if turn, ok := s.keys.turn(r.visitor, r.key); ok && s.live[turn] != nil {
		return s.live[turn], nil
	}
	if s.busy[r.Conversation] != nil {
		return nil, fault.Plain(fault.StillWriting)
	}
	s.busy[r.Conversation], s.live[r.Turn] = r, r
	s.keys.add(r.visitor, r.key, r.Turn)
	r.cancel = func(error) {}
	s.making.Add(1)
	return nil, nil
}

func (s *Service) release(r *Reply) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.busy, r.Conversation)
	delete(s.live, r.Turn)
	r.taken.Done()
	s.making.Done()
}

// abandon gives up a reply that could not be put on record, and tells whoever
// listens to it already.
func (s *Service) abandon(r *Reply) {
	s.mu.Lock()
	cancel := r.cancel
	s.keys.remove(r.visitor, r.key)
	s.mu.Unlock()
	r.taken.Undo()
	cancel(errNotRecorded)
	r.finish(End{State: record.Failed, Problem: fault.NoRecords, At: s.Now()})
	r.settle()
	s.release(r)
}

// notAsked finds out why a question could not be put on record.
func (s *Service) notAsked(ctx context.Context, q Question, err error) (*Reply, error) {
	if !errors.Is(err, record.ErrNotFound) && !errors.Is(err, record.ErrDuplicate) {
		return nil, fault.Logged(s.Log, "ask", fault.New(fault.NoRecords, err))
	}
	if t, err := s.Store.Conversations.TurnByKey(ctx, q.Key, q.Visitor); err == nil {
		s.keys.add(q.Visitor, q.Key, t.ID)
		return s.Watch(ctx, q.Visitor, t.ID)
	}
	if _, _, err := s.Store.Conversations.Conversation(ctx, q.Conversation, q.Visitor); err != nil {
		return nil, fault.NotFound(s.Log, fault.NoConversation, err)
	}
	return nil, fault.Plain(fault.StillWriting) // another question came first
}

// fits refuses a question that is too long whatever is forgotten.
func fits(d *desk.Desk, question prompt.Piece, g *Supplied) error {
	sampling := samplingOf(d, g)
	_, err := prompt.Room(d.Entry.Context, sampling.MaxTokens, prompt.Standing{Brief: briefWith(d, g)}, question)
	var long *prompt.TooLong
	if errors.As(err, &long) {
		return tooLong(long)
	}
	return err
}

func tooLong(e *prompt.TooLong) *fault.Problem {
	if e.Room == 0 { // the brief alone fills the model
		return fault.New(fault.NotSetUp, e)
	}
	return &fault.Problem{
		Code: fault.QuestionLong,
		Sentence: phrase.Of("This is longer than this desk can read at once: please shorten it to about %d words.",
			roughly(e.Room*2/3)),
		Cause: e,
	}
}

// roughly rounds a number down to its first two digits, and to 1 at least.
func roughly(n int) int {
	unit := 1
	for n/unit >= 100 {
		unit *= 10
	}
	return max(1, n/unit*unit)
}

// inputsOf reads what a visitor gave beside the question.
func (s *Service) inputsOf(ctx context.Context, d *desk.Desk, q Question) (recipe.Values, error) {
	values, err := d.Recipe.Fill(q.Text, q.Inputs, d.RecipeSettings)
	if err != nil {
		return nil, &fault.Problem{Code: fault.Invalid, Sentence: phrase.OfError(err).Sentence()}
	}
	return values, s.onRecord(ctx, q, values)
}

// AskedAgain is what a turn on record was asked with. It fails if what is on
// record does not fit the recipe any more.
func AskedAgain(d *desk.Desk, question string, supplied, inputs json.RawMessage, past record.Past,
	pictures []record.Media) (Request, error) {
	q := Request{Question: prompt.Measure(d.Counter, question), past: past, pictures: pictures}
	if supplied != nil {
		q.supplied = new(Supplied)
		if err := json.Unmarshal(supplied, q.supplied); err != nil {
			q.supplied = nil
		}
	}
	texts := map[string]string{}
	if inputs != nil {
		if err := json.Unmarshal(inputs, &texts); err != nil {
			return q, err
		}
	}
	var err error
	q.inputs, err = d.Recipe.Fill(question, texts, d.RecipeSettings)
	return q, err
}

func briefWith(d *desk.Desk, g *Supplied) prompt.Piece {
	if g == nil || g.System == "" {
		return d.Brief
	}
	return prompt.Measure(d.Counter, strings.TrimSpace(d.Brief.Text+"\n\n"+g.System))
}

// samplingOf is the desk's; what its file leaves out a program may set, and a
// program may ask for less than the longest reply.
func samplingOf(d *desk.Desk, g *Supplied) deskfile.Sampling {
	own := d.Settings.Sampling
	if g == nil || g.Sampling == nil {
		return own
	}
	if own.Temperature == nil {
		own.Temperature = g.Sampling.Temperature
	}
	if own.TopP == nil {
		own.TopP = g.Sampling.TopP
	}
	if own.Seed == nil {
		own.Seed = g.Sampling.Seed
	}
	if len(own.Stop) == 0 {
		own.Stop = g.Sampling.Stop
	}
	if n := g.Sampling.MaxTokens; n > 0 {
		own.MaxTokens = min(own.MaxTokens, n)
	}
	return own
}

func encodeSupplied(g *Supplied) (json.RawMessage, error) {
	if g == nil {
		return nil, nil
	}
	return json.Marshal(g)
}

// longestTitle is in characters.
const longestTitle = 70

// titleOf makes a conversation's title of its first question.
func titleOf(question string) string {
	title := strings.Join(strings.Fields(question), " ")
	if utf8.RuneCountInString(title) <= longestTitle {
		return title
	}
	runes := []rune(title)[:longestTitle]
	if cut := strings.LastIndexByte(string(runes), ' '); cut > longestTitle/2 {
		return string(runes)[:cut] + "…"
	}
	return string(runes) + "…"
}
