package shelf

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"juvalogos/core/retrieval"
	"juvalogos/internal/store"
)

// Found is a passage that was found, or several that follow each other, as one.
type Found struct {
	Shelf    string
	Document store.Document
	Number   int // of the first passage
	Path     []string
	Text     string
	Spans    []Span
	Hit      retrieval.Hit // of the best one
}

// Results are what a search found.
type Results struct {
	Found    []Found // the best first
	Answers  float64 // how likely anything found answers, 0 to 1
	Passages int     // that were looked through
	Asked    []Asked // what models were asked for the vector of the question
	// Elsewhere: no document has the words that its title was to have; all were
	// looked through.
	Elsewhere bool
}

// Query is what is looked for.
type Query struct {
	Text   string
	Within string // only in documents whose title or file name has these words; "": in all
	Limit  int
	Join   bool // makes one of neighbours
}

// Search finds what answers a question on some shelves.
func (l *Library) Search(ctx context.Context, shelves []string, q Query) (r Results, err error) {
	only, err := l.within(ctx, shelves, q.Within)
	if err != nil {
		return r, err
	}
	r.Elsewhere = q.Within != "" && only == nil
	for _, slug := range shelves {
		f, err := l.Shelf(ctx, slug)
		if err != nil {
			return r, err
		}
		v := l.use(slug, f.ID)
		select {
		case <-v.loaded:
		case <-ctx.Done():
			return r, context.Cause(ctx)
		}
		query := retrieval.Query{Text: q.Text, Vector: v.vector(q.Text), Limit: q.Limit}
		if q.Join {
			query.Limit *= 2
		}
		r.Passages += v.index.Len()
		if only != nil {
			if query.Only = only[slug]; len(query.Only) == 0 {
				continue
			}
		}
		if v.index.Meant() {
			meaning, asked := l.meaning(ctx, v.model, q.Text)
			query.Meaning = meaning
			if asked != nil {
				r.Asked = append(r.Asked, *asked)
			}
		}
		result := v.index.Search(query, settingsOf(f.Settings).options())
		r.Answers = max(r.Answers, result.Answers)
		found, err := l.fetch(ctx, slug, result.Hits)
		if err != nil {
			return r, err
		}
		r.Found = append(r.Found, found...)
	}
	slices.SortStableFunc(r.Found, func(a, b Found) int { return cmp.Compare(b.Hit.Score, a.Hit.Score) })
	if q.Join {
		r.Found = joined(r.Found)
	}
	r.Found = r.Found[:min(q.Limit, len(r.Found))]
	return r, nil
}

// within are the documents, by shelf, whose title or file name has some words;
// nil if none has, or there are no words: all are looked through then.
func (l *Library) within(ctx context.Context, shelves []string, words string) (map[string]map[int64]bool, error) {
	if words == "" {
		return nil, nil
	}
	only, any := map[string]map[int64]bool{}, false
	for _, slug := range shelves {
		f, err := l.Shelf(ctx, slug)
		if err != nil {
			return nil, err
		}
		if only[slug], err = l.named(ctx, f.ID, words); err != nil {
			return nil, err
		}
		any = any || len(only[slug]) > 0
	}
	if !any {
		return nil, nil
	}
	return only, nil
}

// named are the documents of a shelf whose title or file name has some words.
func (l *Library) named(ctx context.Context, shelf int64, words string) (map[int64]bool, error) {
	documents, err := l.Store.Documents(ctx, shelf)
	if err != nil {
		return nil, err
	}
	all := map[int64]bool{}
	for _, d := range documents {
		name, has := strings.ToLower(d.Title+" "+d.Name), true
		for _, w := range strings.Fields(strings.ToLower(words)) {
			has = has && strings.Contains(name, w)
		}
		if has {
			all[d.ID] = true
		}
	}
	return all, nil
}

