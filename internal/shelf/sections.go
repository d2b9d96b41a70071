package shelf

import (
	"context"

	"juvalogos/core/evidence"
	"juvalogos/core/passage"
	"juvalogos/core/reading"
	"juvalogos/internal/record"
)

// Sections divides a document that was read into sections of at most so many tokens, by its
// structure. All of its text is in one of them, and in one alone; lists of contents are left
// out.
func (l *Library) Sections(ctx context.Context, d record.Document, tokens int) (all []evidence.Passage, err error) {
	c, err := counter()
	if err != nil {
		return nil, err
	}
	packed, err := l.Store.Shelves.Blocks(ctx, d.ID)
	if err != nil {
		return nil, err
	}
	document := reading.Document{Format: d.Format, Language: d.Language}
	if document.Blocks, err = unpack(packed); err != nil {
		return nil, err
	}
	slug, err := l.indexes.slugOf(ctx, d.Shelf)
	if err != nil {
		return nil, err
	}
	for p := range passage.Split(ctx, document, passage.Options{Target: tokens, Count: c.Count}) {
		spans := placed(document.Blocks, p.Spans)
		all = append(all, evidence.Passage{Shelf: slug, Document: d.ID, Title: d.Title, Format: d.Format, Path: p.Path,
			Place: evidence.Begins(spans), Text: p.Text, Position: len(all), Spans: spans})
	}
	return all, context.Cause(ctx)
}
