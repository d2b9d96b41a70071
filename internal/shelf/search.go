package shelf

import (
	"cmp"
	"context"
	"maps"
	"slices"

	"juvalogos/core/encoder"
	"juvalogos/core/evidence"
	"juvalogos/core/language"
	"juvalogos/core/retrieval"
	"juvalogos/internal/record"
)

// Match is a passage that was found, or several that follow each other, as one.
type Match struct {
	evidence.Passage
	Document record.Document
	Hit      retrieval.Hit // of the best one
}

// Results are what a search found.
type Results struct {
	Found    []Match         // the best first
	Answers  float64         // how likely anything found answers, 0 to 1
	Least    float64         // how likely that must be, by the shelf that it is found on
	Passages int             // that were looked through
	Asked    []EmbeddingCall // what models were asked for the vector of the question
	// Elsewhere: no document has the words that its title was to have; all were
	// looked through.
	Elsewhere bool
	// AskedIn is the language of the question where no passage that was looked through
	// is in it; "": some are, or it is not known. In are theirs.
	AskedIn string
	In      []string
}

// Query is what is looked for.
type Query struct {
	Text   string
	Within string // only in documents whose title or file name has these words; "": in all
	Limit  int
	Join   bool // makes one of neighbours
	// Only, if not nil, are the documents that are looked through of some shelves, by
	// the shelves' names.
	Only map[string]map[int64]bool
	// Texts: not in documents that are tables, which are asked otherwise.
	Texts bool
}

// Search finds what answers a question on some shelves.
func (l *Library) Search(ctx context.Context, shelves []string, q Query) (r Results, err error) {
	only, err := l.within(ctx, shelves, q.Within)
	if err != nil {
		return r, err
	}
	r.Elsewhere = q.Within != "" && only == nil
	in, judged := map[string]bool{}, false
	for _, slug := range shelves {
		f, err := l.Shelf(ctx, slug)
		if err != nil {
			return r, err
		}
		v := l.indexes.use(slug, f.ID)
		select {
		case <-v.loaded:
		case <-ctx.Done():
			return r, context.Cause(ctx)
		}
		query := retrieval.Query{Text: q.Text, Vector: v.vector(q.Text), Limit: q.Limit}
		if q.Join {
			query.Limit *= 2
		}
		if q.Texts {
			if query.Only, err = l.texts(ctx, f); err != nil {
				return r, err
			}
			if query.Only != nil && len(query.Only) == 0 {
				continue
			}
		}
		r.Passages += v.index.Len()
		for _, language := range v.index.Languages() {
			in[language] = true
		}
		if only != nil {
			if query.Only = both(query.Only, only[slug]); len(query.Only) == 0 {
				continue
			}
		}
		if some, bound := q.Only[slug]; bound {
			if query.Only = both(query.Only, some); len(query.Only) == 0 {
				continue
			}
		}
		if v.index.Meant() {
			meaning, asked := l.meanings.meaning(ctx, v.model, q.Text)
			query.Meaning = meaning
			if asked != nil {
				r.Asked = append(r.Asked, *asked)
			}
		}
		settings := settingsOf(f.Settings)
		if settings.SenseWeight > 0 && v.index.Sensed() {
			query.Sense = encoder.Load().Encode(q.Text)
		}
		result := v.index.Search(query, settings.options())
		if !judged || result.Answers-settings.Least > r.Answers-r.Least {
			r.Answers, r.Least, judged = result.Answers, settings.Least, true
		}
		found, err := l.fetch(ctx, slug, result.Hits)
		if err != nil {
			return r, err
		}
		r.Found = append(r.Found, found...)
	}
	slices.SortStableFunc(r.Found, func(a, b Match) int { return cmp.Compare(b.Hit.Score, a.Hit.Score) })
	if q.Join {
		r.Found = spread(joined(r.Found), q.Limit)
	}
	r.Found = r.Found[:min(q.Limit, len(r.Found))]
	if asked := language.Asked(q.Text); asked != "" && len(in) > 0 && !in[asked] {
		r.AskedIn, r.In = asked, slices.Sorted(maps.Keys(in))
	}
	return r, nil
}

// texts are the documents of a shelf that are no tables; nil: all are texts.
func (l *Library) texts(ctx context.Context, f record.Shelf) (map[int64]bool, error) {
	tabled, err := l.Store.Tables.OnShelves(ctx, []string{f.Slug})
	if err != nil {
		return nil, err
	}
	if len(tabled) == 0 {
		return nil, nil
	}
	tables := map[int64]bool{}
	for _, t := range tabled {
		tables[t.Document] = true
	}
	documents, err := l.Store.Shelves.Documents(ctx, f.ID)
	if err != nil {
		return nil, err
	}
	texts := map[int64]bool{}
	for _, d := range documents {
		if !tables[d.ID] || d.Format == page {
			texts[d.ID] = true
		}
	}
	return texts, nil
}