// fetch reads the texts of hits.
func (l *Library) fetch(ctx context.Context, slug string, hits []retrieval.Hit) ([]Found, error) {
	documents, numbers := make([]int64, len(hits)), make([]int32, len(hits))
	for i, h := range hits {
		documents[i], numbers[i] = h.Document, int32(h.Number)
	}
	passages, err := l.Store.Passages(ctx, documents, numbers)
	if err != nil {
		return nil, err
	}
	known := map[int64]store.Document{}
	var all []Found
	for _, h := range hits {
		i := slices.IndexFunc(passages, func(p store.Passage) bool { return p.Document == h.Document && p.Number == h.Number })
		if i < 0 {
			continue // removed a moment ago
		}
		p := passages[i]
		d, there := known[h.Document]
		if !there {
			if d, err = l.Store.Document(ctx, h.Document); err != nil {
				continue
			}
			known[h.Document] = d
		}
		f := Found{Shelf: slug, Document: d, Number: p.Number, Path: p.Path, Text: p.Text, Hit: h}
		if err := json.Unmarshal(p.Spans, &f.Spans); err != nil {
			return nil, err
		}
		all = append(all, f)
	}
	return all, nil
}

// joined makes one of passages that follow each other, so that a model reads a
// whole thought; it stands where the better one stood.
func joined(all []Found) []Found {
	var kept []Found
	last := map[int]int{} // number of the last passage of each that was kept
	for _, f := range all {
		at := slices.IndexFunc(kept, func(k Found) bool {
			return k.Document.ID == f.Document.ID && (f.Number == k.Number-1)
		})
		if at >= 0 {
			merged := merge(f, kept[at])
			merged.Hit, merged.Path = kept[at].Hit, kept[at].Path
			kept[at] = merged
			continue
		}
		at = -1
		for i, k := range kept {
			if k.Document.ID == f.Document.ID && last[i] == f.Number-1 {
				at = i
			}
		}
		if at >= 0 {
			hit, path := kept[at].Hit, kept[at].Path
			kept[at] = merge(kept[at], f)
			kept[at].Hit, kept[at].Path = hit, path
			last[at] = f.Number
			continue
		}
		last[len(kept)] = f.Number
		kept = append(kept, f)
	}
	return kept
}

// merge puts two passages together that overlap or touch.
func merge(a, b Found) Found {
	text := a.Text + "\n" + b.Text
	for i := range a.Text {
		if len(a.Text)-i <= len(b.Text) && strings.HasPrefix(b.Text, a.Text[i:]) {
			text = a.Text[:i] + b.Text
			break
		}
	}
	a.Text = text
	spans := slices.Clone(a.Spans)
	for _, s := range b.Spans {
		if i := slices.IndexFunc(spans, func(o Span) bool { return o.Block == s.Block }); i >= 0 {
			spans[i].From, spans[i].To = min(spans[i].From, s.From), max(spans[i].To, s.To)
			continue
		}
		spans = append(spans, s)
	}
	a.Spans = spans
	return a
}

// Place tells where a stretch is, as people say it: page 3, row 7 of Sheet 1,
// at 1:05, line 12.
func (s Span) Place() string {
	switch {
	case s.Page > 0:
		return fmt.Sprintf("page %d", s.Page)
	case s.Timed:
		t := int(s.Time)
		if t >= 3600 {
			return fmt.Sprintf("at %d:%02d:%02d", t/3600, t/60%60, t%60)
		}
		return fmt.Sprintf("at %d:%02d", t/60, t%60)
	case s.Sheet != "":
		return fmt.Sprintf("%s, row %d", s.Sheet, s.Row)
	case s.Line > 0:
		return fmt.Sprintf("line %d", s.Line)
	}
	return ""
}

// At is the stretch from a byte of its block on, with the place there.
func (s Span) At(offset int) Span {
	for _, t := range s.Turns {
		if t.At <= offset {
			s.Page, s.Time = t.Page, t.Time
		}
	}
	return s
}

// Place is where a passage begins, headings aside: its first stretch that is no
// heading has the more telling one.
func (f Found) Place() string {
	if len(f.Spans) == 0 {
		return ""
	}
	return f.Spans[min(1, len(f.Spans)-1)].Place()
}

// mostOnMap is how many passages a map shows.
const mostOnMap = 2000

// Map lays a shelf's passages out in two dimensions, with a question if it is
// not empty.
func (l *Library) Map(ctx context.Context, slug, question string) (points []retrieval.Point, asked *retrieval.Point, err error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return nil, nil, err
	}
	v := l.shelf(f.ID)
	select {
	case <-v.loaded:
	case <-ctx.Done():
		return nil, nil, context.Cause(ctx)
	}
	var vector []float32
	if question != "" {
		vector = v.vector(question)
	}
	points, asked = v.index.Map(mostOnMap, vector)
	return points, asked, nil
}
