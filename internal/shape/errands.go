package shape

import (
	"net/url"
	"slices"

	"juvalogos/core/deskfile"
	"juvalogos/internal/api"
	"juvalogos/internal/errand"
	"juvalogos/internal/record"
	"juvalogos/internal/shelf"
)

// What visitors have brought, in the API's shapes.

// Bringing is what visitors of a desk may have brought.
func Bringing(f deskfile.File) api.Bringing {
	b := f.Bring
	if !b.Any() {
		return api.Bringing{Sources: []api.BringingFrom{}}
	}
	out := api.Bringing{Addresses: b.Addresses, Documents: b.Documents && len(f.Shelves) > 0,
		Opens: b.Opens || len(f.Shelves) == 0, Sources: []api.BringingFrom{}}
	for _, s := range b.Sources {
		kind := api.BringingFromKind(record.ByTopic)
		if s.Kind == deskfile.Papers {
			kind = api.BringingFromKind(record.BySearch)
		}
		out.Sources = append(out.Sources, api.BringingFrom{Title: s.Title, Kind: kind})
	}
	return out
}

// Errand is how far an errand is; sources are those of its desk, and estimate is what
// embedding would take.
func Errand(e record.Errand, sources []deskfile.BringSource, estimate shelf.Estimate) api.Errand {
	out := api.Errand{
		ID: e.ID.String(), Conversation: e.Conversation.String(), Kind: api.ErrandKind(e.Kind), Wanted: e.Wanted,
		State: api.ErrandState(e.State), Reading: errand.Reads(e), Problem: e.Problem.String(), Phrase: e.Problem,
		Meanings: []api.ErrandMeaning{}, Nearest: e.Nearest, LeftOut: e.LeftOut, Total: e.Total, Brought: e.Brought,
		Kept: e.Kept, Failed: []api.NotBrought{}, Works: works(e), MadeAt: e.MadeAt,
	}
	for _, m := range e.Meanings {
		out.Meanings = append(out.Meanings, api.ErrandMeaning{Title: m.Title, About: m.About})
	}
	for _, f := range e.Failed {
		out.Failed = append(out.Failed, api.NotBrought{Name: f.Name, Problem: f.Problem.String(), Phrase: f.Problem})
	}
	for _, s := range sources {
		if s.Address == e.Source {
			out.Source = s.Title
		}
	}
	if estimate.Tokens > 0 {
		out.Estimate = api.BroughtEstimate{Tokens: estimate.Tokens, Cost: estimate.Cost}
	}
	return out
}

// works are what an errand brought, each with its files.
func works(e record.Errand) []api.BroughtWork {
	all := []api.BroughtWork{}
	at := map[string]int{}
	for _, d := range e.Documents {
		name := d.WorkName
		if name == "" {
			if name = d.Title; name == "" {
				name = d.Name
			}
		}
		key := d.ShelfSlug + " " + name
		i, there := at[key]
		if !there {
			i = len(all)
			at[key] = i
			if d.Kind == "file" && d.Title != "" {
				name = d.Title // it was called by its address until it was read
			}
			all = append(all, api.BroughtWork{Name: name, Kind: d.Kind, State: api.BroughtWorkState(d.State),
				Headings: []string{}, Documents: []api.BroughtFile{}})
		}
		add(&all[i], d)
	}
	return all
}

// add puts a file to those of its work: what is known of a paper comes before the
// paper's own beginning.
func add(w *api.BroughtWork, d record.BroughtDocument) {
	w.Documents = append(w.Documents, api.BroughtFile{ID: d.ID, Shelf: d.ShelfSlug, Name: d.Name, Format: d.Format})
	w.Words += d.Words
	w.Pages += d.Pages
	if d.Dated != nil {
		w.Dated = *d.Dated
	}
	if w.Address == "" {
		// What a site says of itself becomes a link: only one of the web does.
		if u, err := url.Parse(d.Source); err == nil && (u.Scheme == "http" || u.Scheme == "https") {
			w.Address, w.Host = d.Source, u.Host
		}
	}
	if w.Beginning == "" || d.Format == "markdown" && d.Kind == "paper" {
		w.Beginning = d.Beginning
	}
	if len(w.Headings) < len(d.Headings) && (d.Kind != "paper" || d.Format == "pdf") {
		w.Headings = slices.Clone(d.Headings)
	}
	if len(w.Documents) == 1 || worse(d.State) > worse(record.DocumentState(w.State)) {
		w.State = api.BroughtWorkState(d.State)
		w.Problem, w.Phrase = d.Problem.String(), d.Problem
	}
	if share := d.Share(); share > 0 && (w.Share == 0 || share < w.Share) {
		w.Share = share
	}
}

// worse puts the states of a work's files in order: the work is as the worst of them.
func worse(s record.DocumentState) int {
	return slices.Index([]record.DocumentState{record.Ready, record.Reading, record.Waiting, record.Unread}, s)
}

// Title is a document that a visitor may choose.
func Title(t shelf.Title) api.DocumentTitle {
	title := t.Document.Title
	if title == "" {
		title = t.Document.Name
	}
	return api.DocumentTitle{Shelf: t.Shelf, Document: t.Document.ID, Title: title, Words: t.Document.Words,
		Pages: t.Document.Pages}
}

// Wanted is what was wanted at a desk.
func Wanted(w record.Wanted) api.Wanted {
	return api.Wanted{Kind: api.WantedKind(w.Kind), Source: w.Source, Name: w.Name, Address: w.Address, Found: w.Found,
		Times: w.Times, Fetched: w.Fetched, Bytes: w.Bytes, Seconds: w.Seconds, Tokens: w.Tokens, Cost: w.Cost,
		Last: w.Last}
}

// BroughtRow are figures of errands.
func BroughtRow(r record.ErrandSum) api.BroughtRow {
	return api.BroughtRow{Keys: Some(r.Keys), Errands: r.Errands, Works: r.Works, Kept: r.Kept, Failed: r.Failed,
		Bytes: r.Bytes, Seconds: r.Seconds, Tokens: r.Tokens, Cost: r.Cost}
}
