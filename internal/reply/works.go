package reply

import (
	"context"
	"fmt"
	"strings"

	"juvalogos/core/bearing"
	"juvalogos/core/steps"
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
	var all []record.Document
	if w.own {
		if all, err = ownDocuments(ctx, w.library, w.reply); err != nil {
			return d, err
		}
	}
	if len(all) > 0 {
		w.reply.private.Store(true)
	} else if all, err = w.onShelves(ctx); err != nil {
		return d, err
	}
	if len(all) == 0 {
		return d, fmt.Errorf("there is no document here yet")
	}
	things := make([]bearing.Thing, len(all))
	for i, one := range all {
		things[i] = bearing.Thing{Names: []string{one.Title, one.Name}, Language: one.Language}
	}
	var unread []string
	var meant []record.Document
	length := 0
	for _, i := range bearing.On(things, nil, question, "") {
		if all[i].State != record.Ready {
			unread = append(unread, all[i].Name)
			continue
		}
		meant = append(meant, all[i])
		length += all[i].Words * 4 / 3 // about how many tokens they are
	}
	// What is short is divided too: a digest of one section would be that section again.
	tokens = min(tokens, max(leastSection, length/fewSections))
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
		return d, fmt.Errorf("none of the documents could be read: %s", strings.Join(unread, ", "))
	}
	return d, nil
}

func (w works) onShelves(ctx context.Context) (all []record.Document, err error) {
	for _, slug := range w.slugs {
		some, err := w.library.Documents(ctx, slug)
		if err != nil {
			return nil, err
		}
		all = append(all, some...)
	}
	return all, nil
}
