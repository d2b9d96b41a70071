package reply

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/deskfile"
	"juvalogos/core/memory"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/desk"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
)

// What of a conversation goes into the next prompt: its newest turns word for
// word, and of those before them a summary that the desk's model makes.

// memoryOf are how much is remembered word for word.
func memoryOf(d *desk.Desk) memory.Limits {
	return memory.Limits{Turns: *d.Settings.Memory.Turns, Tokens: *d.Settings.Memory.Tokens}
}

// Recalled is how many earlier turns are read for a prompt: some more than are
// remembered, so that a summary that failed can catch up.
func Recalled(d *desk.Desk) int {
	const more = 50
	if *d.Settings.Memory.Turns == 0 {
		return 0
	}
	return *d.Settings.Memory.Turns + more
}

// summaryOf is what a prompt says of what came before.
func summaryOf(d *desk.Desk, past record.Past) prompt.Piece {
	if past.Summary == nil || *d.Settings.Memory.Summary == 0 || *d.Settings.Memory.Turns == 0 {
		return prompt.Piece{}
	}
	if past.Summary.Vocabulary != d.Counter.Vocabulary() {
		return prompt.Measure(d.Counter, past.Summary.Text)
	}
	return prompt.Piece{Text: past.Summary.Text, Tokens: past.Summary.Tokens}
}

// uncovered are the turns that are not in the summary.
func uncovered(d *desk.Desk, past record.Past) []record.PastTurn {
	turns := past.Turns
	if summaryOf(d, past).Text == "" {
		return turns
	}
	for len(turns) > 0 && turns[0].Number <= past.Summary.Turns {
		turns = turns[1:]
	}
	return turns
}

func exchangeOf(d *desk.Desk, p record.PastTurn) prompt.Exchange {
	if p.Vocabulary != d.Counter.Vocabulary() {
		return prompt.Exchange{Question: prompt.Measure(d.Counter, p.Question),
			Reply: prompt.Measure(d.Counter, p.Reply)}
	}
	return prompt.Exchange{
		Question: prompt.Piece{Text: p.Question, Tokens: p.QuestionTokens},
		Reply:    prompt.Piece{Text: p.Reply, Tokens: p.ReplyTokens},
	}
}

// foldIfDue begins to fold the oldest turns into the summary, in the
// background, once a reply is made and there are enough of them.
func (s *Service) foldIfDue(d *desk.Desk, r *Reply, question prompt.Piece, past record.Past, replyTokens int) {
	most := *d.Settings.Memory.Summary
	if most == 0 || d.Settings.Model == "" {
		return
	}
	turns := append(uncovered(d, past), record.PastTurn{
		ID: r.Turn, Number: r.TurnNumber, Question: question.Text, Reply: string(r.Since(0, nil).Text),
		QuestionTokens: question.Tokens, ReplyTokens: replyTokens, Vocabulary: d.Counter.Vocabulary(),
	})
	exchanges := make([]prompt.Exchange, len(turns))
	for i, t := range turns {
		exchanges[i] = exchangeOf(d, t)
	}
	// A summary of the longest kind and a question as long as this one are to
	// fit beside what is remembered.
	room, err := prompt.Room(d.Entry.Context, d.Settings.Sampling.MaxTokens,
		prompt.Standing{Brief: d.Brief, Summary: prompt.Piece{Text: "…", Tokens: most}}, question)
	if err != nil {
		return
	}
	n := memory.Fold(exchanges, memoryOf(d), room)
	if n == 0 {
		return
	}
	s.mu.Lock()
	due := !s.folding[r.Conversation] && !s.closing
	if due {
		s.folding[r.Conversation] = true
		s.making.Add(1)
	}
	s.mu.Unlock()
	if !due {
		return
	}
	go func() {
		defer s.making.Done()
		defer func() {
			s.mu.Lock()
			delete(s.folding, r.Conversation)
			s.mu.Unlock()
		}()
		if err := s.fold(s.makeCtx, d, r, past.Summary, turns[:n], exchanges[:n]); err != nil &&
			s.makeCtx.Err() == nil {
			// The turns stay as they are, and the next reply tries again.
			s.Log.Warn("the conversation could not be summed up", "conversation", r.Conversation, "error", err)
		}
	}()
}

// longestFold is how long a summary may take.
const longestFold = 5 * time.Minute

