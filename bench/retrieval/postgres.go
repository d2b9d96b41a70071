package main

import (
	"context"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"

	"github.com/jackc/pgx/v5"

	"juvalogos/internal/store/private"
)

// fullText is PostgreSQL's full text search over whole pages, on a server of
// its own.
type fullText struct {
	conn   *pgx.Conn
	stop   func()
	chosen fullTextSetting
}

// fullTextSetting is how pages are found and ranked.
type fullTextSetting struct {
	any           bool // one of the words is enough
	weighed       bool // words in the title count more
	normalisation int  // of ts_rank_cd
}

func (s fullTextSetting) String() string {
	words, title := "all words", "title as text"
	if s.any {
		words = "any word"
	}
	if s.weighed {
		title = "title weighed"
	}
	return fmt.Sprintf("%s, %s, normalisation %d", words, title, s.normalisation)
}

func startFullText(ctx context.Context, pages []page) (*fullText, error) {
	folder, err := os.MkdirTemp("", "juvalogos-bench")
	if err != nil {
		return nil, err
	}
	if err := os.Chmod(folder, 0o755); err != nil {
		return nil, err
	}
	server, err := private.Start(ctx, filepath.Join(folder, "postgres"), slog.New(slog.DiscardHandler))
	if err != nil {
		return nil, err
	}
	f := &fullText{stop: func() { server.Stop(); os.RemoveAll(folder) }}
	if f.conn, err = pgx.Connect(ctx, server.URL()); err != nil {
		return nil, err
	}
	_, err = f.conn.Exec(ctx, `create table page (path text, plain tsvector, weighed tsvector)`)
	if err != nil {
		return nil, err
	}
	for _, p := range pages {
		text := textOf(p)
		_, err := f.conn.Exec(ctx, `insert into page select $1, to_tsvector('english', $2::text),
			setweight(to_tsvector('english', $3::text), 'A') || setweight(to_tsvector('english', $2::text),
				'D')`, p.path, text, p.doc.Title)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", p.path, err)
		}
	}
	_, err = f.conn.Exec(ctx, `create index on page using gin (plain); create index on page using gin (weighed); analyze page`)
	return f, err
}

func (f *fullText) search(ctx context.Context, text string, s fullTextSetting) (ranked []string, err error) {
	column := "plain"
	if s.weighed {
		column = "weighed"
	}
	query := `plainto_tsquery('english', $1)`
	if s.any {
		query = `replace(plainto_tsquery('english', $1)::text, ' & ', ' | ')::tsquery`
	}
	rows, err := f.conn.Query(ctx, `select path from page, (select `+query+` q) q where `+column+
		` @@ q order by ts_rank_cd(`+column+`, q, `+fmt.Sprint(s.normalisation)+`) desc, path limit 10`, text)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}

// choose takes the setting that finds most of some questions.
func (f *fullText) choose(ctx context.Context, asked []question) error {
	best := -1.0
	for _, any := range []bool{false, true} {
		for _, weighed := range []bool{false, true} {
			for _, normalisation := range []int{0, 1, 2, 4, 8, 16, 32} {
				s := fullTextSetting{any, weighed, normalisation}
				var score figures
				for _, q := range asked {
					if len(q.right) == 0 {
						continue
					}
					got, err := f.search(ctx, q.text, s)
					if err != nil {
						return err
					}
					score.judge(got, q.right)
				}
				if m := score.mean(); m.ndcg > best {
					best, f.chosen = m.ndcg, s
				}
			}
		}
	}
	return nil
}