// page is the format of documents that have tables and are texts all the same.
const page = "html"

// both are those in both; nil as a stands for all.
func both(a, b map[int64]bool) map[int64]bool {
	if a == nil {
		return b
	}
	all := map[int64]bool{}
	for id := range a {
		if b[id] {
			all[id] = true
		}
	}
	return all
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
	documents, err := l.Store.Shelves.Documents(ctx, shelf)
	if err != nil {
		return nil, err
	}
	all := map[int64]bool{}
	for _, d := range documents {
		if hasWords(d, words) {
			all[d.ID] = true
		}
	}
	return all, nil
}

// fetch reads the texts of hits.
func (l *Library) fetch(ctx context.Context, slug string, hits []retrieval.Hit) ([]Match, error) {
	documents, numbers := make([]int64, len(hits)), make([]int32, len(hits))
	for i, h := range hits {
		documents[i], numbers[i] = h.Document, int32(h.Number)
	}
	passages, err := l.Store.Shelves.Passages(ctx, documents, numbers)
	if err != nil {
		return nil, err
	}
	known := map[int64]record.Document{}
	var all []Match
	for _, h := range hits {
		i := slices.IndexFunc(passages, func(p record.StoredPassage) bool {
			return p.Document == h.Document &&
				p.Number == h.Number
		})
		if i < 0 {
			continue // removed a moment ago
		}
		p := passages[i]
		d, there := known[h.Document]
		if !there {
			if d, err = l.Store.Shelves.Document(ctx, h.Document); err != nil {
				continue
			}
			known[h.Document] = d
		}
		where, err := l.indexes.slugOf(ctx, d.Shelf)
		if err != nil {
			where = slug
		}
		all = append(all, Match{
			Passage: evidence.Passage{
				Shelf: where, Document: d.ID, Title: d.Title, Format: d.Format, Path: p.Path,
				Place: evidence.Begins(p.Spans),
				Text:  p.Text, Position: p.Number, Score: h.Score, Spans: p.Spans,
			},
			Document: d, Hit: h,
		})
	}
	return all, nil
}

// joined makes one of passages that follow each other, so that a model reads a
// whole thought; it stands where the better one stood.
func joined(all []Match) []Match {
	var kept []Match
	last := map[int]int{} // the last passage's position of each that was kept
	for _, f := range all {
		before, after := -1, -1 // what of the same document it touches
		for i, k := range kept {
			switch {
			case k.Document.ID != f.Document.ID:
			case after < 0 && f.Position == k.Position-1:
				after = i
			case last[i] == f.Position-1:
				before = i
			}
		}
		switch {
		case after >= 0:
			k := &kept[after]
			k.Passage = mergedOver(k.Passage, f.Passage, k.Passage)
			k.Position = f.Position
		case before >= 0:
			k := &kept[before]
			k.Passage = mergedOver(k.Passage, k.Passage, f.Passage)
			last[before] = f.Position
		default:
			last[len(kept)] = f.Position
			kept = append(kept, f)
		}
	}
	return kept
}

// mostOfOne is how many passages of one document come before those of others, which
// are poor where their score is less than half.
const (
	mostOfOne = 3
	poor      = 0.5
)

// spread lets no document take all the room: beyond its third, its passages stand
// behind those of others, unless these are poor beside them.
func spread(all []Match, limit int) []Match {
	if len(all) <= limit {
		return all
	}
	var kept, later []Match
	of := map[int64]int{}
	for _, m := range all {
		switch {
		case of[m.Document.ID] >= mostOfOne:
			later = append(later, m)
			continue
		case len(later) > 0 && m.Hit.Score < poor*later[0].Hit.Score:
			kept, later = append(kept, later...), nil
		}
		of[m.Document.ID]++
		kept = append(kept, m)
	}
	return append(kept, later...)
}

// mergedOver is the better passage with the texts of two that follow each other.
func mergedOver(better, first, second evidence.Passage) evidence.Passage {
	both := first.Merge(second)
	better.Text, better.Spans, better.Place = both.Text, both.Spans, evidence.Begins(both.Spans)
	return better
}

// mostOnMap is how many passages a map shows.
const mostOnMap = 2000

// Map lays a shelf's passages out in two dimensions, with a question if it is
// not empty.
func (l *Library) Map(ctx context.Context, slug, question string) (points []retrieval.Point, asked *retrieval.Point,
	err error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return nil, nil, err
	}
	v := l.indexes.shelf(f.ID)
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
