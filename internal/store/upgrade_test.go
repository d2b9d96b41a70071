package store_test

import (
	"database/sql"
	"io/fs"
	"os"
	"testing"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"

	"juvalogos/internal/record"
	"juvalogos/internal/store"
	"juvalogos/internal/store/storetest"
)

// Conversations of a database from before there were branches are paths.
func TestAnOlderDatabaseIsUpgraded(t *testing.T) {
	url := storetest.Empty(t)
	config, err := pgx.ParseConfig(url)
	if err != nil {
		t.Fatal(err)
	}
	db := stdlib.OpenDB(*config)
	defer db.Close()
	migrate(t, db, 3)
	conversation := uuid.New()
	for _, statement := range []string{
		`insert into desk (slug, published) values ('d', 1)`,
		`insert into revision (desk, number, file, digest, made_by) values (1, 1, 'x', '\x00', 'me')`,
		`insert into conversation (id, desk, visitor, channel, title, started_at, asked_at)
			values ('` + conversation.String() + `', 1, decode(repeat('01', 32), 'hex'), 'page', 't', now(), now())`,
		`insert into turn (id, conversation, number, visitor, key, question, question_tokens, vocabulary, asked_at)
			select gen_random_uuid(), '` + conversation.String() + `', n, decode(repeat('01', 32), 'hex'), 'k' || n,
				'question ' || n, 1, 'estimate', now() from generate_series(1, 3) n`,
		`insert into attempt (turn, number, revision, model, state, instance, reply, started_at)
			select id, 1, 1, 'c/m', 'done', 1, 'a reply', now() from turn`,
		`insert into api_token (name, hash) values ('old', '\x00')`,
	} {
		if _, err := db.ExecContext(ctx, statement); err != nil {
			t.Fatalf("%s: %v", statement, err)
		}
	}
	migrate(t, db, 5)
	if _, err := db.ExecContext(ctx, `update attempt set helped = false where turn = (select id from turn
		where number = 2)`); err != nil {
		t.Fatal(err)
	}
	s, err := store.Open(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	if queue, err := s.Verdicts.Judgements(ctx, record.JudgedFilter{Limit: 9}); err != nil || len(queue) != 1 ||
		queue[0].Question != "question 2" {
		t.Errorf("verdicts of before: %+v, %v", queue, err)
	}
	var visitor record.Visitor
	for i := range visitor {
		visitor[i] = 1
	}
	_, turns, err := s.Conversations.Conversation(ctx, conversation, visitor)
	if err != nil || len(turns) != 3 || turns[2].Question != "question 3" {
		t.Errorf("the path is %+v, %v", turns, err)
	}
	if past, at, err := s.Replies.Past(ctx, conversation, 1, visitor, nil, 9); err != nil || len(past.Turns) != 3 ||
		at.Number != 4 {
		t.Errorf("remembered %+v, next is %+v, %v", past, at, err)
	}
	if turns, err := s.Conversations.Unindexed(ctx, 9); err != nil || len(turns) != 3 {
		t.Errorf("%d turns are to be made findable, %v", len(turns), err)
	}
	if list, err := s.Accounts.Tokens(ctx); err != nil || len(list) != 1 || len(list[0].Scopes) != 4 {
		t.Errorf("tokens of before: %+v, %v", list, err)
	}
}

// What is wrong with documents stays to be read, and recipes within desk files
// are written as they would be now, their digests too.
func TestPhrasesAndInputsOfBefore(t *testing.T) {
	url := storetest.Empty(t)
	config, err := pgx.ParseConfig(url)
	if err != nil {
		t.Fatal(err)
	}
	db := stdlib.OpenDB(*config)
	defer db.Close()
	migrate(t, db, 10)
	const before = "title: t\nbrief: |\n  takes: all\nown_recipe: |\n  recipe: x\n  takes:\n    - {name: question}\n" +
		"  steps:\n"
	const now = "title: t\nbrief: |\n  takes: all\nown_recipe: |\n  recipe: x\n  inputs:\n    - {name: question}\n" +
		"  steps:\n"
	for _, statement := range []string{
		`insert into desk (slug, published) values ('d', 1)`,
		`insert into revision (desk, number, file, digest, made_by) values (1, 1, '` + before + `', '\x00', 'me')`,
		`insert into draft (desk, file, good, changed_by, changed_at)
			values (1, '` + before + `', '` + before + `', 'me', now())`,
		`insert into shelf (slug, title, settings, made_by, made_at) values ('s', 's', '{}', 'me', now())`,
		`insert into content (hash, size) values ('\x01', 1), ('\x02', 1)`,
		`insert into document (shelf, name, source, hash, size, state, problem, added_by, added_at) values
			(1, 'a.txt', '', '\x01', 1, 'failed', 'it is 100 % empty {1}', 'me', now()),
			(1, 'b.txt', '', '\x02', 1, 'ready', '', 'me', now())`,
	} {
		if _, err := db.ExecContext(ctx, statement); err != nil {
			t.Fatalf("%s: %v", statement, err)
		}
	}
	s, err := store.Open(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	all, err := s.Shelves.Documents(ctx, 1)
	said := map[string]string{}
	for _, d := range all {
		said[d.Name] = d.Problem.String()
	}
	if err != nil || len(said) != 2 || said["a.txt"] != "it is 100 % empty {1}" || said["b.txt"] != "" {
		t.Errorf("%q, %v", said, err)
	}
	r, err := s.Desks.Published(ctx, "d")
	if err != nil || r.File != now {
		t.Errorf("%q, %v", r.File, err)
	}
	if draft, err := s.Desks.Draft(ctx, "d"); err != nil || draft.File != now || draft.Good != now {
		t.Errorf("%+v, %v", draft, err)
	}
	var fits bool
	if err := db.QueryRowContext(ctx, `select digest = sha256(convert_to(file, 'UTF8'))
		from revision`).Scan(&fits); err != nil ||
		!fits {
		t.Errorf("the digest does not fit: %v", err)
	}
}

// migrate brings the tables of an empty database to a version.
func migrate(t *testing.T, db *sql.DB, version int64) {
	t.Helper()
	files, err := fs.Sub(os.DirFS("."), "migrations")
	if err != nil {
		t.Fatal(err)
	}
	provider, err := goose.NewProvider(goose.DialectPostgres, db, files)
	if err != nil {
		t.Fatal(err)
	}
	if _, err := provider.UpTo(ctx, version); err != nil {
		t.Fatal(err)
	}
}
