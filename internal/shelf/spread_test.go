package shelf

import (
	"testing"

	"juvalogos/core/retrieval"
	"juvalogos/internal/record"
)

// A long document does not take all the room, unless the others have nothing to say.
func TestSpread(t *testing.T) {
	match := func(document int64, score float64) Match {
		return Match{Document: record.Document{ID: document}, Hit: retrieval.Hit{Score: score}}
	}
	order := func(all []Match) (documents string) {
		for _, m := range all {
			documents += string(rune('0' + m.Document.ID))
		}
		return documents
	}
	for _, c := range []struct {
		all  []Match
		want string
	}{
		{[]Match{match(1, 10), match(1, 9), match(1, 8), match(1, 7),
			match(1, 6), match(2, 5), match(3, 4)}, "1112311"},
		{[]Match{match(1, 10), match(1, 9), match(1, 8), match(1, 7),
			match(1, 6), match(2, 2), match(3, 1)}, "1111123"},
		{[]Match{match(1, 10), match(2, 9), match(1, 8)}, "121"},
	} {
		if got := order(spread(c.all, 5)); got != c.want {
			t.Errorf("%s, not %s", got, c.want)
		}
	}
}
