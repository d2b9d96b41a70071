package shelf_test

import (
	"fmt"
	"log/slog"
	"runtime"
	"testing"

	"github.com/jackc/pgx/v5"

	"juvalogos/internal/shelf"
	"juvalogos/internal/store"
	"juvalogos/internal/store/storetest"
)

// A shelf of 25,000 passages is filled from the database at the start: any of
// them is found by its words, in less than 150 MB, a quarter of what 100,000 may take.
func TestAShelfOfManyPassages(t *testing.T) {
	url := storetest.URL(t)
	s, err := store.Open(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	defer s.Close()
	db, err := pgx.Connect(t.Context(), url)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close(t.Context())
	const documents, passages = 1000, 25
	for _, statement := range []string{
		`insert into content values ('\x00', 1)`,
		`insert into shelf (slug, title, settings, made_by, made_at) values ('large', 'Large', '{}', 'me', now())`,
		fmt.Sprintf(`insert into document (shelf, name, source, hash, size, state, title, format, language, passages,
			added_by, added_at)
			select 1, 'd' || n, '', '\x00', 1, 'ready', 'Apiary ' || n, 'text', 'en', %d, 'me', now()
				from generate_series(1, %d) n`, passages, documents),
		fmt.Sprintf(`insert into passage (document, number, id, path, body, spans, size)
			select d, n, 'x', '{}', 'Hive h' || d || 'x' || n || ' stands near the ' ||
				(array['brook','quarry','chapel','orchard','mill'])[1 + (d + n) %% 5] || '. ' ||
				repeat('The colony was inspected, fed and found quiet; its queen was marked w' ||
					(d * 7 + n * 13) %% 5000 || '. ', 12), '[]', 200
			from generate_series(1, %d) d, generate_series(0, %d) n`, documents, passages-1),
	} {
		if _, err := db.Exec(t.Context(), statement); err != nil {
			t.Fatalf("%.60s: %v", statement, err)
		}
	}
	heap := func() uint64 {
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		return m.HeapInuse
	}
	before := heap()
	l, err := shelf.Open(t.Context(), shelf.Options{Store: s, Log: slog.New(slog.DiscardHandler)})
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close(t.Context())
	for _, want := range []struct{ document, number int }{{1, 0}, {499, 24}, {1000, 7}} {
		r, err := l.Search(t.Context(), []string{"large"},
			shelf.Query{Text: fmt.Sprintf("Where does hive h%dx%d stand?", want.document, want.number), Limit: 3})
		if err != nil || r.Passages != documents*passages || len(r.Found) == 0 ||
			r.Found[0].Document.ID != int64(want.document) || r.Found[0].Position != want.number {
			t.Errorf("%+v: %d passages, %+v, %v", want, r.Passages, r.Found, err)
		}
	}
	if used := heap() - before; used > 150<<20 {
		t.Errorf("it takes %d MB", used>>20)
	}
}
