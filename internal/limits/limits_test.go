package limits

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"juvalogos/internal/fair"
)

func asking(t *testing.T, address, visitor string) context.Context {
	return fair.With(t.Context(), fair.Party{Address: address, Visitor: visitor})
}

var one = Amounts{Questions: 1}

func TestAVisitorsQuestions(t *testing.T) {
	now := time.Unix(0, 0)
	table := NewTable(Defaults, func() time.Time { return now })
	for range 20 {
		if _, err := table.Reserve(asking(t, "192.0.2.1", "a"), "d", one); err != nil {
			t.Fatal(err)
		}
	}
	_, err := table.Reserve(asking(t, "192.0.2.1", "a"), "d", one)
	var over *Exceeded
	if !errors.As(err, &over) || over.Seconds() != 3 || !strings.Contains(err.Error(), "again in 3 seconds") {
		t.Fatalf("the 21st: %v", err)
	}
	if _, err := table.Reserve(asking(t, "192.0.2.1", "b"), "d", one); err != nil {
		t.Errorf("another visitor: %v", err)
	}
	now = now.Add(3 * time.Second)
	r, err := table.Reserve(asking(t, "192.0.2.1", "a"), "d", one)
	if err != nil {
		t.Fatalf("when it was said: %v", err)
	}
	if _, err := table.Reserve(asking(t, "192.0.2.1", "a"), "d", one); err == nil {
		t.Error("one too many")
	}
	r.Undo()
	r.Undo()
	if _, err := table.Reserve(asking(t, "192.0.2.1", "a"), "d", one); err != nil {
		t.Errorf("what did not happen counts: %v", err)
	}
	refused := table.Refusals()
	if len(refused) != 1 || refused[0].Times != 2 || refused[0].Parties != 1 || refused[0].Desk != "d" {
		t.Errorf("refusals: %+v", refused)
	}
}

// Without a cookie every question comes from a new visitor: the address counts.
func TestNoCookieIsNoWayRound(t *testing.T) {
	now := time.Unix(0, 0)
	table := NewTable(Defaults, func() time.Time { return now })
	asked := 0
	for i := range 1000 {
		if _, err := table.Reserve(asking(t, "192.0.2.1", fmt.Sprint(i)), "d", one); err == nil {
			asked++
		}
	}
	if asked != 240 {
		t.Errorf("%d of 1000", asked)
	}
	if _, err := table.Reserve(asking(t, "192.0.2.2", "z"), "d", one); err != nil {
		t.Errorf("another address: %v", err)
	}
}

func TestWhatIsHeldAtOnce(t *testing.T) {
	table := NewTable(Defaults, nil)
	var held []*Reservation
	for range 4 {
		r, err := table.Reserve(asking(t, "192.0.2.1", "a"), "d", Amounts{AtOnce: 1})
		if err != nil {
			t.Fatal(err)
		}
		held = append(held, r)
	}
	if _, err := table.Reserve(asking(t, "192.0.2.1", "a"), "d", Amounts{AtOnce: 1}); err == nil ||
		!strings.Contains(err.Error(), "4 of your replies") {
		t.Errorf("the fifth: %v", err)
	}
	held[0].Done()
	held[0].Done()
	if _, err := table.Reserve(asking(t, "192.0.2.1", "a"), "d", Amounts{AtOnce: 1}); err != nil {
		t.Error(err)
	}
	if _, err := table.Reserve(asking(t, "192.0.2.1", "a"), "d", Amounts{AtOnce: 1}); err == nil {
		t.Error("what was given back twice counts twice")
	}
}

func TestBytesAreTakenAfterwards(t *testing.T) {
	now := time.Unix(0, 0)
	table := NewTable(Defaults, func() time.Time { return now })
	ctx := asking(t, "192.0.2.1", "a")
	for n := range 2 {
		r, err := table.Reserve(ctx, "d", Amounts{UploadBytes: 0})
		if err != nil {
			t.Fatalf("upload %d: %v", n, err)
		}
		r.Take(UploadBytes, 900<<20)
		r.Done()
	}
	if _, err := table.Reserve(ctx, "d", Amounts{UploadBytes: 0}); err == nil {
		t.Error("1.8 GB in an hour are allowed")
	}
	now = now.Add(time.Hour)
	if _, err := table.Reserve(ctx, "d", Amounts{UploadBytes: 0}); err != nil {
		t.Errorf("an hour later: %v", err)
	}
}

func TestProgramsAndTheServiceItself(t *testing.T) {
	table := NewTable(Defaults, nil)
	for range 500 {
		if _, err := table.Reserve(fair.With(t.Context(), ProgramParty("measure")), "d", one); err != nil {
			t.Fatal(err)
		}
		if _, err := table.Reserve(t.Context(), "", one); err != nil {
			t.Fatal(err)
		}
	}
	if r, err := (*Table)(nil).Reserve(t.Context(), "d", one); r != nil || err != nil {
		t.Error("no table bounds something")
	}
}

func TestParse(t *testing.T) {
	all, err := Parse("questions.visitor=5/1h, at-once.visitor=2,uploads.address=off")
	if err != nil {
		t.Fatal(err)
	}
	text := fmt.Sprint(all)
	if !strings.Contains(text, "questions.visitor=5/1h ") || !strings.Contains(text, "at-once.visitor=2 ") ||
		strings.Contains(text, "uploads.address") || len(all) != len(Defaults)-1 {
		t.Error(text)
	}
	if none, err := Parse("off"); err != nil || none != nil {
		t.Errorf("off: %v %v", none, err)
	}
	for _, c := range []struct{ text, says string }{
		{"question.visitor=1", "there are: questions.visitor"}, {"questions.visitor=x", "whole number"},
		{"questions.visitor=0", "whole number"}, {"questions.visitor=3/day", "like 1m"},
		{"at-once.visitor=3/1m", "leave out /1m"},
	} {
		if _, err := Parse(c.text); err == nil || !strings.Contains(err.Error(), c.says) {
			t.Errorf("%s: %v", c.text, err)
		}
	}
}

// However many come, what is remembered of them stays bounded, and what is held
// is not forgotten.
func TestCountsAreForgotten(t *testing.T) {
	now := time.Unix(0, 0)
	table := NewTable(Defaults, func() time.Time { return now })
	held, err := table.Reserve(asking(t, "192.0.2.1", "holder"), "d", Amounts{AtOnce: 1})
	if err != nil {
		t.Fatal(err)
	}
	for i := range 3 * mostCounted {
		now = now.Add(time.Millisecond)
		_, _ = table.Reserve(asking(t, fmt.Sprint(i), fmt.Sprint(i)), "d", Amounts{Questions: 1})
	}
	if len(table.counts) > mostCounted+2 {
		t.Errorf("%d counts", len(table.counts))
	}
	for range 3 {
		if _, err := table.Reserve(asking(t, "192.0.2.1", "holder"), "d", Amounts{AtOnce: 1}); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := table.Reserve(asking(t, "192.0.2.1", "holder"), "d", Amounts{AtOnce: 1}); err == nil {
		t.Error("what was held was forgotten")
	}
	held.Done()
}
