package shelf

import (
	"bytes"
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
	// Give is table.Service.Give.
	Give(ctx context.Context, document int64, given []record.GivenKind) error
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
		if page, err := l.hasTable(ctx, d, head[:n]); !page || err != nil {
			return nil, err
		}
	}
	found, err := l.Tables.Take(ctx, d, nil)
	var problem *engine.Problem
	switch {
	case errors.As(err, &problem) && (format == "parquet" || format != "" && d.Size > mostRowsAsText):
		return nil, &reading.Problem{File: d.Name, What: problem.What}
	case errors.As(err, &problem):
		return nil, nil // it is read as a text, and why there is no table is on record
	case err != nil:
		return nil, err
	}
	if format == "" || format != "parquet" && d.Size <= mostRowsAsText {
		return nil, nil
	}
	document := describe(format, found.Tables)
	return &document, nil
}

// mostPage is how large a page may be in which tables are looked for, in bytes.
const mostPage = 8 << 20

// hasTable reports whether a document is a page with a table in it.
func (l *Library) hasTable(ctx context.Context, d record.Document, head []byte) (bool, error) {
	if !bytes.HasPrefix(bytes.TrimSpace(head), []byte("<")) || d.Size > mostPage {
		return false, nil
	}
	body, err := io.ReadAll(l.Store.Shelves.Content(ctx, d.Hash))
	return bytes.Contains(bytes.ToLower(body), []byte("<table")), err
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

// tabular are the endings of names that tables have.
var tabular = []string{"%.csv", "%.tsv", "%.tab", "%.xlsx", "%.ods", "%.json", "%.jsonl", "%.ndjson"}

// takeTables has the tables of documents read that an older version read as texts alone.
func (l *Library) takeTables(ctx context.Context) {
	if l.Tables == nil {
		return
	}
	ids, err := l.Store.Tables.Untabled(ctx, tabular)
	for _, id := range ids {
		if ctx.Err() != nil {
			return
		}
		if d, err := l.Store.Shelves.Document(ctx, id); err == nil {
			_, err = l.Tables.Take(ctx, d, nil)
			var problem *engine.Problem
			if err != nil && !errors.As(err, &problem) {
				l.Log.Warn("a document's tables could not be read", "document", id, "error", err)
			}
		}
	}
	if err != nil && ctx.Err() == nil {
		l.Log.Warn("documents whose tables are not read yet could not be told", "error", err)
	}
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
