package shape

import (
	"strings"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/recipe"
	"juvalogos/core/words"
	"juvalogos/internal/api"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
)

func Face(f deskfile.File) api.Face {
	b := api.Face{
		Slug: f.Slug, Title: f.Title, Purpose: f.Purpose, Openers: Some(f.Openers), GoodFor: Some(f.GoodFor),
		NotFor: Some(f.NotFor),
		Known:  []string{}, Inputs: []api.Input{}, Attachments: f.Attachments, Bring: Bringing(f),
		Pictures:     Looking(f),
		OwnDocuments: len(f.Shelves) > 0,
		Standing:     len(f.Standing) > 0,
		PassagesOnly: f.Readable == deskfile.ReadPassages,
		Choices:      choices(f),
		Turns:        *f.Memory.Turns, Summary: *f.Memory.Summary > 0,
	}
	if f.Knowledge.Until != "" {
		b.Known = append(b.Known, "It knows nothing of what happened after "+f.Knowledge.Until+".")
	}
	for _, source := range f.Knowledge.Sources {
		b.Known = append(b.Known, "It knows "+strings.TrimSuffix(source, ".")+".")
	}
	return b
}

// choices is what a visitor may change; the desk's own model comes first.
func choices(f deskfile.File) api.Choices {
	b := api.Choices{Models: []api.ModelChoice{}, Manner: f.Choices.Manner, Length: f.Choices.Length,
		Languages: Some(f.Choices.Languages)}
	for _, m := range f.Choices.Models {
		if m.Model == f.Model {
			b.Models = append([]api.ModelChoice{m}, b.Models...)
		} else {
			b.Models = append(b.Models, m)
		}
	}
	if len(b.Models) > 0 && b.Models[0].Model != f.Model {
		b.Models = append([]api.ModelChoice{{Model: f.Model, Title: "Usual"}}, b.Models...)
	}
	return b
}

// Input is what visitors fill in beside the question.
func Input(in recipe.Input) api.Input {
	title := in.Title
	if title == "" {
		title = strings.ReplaceAll(in.Name, "_", " ")
	}
	return api.Input{Name: in.Name, Type: string(in.Type), Title: title, Choices: in.Choices, Need: in.Need,
		Default: in.DefaultText()}
}

func Conversation(c record.Conversation) api.Conversation {
	return api.Conversation{
		ID: c.ID.String(), Desk: c.Slug, Title: c.Title, Channel: api.ConversationChannel(c.Channel),
		StartedAt: c.StartedAt, AskedAt: c.AskedAt,
		Questions: c.Turns, Found: Each(c.Found, excerpt),
	}
}

func excerpt(p words.Piece) api.Excerpt { return api.Excerpt{Text: p.Text, Hit: p.Hit} }

func Turn(t record.Turn, maker bool) api.Turn {
	siblings := make([]string, len(t.Siblings))
	for i, id := range t.Siblings {
		siblings[i] = id.String()
	}
	return api.Turn{
		ID: t.ID.String(), Conversation: t.Conversation.String(), Number: t.Number, Siblings: siblings,
		Question: t.Question, Pictures: Each(t.Pictures, Picture), AskedAt: t.AskedAt,
		Attempt: t.Attempt.Number, Attempts: t.Attempts, Model: t.Attempt.Model, Reply: t.Attempt.Reply,
		Helped: t.Attempt.Helped,
		Reason: t.Attempt.Reason, Remark: t.Attempt.Remark,
		Outcome: Outcome(reply.EndOf(t.Attempt), t.Attempt.StartedAt, maker),
	}
}

func Attempt(a record.Attempt, maker bool) api.Attempt {
	return api.Attempt{Number: a.Number, Model: a.Model, Reply: a.Reply,
		Outcome: Outcome(reply.EndOf(a), a.StartedAt, maker)}
}

// Outcome is how an attempt ended, without what only makers may know unless
// it is one who asks.
func Outcome(e reply.End, started time.Time, maker bool) api.Outcome {
	o := api.Outcome{
		State: api.OutcomeState(e.State), Finish: e.Finish, Preferred: e.Preferred, Parts: e.Parts,
		Usage: api.ReplyUsage{PromptTokens: e.PromptTokens, ReplyTokens: e.ReplyTokens, Cost: e.Cost},
	}
	for _, l := range e.Lanes {
		o.Show, o.Blind = api.OutcomeShow(l.Show), l.Blind && e.Preferred == nil
		o.Lanes = append(o.Lanes, lane(l))
	}
	if !e.At.IsZero() {
		o.Seconds = e.At.Sub(started).Seconds()
	}
	if e.Problem != "" {
		sentence := fault.Sentence(e.Problem)
		o.Problem = &api.Trouble{
			Code: string(e.Problem), Detail: sentence.String(), Phrase: sentence, ID: e.ProblemID,
			RetryAfter: e.RetryAfter.Seconds(),
		}
	}
	if !maker {
		hide(&o)
	}
	return o
}

func lane(l reply.Lane) api.Lane {
	return api.Lane{
		Title: l.Title, Model: l.Model, Text: l.Text, Failed: l.Failed, Seconds: l.Seconds, ReplyTokens: l.ReplyTokens,
		Cost: l.Cost,
	}
}

// hide takes out what only makers may know, and what would tell whose a text is
// where the desk asks visitors blind.
func hide(o *api.Outcome) {
	o.Usage.Cost = 0
	for i := range o.Lanes {
		o.Lanes[i].Cost = 0
		if o.Blind {
			o.Lanes[i] = api.Lane{Title: BlindTitle(i), Text: o.Lanes[i].Text, Failed: o.Lanes[i].Failed}
		}
	}
}

func Summary(m record.Summary) api.Summary {
	return api.Summary{Turns: m.Turns, Text: m.Text, Tokens: m.Tokens, Model: m.Model, MadeAt: m.MadeAt}
}

// Some is the list, never null.
func Some[T any](list []T) []T {
	if list == nil {
		return []T{}
	}
	return list
}

// Each is a list in another shape, nil if there is none.
func Each[A, B any](list []A, shape func(A) B) []B {
	if list == nil {
		return nil
	}
	all := make([]B, len(list))
	for i, x := range list {
		all[i] = shape(x)
	}
	return all
}

// All is a list in another shape, never null.
func All[A, B any](list []A, shape func(A) B) []B {
	if list == nil {
		return []B{}
	}
	return Each(list, shape)
}

// BlindTitle names a text whose title is hidden: A, B, C.
func BlindTitle(i int) string { return string(rune('A' + i%26)) }
