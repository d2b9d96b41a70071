package main

import (
	"context"
	"crypto/sha256"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// kept are the conversations that one visitor has had.
const (
	kept      = 10_000
	keptQuick = 1_000
)

// keeping fills the database with conversations of one visitor and measures
// listing and searching them, through the API and beside plain queries.
func keeping(s *setup, z sizes, r *report) error {
	ctx := context.Background()
	db, err := s.database(ctx)
	if err != nil {
		return err
	}
	defer db.Close(ctx)
	n := kept
	if z.repetitions == 1 {
		n = keptQuick
	}
	visitor := sha256.Sum256([]byte("token:owner"))
	if err := fill(ctx, db, visitor[:], n); err != nil {
		return fmt.Errorf("fill the database: %w", err)
	}
	const wanted, common = "w42", "w3"
	search := func(word string) func() error {
		return plainQuery(ctx, db, `select distinct c.id, c.title, c.asked_at from conversation c
			join turn t on t.conversation = c.id join turn_words w on w.turn = t.id
			where c.visitor = $1 and w.words @@ to_tsquery('simple', $2) order by c.asked_at desc
				limit 60`, visitor[:], word)
	}
	r.begin(fmt.Sprintf("%d conversations of one visitor, three turns each: list and search (aim: 50 ms at the median)",
		n), "what", "median", "95th percentile", "plain query, median", "times the plain query")
	for _, c := range []struct {
		what        string
		ours, plain func() error
	}{
		{"list the newest 60", s.listing(url.Values{"limit": {"60"}}), plainQuery(ctx, db, `select id, title, asked_at
			from conversation
			where visitor = $1 order by asked_at desc limit 60`, visitor[:])},
		{"search for a rare word", s.listing(url.Values{"limit": {"60"}, "search": {wanted}}), search(wanted)},
		{"search for a word in most of them", s.listing(url.Values{"limit": {"60"}, "search": {common}}),
			search(common)},
	} {
		var ours, beside []float64
		for range z.questions / 4 {
			for into, do := range map[*[]float64]func() error{&ours: c.ours, &beside: c.plain} {
				began := time.Now()
				if err := do(); err != nil {
					return err
				}
				*into = append(*into, time.Since(began).Seconds()*1000)
			}
		}
		r.row(c.what, fmt.Sprintf("%.1f ms", quantile(ours, 0.5)), fmt.Sprintf("%.1f ms", quantile(ours, 0.95)),
			fmt.Sprintf("%.1f ms", quantile(beside, 0.5)),
			fmt.Sprintf("%.1f", quantile(ours, 0.5)/quantile(beside, 0.5)))
	}
	return nil
}

// listing asks the service for conversations.
func (s *setup) listing(query url.Values) func() error {
	return func() error {
		request, err := http.NewRequest(http.MethodGet,
			service+"/api/at/"+deskSlug+"/conversations?"+query.Encode(), nil)
		if err != nil {
			return err
		}
		request.Header.Set("Authorization", "Bearer "+s.client.Token)
		response, err := s.http.Do(request)
		if err != nil {
			return err
		}
		defer response.Body.Close()
		text, err := io.ReadAll(response.Body)
		if err == nil && !strings.Contains(string(text), `"id"`) {
			err = fmt.Errorf("nothing was found: %s", text)
		}
		return err
	}
}

// plainQuery asks the database for rows and reads them all.
func plainQuery(ctx context.Context, db *pgx.Conn, query string, arguments ...any) func() error {
	return func() error {
		rows, err := db.Query(ctx, query, arguments...)
		if err != nil {
			return err
		}
		defer rows.Close()
		found := 0
		for rows.Next() {
			found++
		}
		if rows.Err() == nil && found == 0 {
			return fmt.Errorf("nothing was found by %s", query)
		}
		return rows.Err()
	}
}

// database connects to the service's private PostgreSQL.
func (s *setup) database(ctx context.Context) (*pgx.Conn, error) {
	text, err := os.ReadFile(filepath.Join(s.folder, "postgres", "data", "postmaster.pid"))
	if err != nil {
		return nil, err
	}
	lines := strings.Split(string(text), "\n") // 4: port, 5: the socket's folder
	if len(lines) < 5 {
		return nil, fmt.Errorf("the database's postmaster.pid is not as expected")
	}
	return pgx.Connect(ctx, fmt.Sprintf("host=%s port=%s user=juvalogos dbname=juvalogos sslmode=disable", lines[4],
		lines[3]))
}

// fill puts conversations of made-up words on record, with as many turns as
// people have and words as rare as words are.
func fill(ctx context.Context, db *pgx.Conn, visitor []byte, n int) error {
	chance := rand.New(rand.NewPCG(7, 8))
	zipf := rand.NewZipf(chance, 1.1, 4, 20_000)
	words := func(n int) string {
		list := make([]string, n)
		for i := range list {
			list[i] = fmt.Sprint("w", zipf.Uint64())
		}
		return strings.Join(list, " ")
	}
	const turns = 3
	var conversations, asked, attempts [][]any
	desk := 0
	if err := db.QueryRow(ctx, `select id from desk where slug = $1`, deskSlug).Scan(&desk); err != nil {
		return err
	}
	began := time.Now().Add(-time.Duration(n) * time.Minute)
	for i := range n {
		id, at := uuid.New(), began.Add(time.Duration(i)*time.Minute)
		var parent *uuid.UUID
		for k := range turns {
			turn := uuid.Must(uuid.NewV7())
			asked = append(asked, []any{turn, id, k + 1, visitor, turn.String(), words(12), 12, "estimate", at, parent})
			attempts = append(attempts, []any{turn, 1, 1, "bench/heather-2", "done", 1, words(150), at, at})
			parent = &turn
		}
		conversations = append(conversations, []any{id, desk, visitor, "api", words(8), at, at, *parent})
	}
	for _, t := range []struct {
		table   string
		columns []string
		rows    [][]any
	}{
		{"conversation", []string{"id", "desk", "visitor", "channel", "title", "started_at", "asked_at", "leaf"},
			conversations},
		{"turn", []string{"id", "conversation", "number", "visitor", "key", "question", "question_tokens", "vocabulary",
			"asked_at", "parent"}, asked},
		{"attempt", []string{"turn", "number", "revision", "model", "state", "instance", "reply", "started_at",
			"ended_at"}, attempts},
	} {
		if _, err := db.CopyFrom(ctx, pgx.Identifier{t.table}, t.columns, pgx.CopyFromRows(t.rows)); err != nil {
			return err
		}
	}
	// The service makes replies findable that it has seen; for these we do.
	if _, err := db.Exec(ctx, `
		insert into turn_words select t.id, array_to_tsvector(string_to_array(t.question || ' ' || a.reply, ' '))
		from turn t join attempt a on a.turn = t.id where a.instance = 1 on conflict do nothing`); err != nil {
		return err
	}
	_, err := db.Exec(ctx, `analyze`)
	return err
}
