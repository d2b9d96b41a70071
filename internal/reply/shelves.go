package reply

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"juvalogos/core/bearing"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/record"
	"juvalogos/internal/shelf"
)

// shelves are those that one reply may look at; it is a steps.Shelves.
type shelves struct {
	library *shelf.Library
	slugs   []string
	// What the visitor attached, where the desk allows it.
	attached bool
	// What was brought into the conversation, where the desk allows it.
	brought bool
	reply   *Reply
	past    []record.PastTurn
}

func (s shelves) Help() (help steps.Help) {
	for _, slug := range s.slugs {
		settings, err := s.library.Settings(context.Background(), slug)
		if err == nil {
			help.Rephrase, help.Choose = help.Rephrase || settings.Rephrase, help.Choose || settings.Choose
		}
	}
	return help
}

func (s shelves) Find(ctx context.Context, w steps.Wanted) (steps.Finding, error) {
	q := shelf.Query{Text: w.Question, Within: w.Within, Limit: w.Most, Join: true, Texts: w.Texts}
	if s.brought {
		r, note, rests, err := s.inBrought(ctx, q)
		if rests || err != nil {
			f := findingOf(r)
			f.Note = note
			return f, err
		}
	}
	slugs := s.slugs
	if s.attached {
		own, err := s.library.AttachedShelf(ctx, s.reply.Conversation, s.reply.visitor)
		if err != nil {
			return steps.Finding{}, err
		}
		if own != "" {
			s.reply.private.Store(true)
			slugs = append([]string{own}, slugs...)
		}
	}
	r, err := s.library.Search(ctx, slugs, q)
	return findingOf(r), err
}

func findingOf(r shelf.Results) steps.Finding {
	finding := steps.Finding{Answers: r.Answers, Least: r.Least, Passages: r.Passages, Elsewhere: r.Elsewhere,
		AskedIn: r.AskedIn, In: r.In}
	for _, f := range r.Found {
		finding.Found = append(finding.Found, f.Passage)
	}
	for _, a := range r.Asked {
		finding.Asked = append(finding.Asked,
			&recipe.ModelCall{Model: a.Model, At: a.At, Took: a.Took, PromptTokens: a.Tokens, Cost: a.Cost,
				Error: a.Error})
	}
	return finding
}

// pages are those that one reply may read; it is a steps.Pages.
type pages struct {
	Pages
	reply *Reply
	slug  string
}

func (p pages) Read(ctx context.Context, address string) (steps.Page, error) {
	return p.ReadPage(ctx, p.slug, p.reply.Conversation, p.reply.visitor, address)
}

// thing is one of what a conversation rests on, as a question may bear on it.
type thing struct {
	bearing.Thing
	documents []record.Document
	private   bool
	coming    bool // it is still being fetched or read
}

// inBrought looks in what was brought into the conversation: in what the question
// bears on, and in nothing else. rests is false if nothing was brought.
func (s shelves) inBrought(ctx context.Context, q shelf.Query) (r shelf.Results, note string, rests bool, err error) {
	earlier := make([]string, len(s.past))
	for i, p := range s.past {
		earlier[i] = p.Question
	}
	for {
		brought, attached, err := s.library.Resting(ctx, s.reply.Conversation, s.reply.visitor)
		things := s.things(brought, attached)
		if err != nil || len(things) == 0 {
			return r, "", false, err
		}
		models := make([]bearing.Thing, len(things))
		for i, t := range things {
			models[i] = t.Thing
		}
		meant := bearing.On(models, earlier, s.reply.Question, q.Text)
		only, wait := map[int64]bool{}, false
		names := make([]string, len(meant))
		for n, i := range meant {
			names[n] = things[i].Names[0]
			wait = wait || things[i].coming
			if things[i].private {
				s.reply.private.Store(true)
			}
			for _, d := range things[i].documents {
				if d.State == record.Ready {
					only[d.ID] = true
				}
			}
		}
		if len(only) > 0 || !wait {
			r, err = s.library.SearchBrought(ctx, s.reply.Conversation, s.reply.visitor, brought, only, q)
			return r, "the question bears on: " + strings.Join(names, "; "), true, err
		}
		select {
		case <-ctx.Done():
			return r, "", true, context.Cause(ctx)
		case <-time.After(50 * time.Millisecond):
		}
	}
}

// things are what a conversation rests on: the works that were brought, each once,
// and what was attached.
func (s shelves) things(brought []record.Errand, attached []record.Document) (all []thing) {
	at := map[string]int{}
	put := func(key string, made time.Time, d *record.Document, t thing) {
		i, there := at[key]
		if !there {
			i = len(all)
			at[key] = i
			t.After = s.askedBefore(made)
			all = append(all, t)
		}
		if d == nil {
			return
		}
		all[i].documents = append(all[i].documents, *d)
		all[i].coming = all[i].coming || d.State == record.Waiting || d.State == record.Reading
		if all[i].Language == "" {
			all[i].Language = d.Language
		}
		if d.Title != "" && !slices.Contains(all[i].Names, d.Title) {
			all[i].Names = append(all[i].Names, d.Title)
		}
	}
	for _, e := range brought {
		for _, d := range e.Documents {
			t := thing{private: e.Private}
			for _, name := range []string{d.WorkName, d.Title, d.Name} {
				if name != "" {
					t.Names = []string{name}
					break
				}
			}
			if e.Kind == record.ByTopic && e.Total == 1 {
				t.Names = append(t.Names, e.Wanted)
			}
			put(d.ShelfSlug+" "+cmp.Or(d.WorkName, d.Name), e.MadeAt, &d.Document, t)
		}
		if e.State == record.ErrandRunning && len(e.Documents) == 0 {
			put(e.ID.String(), e.MadeAt, nil, thing{Thing: bearing.Thing{Names: []string{e.Wanted}}, coming: true})
		}
	}
	if len(all) == 0 {
		return nil
	}
	for _, d := range attached {
		put(fmt.Sprint(d.ID), d.AddedAt, &d, thing{Thing: bearing.Thing{Names: []string{d.Name}}, private: true})
	}
	return all
}

// askedBefore is how many of the questions that are remembered had been asked at a
// time.
func (s shelves) askedBefore(at time.Time) (n int) {
	for _, p := range s.past {
		// the id of a turn begins with when it was asked
		if seconds, nanos := p.ID.Time().UnixTime(); !time.Unix(seconds, nanos).After(at) {
			n++
		}
	}
	return n
}
