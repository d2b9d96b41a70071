package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"runtime"
	"time"

	"github.com/jackc/pgx/v5"

	"juvalogos/core/retrieval"
	"juvalogos/internal/shelf"
	"juvalogos/internal/store"
	"juvalogos/internal/store/private"
)

// fromRecord puts passages on record as a shelf of a database of its own and
// measures how long a start takes until a search of them is answered, and what
// memory they take then.
func fromRecord(entries []retrieval.Entry) (took time.Duration, memory uint64, err error) {
	folder, err := os.MkdirTemp("", "juvalogos-large-")
	if err != nil {
		return 0, 0, err
	}
	defer os.RemoveAll(folder)
	if err := os.Chmod(folder, 0o755); err != nil {
		return 0, 0, err
	}
	ctx := context.Background()
	server, err := private.Start(ctx, filepath.Join(folder, "postgres"), slog.New(slog.DiscardHandler))
	if err != nil {
		return 0, 0, err
	}
	defer server.Stop()
	s, err := store.Open(ctx, server.URL())
	if err != nil {
		return 0, 0, err
	}
	defer s.Close()
	if err := record(ctx, server.URL(), entries); err != nil {
		return 0, 0, err
	}
	before, began := heap(), time.Now()
	l, err := shelf.Open(ctx, shelf.Options{Store: s, Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		return 0, 0, err
	}
	defer l.Close(ctx)
	r, err := l.Search(ctx, []string{"large"}, shelf.Query{Text: "how to open a file", Limit: 5})
	took = time.Since(began)
	if err == nil && (r.Passages != len(entries) || len(r.Found) == 0) {
		err = fmt.Errorf("%d of %d passages are searched", r.Passages, len(entries))
	}
	memory = heap() - before
	runtime.KeepAlive(l)
	return took, memory, err
}

// record writes the rows that reading documents would have written.
func record(ctx context.Context, url string, entries []retrieval.Entry) error {
	db, err := pgx.Connect(ctx, url)
	if err != nil {
		return err
	}
	defer db.Close(ctx)
	if _, err := db.Exec(ctx, `insert into content values ('\x00', 1)`); err != nil {
		return err
	}
	if _, err := db.Exec(ctx, `insert into shelf (slug, title, settings, made_by, made_at)
		values ('large', 'Large', '{}', 'bench', now())`); err != nil {
		return err
	}
	last := int64(-1)
	var documents, passages [][]any
	for _, e := range entries {
		if e.Document != last {
			last = e.Document
			documents = append(documents,
				[]any{1, fmt.Sprint(e.Document), "", []byte{0}, 1, "ready", e.Title, "html", "en", "bench", time.Now()})
		}
		passages = append(passages, []any{e.Document + 1, e.Number, "x", append([]string{}, e.Path...), e.Text, "[]",
			250})
	}
	if _, err := db.CopyFrom(ctx, pgx.Identifier{"document"},
		[]string{"shelf", "name", "source", "hash", "size", "state", "title", "format", "language", "added_by",
			"added_at"}, pgx.CopyFromRows(documents)); err != nil {
		return err
	}
	_, err = db.CopyFrom(ctx, pgx.Identifier{"passage"},
		[]string{"document", "number", "id", "path", "body", "spans", "size"}, pgx.CopyFromRows(passages))
	return err
}
