package shelf

import (
	"fmt"
	"testing"
	"time"

	"juvalogos/core/retrieval"
)

// Where conversations' shelves are very many together, those asked for longest ago are
// put away; makers' shelves never are, nor is the one that is in use.
func TestShelvesOfConversationsArePutAway(t *testing.T) {
	now := time.Unix(1_000_000, 0)
	l := &indexes{common: &common{Options: Options{Now: func() time.Time { return now }}}, live: map[int64]*live{}}
	var entries []retrieval.Entry
	for i := range mostAttachedPassages/2 - 10 {
		entries = append(entries, retrieval.Entry{Document: 1, Number: i, Text: fmt.Sprint("hive ", i)})
	}
	full := func(private bool, ago time.Duration) *live {
		v := &live{index: retrieval.New(), private: private, used: now.Add(-ago)}
		v.index.Add(entries)
		return v
	}
	l.live[1], l.live[2], l.live[3] = full(true, time.Minute), full(true, 2*time.Minute), full(true, 3*time.Minute)
	l.live[4], l.live[5] = full(false, time.Hour), &live{index: retrieval.New(), private: true,
		used: now.Add(-time.Hour)}
	l.putAway()
	for id, want := range map[int64]bool{1: true, 2: true, 3: false, 4: true, 5: false} {
		if _, there := l.live[id]; there != want {
			t.Errorf("shelf %d is there: %v", id, there)
		}
	}
}
