package shelf

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strings"

	"github.com/google/uuid"

	"juvalogos/core/evidence"
	"juvalogos/core/reading"
	"juvalogos/core/tables"
	"juvalogos/internal/engine"
	"juvalogos/internal/record"
)

// Documents that are tables are read twice: by the readers as texts, which are found like
// others, and by the engine, to be asked. Of large ones the texts are their columns and
// first rows alone.

// Tables has the tables of documents read.
type Tables interface {
	// Take is table.Service.Take.
	Take(ctx context.Context, d record.Document, given []record.GivenKind) (record.Tabled, error)
}

const (
	// mostTable is how large a file may be that is a table, in bytes.
	mostTable = 2 << 30
	// mostRowsAsText is how large such a file may be for its rows to be read as texts.
	mostRowsAsText = 200 << 10
)

// most is how large a file of a name may be.
func (l *common) most(name string) int64 {
	if l.Tables != nil && (reading.Tabular(name, nil) == "csv" ||
		strings.HasSuffix(strings.ToLower(name), ".parquet")) {
		return mostTable
	}
	return int64(l.Limits.Bytes)
}

// tablesOf reads a document that is a table, or several, for the engine. described is the
// document where its rows are not to be read as texts.
func (l *Library) tablesOf(ctx context.Context, d record.Document) (described *reading.Document, err error) {
	if l.Tables == nil {
		return nil, nil
	}
	head := make([]byte, 8)
	n, err := io.ReadFull(l.Store.Shelves.Content(ctx, d.Hash), head)
	if err != nil && err != io.EOF && !errors.Is(err, io.ErrUnexpectedEOF) {
		return nil, err
	}
	format := reading.Tabular(d.Name, head[:n])
	if format == "" {
		return nil, nil
	}
	found, err := l.Tables.Take(ctx, d, nil)
	var problem *engine.Problem
	switch {
	case errors.As(err, &problem) && (format == "parquet" || d.Size > mostRowsAsText):
		return nil, &reading.Problem{File: d.Name, What: problem.What}
	case errors.As(err, &problem):
		return nil, nil // it is read as a text, and why there is no table is on record
	case err != nil:
		return nil, err
	}
	if format != "parquet" && d.Size <= mostRowsAsText {
		return nil, nil
	}
	document := describe(format, found.Tables)
	return &document, nil
}

// describe is a document that says what its tables are.
func describe(format string, all []tables.Table) reading.Document {
	d := reading.Document{Format: format}
	add := func(b reading.Block) {
		d.Blocks = append(d.Blocks, b)
		d.Words += len(strings.Fields(b.Text))
	}
	for _, t := range all {
		sheet := t.Sheet
		if sheet == "" {
			sheet = t.Title
		}
		add(reading.Block{Kind: reading.Heading, Level: 2, Text: t.Title, Sheet: sheet})
		add(reading.Block{Kind: reading.Paragraph, Sheet: sheet,
			Text: fmt.Sprintf("A table of %d rows with the columns %s.",
				t.Rows, strings.Join(titles(t), ", "))})
		for i, row := range t.First {
			var cells []string
			for j, c := range t.Columns {
				if row[j] != "" {
					cells = append(cells, c.Title+": "+row[j])
				}
			}
			add(reading.Block{Kind: reading.Row, Sheet: sheet, Row: i + 2, Text: strings.Join(cells, "; ")})
		}
		if rest := t.Rows - int64(len(t.First)); rest > 0 {
			d.Left = append(d.Left, evidence.Omission{Why: evidence.Computed, Count: int(rest)})
		}
	}
	d.Original = d.Words
	return d
}

func titles(t tables.Table) []string {
	all := make([]string, len(t.Columns))
	for i, c := range t.Columns {
		all[i] = c.Title
	}
	return all
}

// InConversation returns all documents that a conversation of a visitor's has: what was
// attached to it, and what was brought into it.
func (l *Library) InConversation(ctx context.Context, conversation uuid.UUID,
	visitor record.Visitor) ([]record.Document,
	error) {
	all, err := l.Attached(ctx, conversation, visitor)
	if err != nil {
		return nil, err
	}
	brought, err := l.Store.Errands.InConversation(ctx, conversation, visitor)
	for _, e := range brought {
		for _, d := range e.Documents {
			all = append(all, d.Document)
		}
	}
	return all, err
}
