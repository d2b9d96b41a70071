package reply

import (
	"context"
	"fmt"
	"strings"

	"juvalogos/core/bearing"
	"juvalogos/core/language"
	"juvalogos/core/steps"
	"juvalogos/core/words"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/shelf"
)

// works are the documents that one reply may read whole; it is a steps.Works.
type works struct {
	library *shelf.Library
	slugs   []string
	own     bool // what the visitor attached and had brought, where the desk allows it
	reply   *Reply
}

// How short texts are divided: into about so many sections, of so many tokens at least.
const (
	fewSections  = 8
	leastSection = 120
)

// Divide divides the visitor's own documents, if there are any, or else those of the shelves.
func (w works) Divide(ctx context.Context, question string, tokens int) (d steps.Division, err error) {
	meantBy, err := w.meant(ctx, question)
	if err != nil {
		return d, err
	}
	var unread []string
	var meant []record.Document
	length := 0
	for _, one := range meantBy {
		if one.State != record.Ready {
			unread = append(unread, one.Name)
			continue
		}
		meant = append(meant, one)
		length += one.Words * 4 / 3 // about how many tokens they are
	}
	tokens = min(tokens, sizeOf(length))
	for _, one := range meant {
		sections, err := w.library.Sections(ctx, one, tokens)
		if err != nil {
			return d, fmt.Errorf("divide %s: %w", one.Name, err)
		}
		d.Sections = append(d.Sections, sections...)
		d.Titles = append(d.Titles, one.Title)
	}
	if unread != nil {
		d.Missing = fmt.Sprintf("Not among what was read: %s.", strings.Join(unread, ", "))
	}
	if len(d.Sections) == 0 {
		return d, fault.Say(fault.NotHere, "None of the documents can be read: %s.", strings.Join(unread, ", "))
	}
	return d, nil
}

// sizeOf is how long the sections of a text of so many tokens are: what is short is divided
// too, since a digest of one section would be that section again. A text that has grown a
// little keeps its sections, so that most of them need not be read anew.
func sizeOf(length int) int {
	size := leastSection
	for size*fewSections < length {
		size *= 2
	}
	return size
}

// meant are the documents that a question means: of the visitor's own, if there are any, or
// else of the shelves, those that it names, or those of a shelf that it names; all if it names
// none. Those that could not be read are among them.
func (w works) meant(ctx context.Context, question string) ([]record.Document, error) {
	if w.own {
		own, err := ownDocuments(ctx, w.library, w.reply)
		if err != nil {
			return nil, err
		}
		if len(own) > 0 {
			w.reply.private.Store(true)
			return namedOrHinted(question, own), nil
		}
	}
	var all []record.Document
	var titles []bearing.Thing
	of := make([][]record.Document, len(w.slugs))
	for i, slug := range w.slugs {
		f, err := w.library.Shelf(ctx, slug)
		if err != nil {
			return nil, err
		}
		if of[i], err = w.library.Documents(ctx, slug); err != nil {
			return nil, err
		}
		titles = append(titles, bearing.Thing{Names: []string{f.Title}})
		all = append(all, of[i]...)
	}
	if len(all) == 0 {
		return nil, fault.Say(fault.NotHere, "There is no document here yet. Attach one, or come back "+
			"when there are some.")
	}
	some := named(question, all)
	if len(some) < len(all) {
		return some, nil
	}
	on := bearing.On(titles, nil, question, "")
	if len(on) == len(titles) {
		return namedOrHinted(question, all), nil
	}
	some = nil
	for _, i := range on {
		some = append(some, of[i]...)
	}
	return some, nil
}

// namedOrHinted are the documents that a question names, or those it seems to mean; all if
// it does neither.
func namedOrHinted(question string, all []record.Document) []record.Document {
	if some := named(question, all); len(some) < len(all) {
		return some
	}
	if some := hinted(question, all); some != nil {
		return some
	}
	return all
}

// named are the documents that a question names; all if it names none.
func named(question string, all []record.Document) (some []record.Document) {
	things := make([]bearing.Thing, len(all))
	for i, one := range all {
		things[i] = bearing.Thing{Names: []string{one.Title, one.Name}, Language: one.Language}
	}
	for _, i := range bearing.On(things, nil, question, "") {
		some = append(some, all[i])
	}
	return some
}

// hinted are the documents whose titles have a word of the question that few other titles
// have: the talk about listening, of those called Listening to a hive and Why colonies die.
func hinted(question string, all []record.Document) (some []record.Document) {
	common := language.StopWords("en")
	titled := map[string][]int{}
	for i, one := range all {
		seen := map[string]bool{}
		for _, w := range words.Of(one.Title) {
			stem := language.Stem("en", w)
			if !seen[stem] && !common[w] && len([]rune(w)) > 3 {
				seen[stem] = true
				titled[stem] = append(titled[stem], i)
			}
		}
	}
	chosen := map[int]bool{}
	for _, w := range words.Of(question) {
		at := titled[language.Stem("en", w)]
		if len(at) > 0 && len(at)*2 <= len(all) {
			for _, i := range at {
				chosen[i] = true
			}
		}
	}
	for i, one := range all {
		if chosen[i] {
			some = append(some, one)
		}
	}
	return some
}
