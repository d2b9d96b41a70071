package store_test

import (
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
	"juvalogos/internal/store"
	"juvalogos/internal/store/storetest"
)

// What was said goes for good with its conversation: its turns, attempts,
// words, summaries, traces and findings, and nothing of another.
func TestNothingIsLeftOfWhatIsDeleted(t *testing.T) {
	url := storetest.URL(t)
	s, err := store.Open(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	db, err := pgx.Connect(ctx, url)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close(ctx)
	rows := func() map[string]int {
		t.Helper()
		all := map[string]int{}
		for _, table := range []string{"conversation", "turn", "attempt", "turn_words", "summary", "trace", "finding"} {
			var n int
			if err := db.QueryRow(ctx, `select count(*) from `+table).Scan(&n); err != nil {
				t.Fatal(err)
			}
			all[table] = n
		}
		return all
	}

	d := publish(t, s, "x")
	var asked []record.NewTurn
	for range 3 {
		n := question(d, 1, "What is in the tin?")
		if err := s.Replies.Ask(ctx, n); err != nil {
			t.Fatal(err)
		}
		p := end(n, "Tea.")
		p.Trace = &record.Trace{ID: uuid.Must(uuid.NewV7()), Kind: "reply", Turn: n.ID, Attempt: 1, DeskID: d.DeskID,
			State: "done", StartedAt: time.Now()}
		if err := s.Replies.Keep(ctx, []record.Progress{p}); err != nil {
			t.Fatal(err)
		}
		if _, _, _, _, err := s.Replies.AskAgain(ctx, record.Turn{ID: n.ID, Conversation: n.Conversation, Number: 1},
			again); err != nil {
			t.Fatal(err)
		}
		if err := s.Replies.Keep(ctx, []record.Progress{{Turn: n.ID, Number: 2, Text: "Tea?", State: record.Done,
			EndedAt: new(time.Now())}}); err != nil {
			t.Fatal(err)
		}
		if err := s.Conversations.IndexWords(ctx, []uuid.UUID{n.ID}); err != nil {
			t.Fatal(err)
		}
		if err := s.Replies.KeepSummary(ctx,
			record.Summary{Upto: n.ID, Conversation: n.Conversation, Turns: 1, Text: "tea",
				MadeAt: time.Now()}); err != nil {
			t.Fatal(err)
		}
		if _, err := db.Exec(ctx, `insert into finding (turn, attempt, changed_by, changed_at)
			values ($1, 1, 'me', now())`, n.ID); err != nil {
			t.Fatal(err)
		}
		asked = append(asked, n)
	}
	for table, n := range rows() {
		if want := 3; n != want && table != "attempt" || table == "attempt" && n != 2*want {
			t.Fatalf("%d rows of %s before", n, table)
		}
	}

	if err := s.Conversations.Remove(ctx, asked[0].Conversation, record.Visitor{1},
		time.Now().Add(-time.Hour)); err != nil {
		t.Fatal(err)
	}
	if n, err := s.Conversations.Purge(ctx, time.Now().Add(-time.Minute)); n != 1 || err != nil {
		t.Fatalf("purged %d, %v", n, err)
	}
	for table, n := range rows() {
		if want := 2; n != want && table != "attempt" || table == "attempt" && n != 2*want {
			t.Errorf("%d rows of %s after one of three conversations is deleted", n, table)
		}
	}

	// Another attempt at what is deleted, and its words, leave nothing behind.
	if _, _, _, _, err := s.Replies.AskAgain(ctx,
		record.Turn{ID: asked[0].ID, Conversation: asked[0].Conversation, Number: 1}, again); err == nil {
		t.Error("a deleted turn was made again")
	}
	if err := s.Conversations.IndexWords(ctx, []uuid.UUID{asked[0].ID}); err != nil {
		t.Error(err)
	}
	if _, err := db.Exec(ctx, `delete from desk`); err != nil {
		t.Fatal(err)
	}
	for table, n := range rows() {
		if n != 0 {
			t.Errorf("%d rows of %s after their desk is deleted", n, table)
		}
	}
}