// fold has the model fold turns into the summary before them and keeps the
// result, in as many bites as the model's context needs.
func (s *Service) fold(ctx context.Context, d *desk.Desk, r *Reply, before *record.Summary, turns []record.PastTurn,
	exchanges []prompt.Exchange) error {
	ctx, cancel := context.WithTimeout(ctx, longestFold)
	defer cancel()
	most := *d.Settings.Memory.Summary
	var notes prompt.Piece
	if before != nil {
		notes = prompt.Measure(d.Counter, before.Text)
	}
	for len(turns) > 0 {
		instructions := memory.SummaryPrompt("", nil, most)
		room := d.Entry.Context - most - notes.Tokens - prompt.PerPrompt
		for _, m := range instructions {
			room -= d.Counter.Count(m.Text) + prompt.PerMessage
		}
		n := 0
		for n < len(turns) && (n == 0 || exchanges[n].Cost() <= room) {
			room -= exchanges[n].Cost()
			n++
		}
		text, err := s.summarise(ctx, d, r, func(most int) []prompt.Message {
			return memory.SummaryPrompt(notes.Text, exchanges[:n], most)
		}, most)
		if err != nil {
			return err
		}
		notes = prompt.Measure(d.Counter, text)
		last := turns[n-1]
		err = s.Store.Replies.KeepSummary(ctx, record.Summary{
			Upto: last.ID, Conversation: r.Conversation, Turns: last.Number, Text: text, Tokens: notes.Tokens,
			Vocabulary: d.Counter.Vocabulary(), Model: d.Entry.Path(), MadeAt: s.Now(),
		})
		if err != nil {
			return err
		}
		turns, exchanges = turns[n:], exchanges[n:]
	}
	return nil
}

// summarise asks the desk's model, and keeps a trace of it. A summary that is empty,
// was cut off or is longer than it may be is asked for once more, with room for
// thinking and a sterner word; one that is no better is the error.
func (s *Service) summarise(ctx context.Context, d *desk.Desk, r *Reply, folded func(most int) []prompt.Message,
	most int) (string, error) {
	began := s.Now()
	span := recipe.Span{Step: "summary", Do: "summary", Parent: -1, State: recipe.Done}
	said, err := "", error(nil)
	for try, asked := 0, most; try < 2; try++ {
		messages, length := folded(asked), 0
		for _, m := range messages {
			length += d.Counter.Count(m.Text) + prompt.PerMessage
		}
		room := most + most/2
		if try > 0 {
			room = 4*most + 2000 // for thinking
		}
		limit := max(most, min(room, d.Entry.Context-length-prompt.PerPrompt))
		call, failed := asker{s, &d.Entry, d.Counter, nil}.Ask(ctx,
			steps.Ask{Messages: messages, Sampling: deskfile.Sampling{Temperature: new(0.0), MaxTokens: limit}},
			func([]byte) {})
		span.Calls = append(span.Calls, *call)
		said, err = strings.TrimSpace(steps.Sound(call.Answer)), failed
		tokens := d.Counter.Count(said)
		if err == nil {
			err = badSummary(said, call.Finish, tokens, most)
		}
		var nothing *models.Error
		if err == nil || failed != nil && !(errors.As(err, &nothing) && nothing.Kind == models.SaidNothing) {
			break
		}
		span.Notes = append(span.Notes, err.Error())
		// By as much less as it was too long; of one that was cut off that is not known.
		asked = most * 2 / 3
		if tokens > most {
			asked = max(most/4, most*most/tokens*4/5)
		}
	}
	span.Took, span.Out = s.Now().Sub(began), recipe.Values{"text": said}
	if err != nil {
		span.State, span.Error = recipe.Failed, err.Error()
	}
	t := &record.Trace{
		ID: uuid.Must(uuid.NewV7()), Kind: "summary", Turn: r.Turn, Attempt: r.Attempt, DeskID: d.DeskID,
		Revision: d.Number, Visitor: r.visitor,
		Recipe: d.Recipe.Name, State: string(span.State), StartedAt: began, Seconds: span.Took.Seconds(),
		Usage: record.Usage(recipe.Sum([]recipe.Span{span})), Slug: d.Slug, Conversation: r.Conversation,
	}
	s.Fill(t, []recipe.Span{span}, nil, "")
	if failed := s.Store.Traces.KeepTrace(context.WithoutCancel(ctx), t); failed != nil {
		s.Log.Warn("what a summary used could not be put on record", "error", failed)
	}
	return said, err
}

// badSummary says why a summary is not kept; nil if it can be.
func badSummary(said, finish string, tokens, most int) error {
	switch {
	case said == "":
		return errors.New("the summary is empty")
	case finish == "length":
		return errors.New("the summary was cut off before its end")
	case finish == models.Filtered:
		return errors.New("the summary was cut short by the server's policy")
	case tokens > most+most/5:
		return fmt.Errorf("the summary has %d tokens, and may have %d", tokens, most)
	}
	return nil
}
