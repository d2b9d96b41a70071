package shelf_test

import (
	"errors"
	"strings"
	"testing"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/shelf"
	"juvalogos/internal/testbed"
)

func embedded(t *testing.T, b *testbed.Bed, n int) api.ShelfEmbedding {
	t.Helper()
	var e api.ShelfEmbedding
	testbed.Until(t, "passages are embedded", func() bool {
		var err error
		if e, err = b.Client.ShelfEmbedding(t.Context(), "handbook"); err != nil {
			t.Fatal(err)
		}
		return e.Embedded == n && e.Passages == n
	})
	return e
}

func set(t *testing.T, b *testbed.Bed, change map[string]any) {
	t.Helper()
	if _, err := b.Client.SetShelf(t.Context(), "handbook", change); err != nil {
		t.Fatal(err)
	}
}

func TestAModelEmbedsAShelfOnceSomebodyHasSeenItsPrice(t *testing.T) {
	b := testbed.New(t, testbed.Options{EmbeddingPrice: 0.02})
	if _, err := b.Client.MakeShelf(t.Context(), "handbook", ""); err != nil {
		t.Fatal(err)
	}
	add(t, b, "extractor.md", extractor)
	add(t, b, "copy.txt", "Hives are painted in May, before the flow begins.")
	read(t, b)
	asked := b.Model.Embedded()
	set(t, b, map[string]any{"embedding": "clover-embed"})
	e, err := b.Client.ShelfEmbedding(t.Context(), "handbook")
	if err != nil || e.Model != "shed/clover-embed" || !e.Priced || e.Embedded != 0 || e.Passages != 2 ||
		e.Tokens < 10 || e.Cost != float64(e.Tokens)*0.02/1e6 {
		t.Fatalf("%+v, %v", e, err)
	}
	// A document more changes nothing: nothing is embedded that nobody agreed to.
	add(t, b, "wax.md", "# Wax\n\nWax is melted in the hut on the first Saturday.")
	read(t, b)
	time.Sleep(300 * time.Millisecond)
	if n := b.Model.Embedded(); n != asked {
		t.Fatalf("%d texts were embedded before anybody agreed", n-asked)
	}
	if err := b.Client.EmbedShelf(t.Context(), "handbook"); err != nil {
		t.Fatal(err)
	}
	e = embedded(t, b, 3)
	if e.Tokens != 0 || e.Cost != 0 || e.SpentTokens == 0 || e.SpentCost != float64(e.SpentTokens)*0.02/1e6 {
		t.Errorf("%+v", e)
	}
	if n := b.Model.Embedded() - asked; n != 3 {
		t.Errorf("%d texts were sent", n)
	}

	// A search goes by the model's vectors, and the trace tells what it took.
	testbed.Until(t, "the vectors are searched", func() bool {
		before := b.Model.Embedded()
		hits := finds(t, b, "painting hives")
		return b.Model.Embedded() == before+1 && len(hits) > 0 && hits[0].Name == "copy.txt" && hits[0].VectorRank == 1
	})

	// The same content elsewhere, or read again, is not sent twice.
	sent := b.Model.Embedded()
	if _, err := b.Client.MakeShelf(t.Context(), "second", ""); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Client.AddDocument(t.Context(), "second", "extractor.md", strings.NewReader(extractor)); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "it is read", func() bool {
		s, err := b.Client.Shelf(t.Context(), "second")
		return err == nil && s.Passages == 1
	})
	if _, err := b.Client.SetShelf(t.Context(), "second",
		map[string]any{"embedding": "shed/clover-embed"}); err != nil {
		t.Fatal(err)
	}
	if e, err := b.Client.ShelfEmbedding(t.Context(), "second"); err != nil || e.Embedded != 1 || e.Cost != 0 {
		t.Errorf("the same content on another shelf: %+v, %v", e, err)
	}
	if n := b.Model.Embedded(); n != sent {
		t.Errorf("%d texts were sent again", n-sent)
	}

	// A model that is away does not stop a search.
	b.Model.Set(testbed.With(testbed.Fast, "broken", 0, 0))
	if hits := finds(t, b, "How long may I borrow the extractor?"); len(hits) == 0 || hits[0].Name != "extractor.md" {
		t.Errorf("with the model away: %+v", hits)
	}
}

func TestAModelWithoutAPriceEmbedsByItself(t *testing.T) {
	b := made(t)
	set(t, b, map[string]any{"embedding": "clover-embed"})
	add(t, b, "extractor.md", extractor)
	if e := embedded(t, b, 1); e.Priced || e.SpentCost != 0 {
		t.Errorf("%+v", e)
	}
}

func TestSettingsOfAShelf(t *testing.T) {
	b := made(t)
	long := "# Long\n\n" + strings.Repeat("A sentence about bees and wax that says little. ", 60)
	add(t, b, "long.md", long)
	before := read(t, b)["long.md"].Passages
	set(t, b, map[string]any{"tokens": 80, "overlap": 14, "title": "The handbook"})
	testbed.Until(t, "it is split anew",
		func() bool { return read(t, b)["long.md"].Passages > before })
	s, err := b.Client.ShelfSettings(t.Context(), "handbook")
	if err != nil || s.Tokens != 80 || s.Title != "The handbook" || s.K1 != 1.2 {
		t.Errorf("%+v, %v", s, err)
	}
	for _, wrong := range []map[string]any{
		{"tokens": 5}, {"overlap": 79}, {"b": 2}, {"embedding": "thyme-mini"}, {"embedding": "nonsense"},
		{"title": strings.Repeat("x", 81)}, {"k1": -1},
	} {
		if _, err := b.Client.SetShelf(t.Context(), "handbook", wrong); err == nil {
			t.Errorf("%+v is taken", wrong)
		}
	}
	// Without vectors nothing has a rank by them.
	set(t, b, map[string]any{"vector_weight": 0, "candidates": 0})
	testbed.Until(t, "vectors are left out", func() bool {
		hits := finds(t, b, "bees and wax")
		return len(hits) > 0 && hits[0].VectorRank == 0
	})
	var p *shelf.Problem
	if err := b.Shelves.EmbedNow(t.Context(), "handbook"); !errors.As(err, &p) {
		t.Errorf("embedding without a model: %v", err)
	}
}
