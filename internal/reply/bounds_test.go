package reply

import (
	"bytes"
	"context"
	"errors"
	"log/slog"
	"testing"
	"time"
	"unicode/utf8"

	"juvalogos/core/deskfile"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/internal/models"
)

// endless is a model that never ends: it says a word again and again, or nothing
// at all, until it is stopped.
type endless struct {
	models.Client
	word string
	said *int
}

func (e endless) Generate(ctx context.Context, _ models.Request, to models.Sink) (models.Result, error) {
	for ctx.Err() == nil {
		if e.word == "" {
			<-ctx.Done()
			break
		}
		*e.said += len(e.word)
		to.Text([]byte(e.word))
	}
	return models.Result{}, context.Cause(ctx)
}

func askEndless(t *testing.T, c models.Connection, word string, tokens int) (*recipe.ModelCall, []byte, int, error) {
	t.Helper()
	said := 0
	c.Name, c.Protocol, c.Address = "wild", "wild", "http://127.0.0.1:1"
	c.Models = []models.Model{{Name: "brook", Can: []string{"chat"}, Context: 4096}}
	registry := models.Open(models.File{Connections: []models.Connection{c}}, map[string]models.Protocol{
		"wild": func(models.Connection, models.Secret) (models.Client, error) {
			return endless{word: word, said: &said}, nil
		}})
	entry, err := registry.Find("brook")
	if err != nil {
		t.Fatal(err)
	}
	counter, err := entry.Counter()
	if err != nil {
		t.Fatal(err)
	}
	service := &Service{Options: Options{Now: time.Now, Retry: models.Retry{Tries: 1},
		Log: slog.New(slog.DiscardHandler)}}
	var got bytes.Buffer
	call, err := asker{service, &entry, counter, nil}.Ask(t.Context(),
		steps.Ask{Sampling: deskfile.Sampling{MaxTokens: tokens}}, func(b []byte) { got.Write(b) })
	return call, got.Bytes(), said, err
}

// A reply that does not end is cut off at what was asked for, with slack, or at
// the connection's bound, between letters, and ends like one that is too long.
func TestEndlessRepliesAreCutOff(t *testing.T) {
	for _, c := range []struct {
		most, tokens, want int
	}{
		{0, 1000, 32_000}, {0, 10, 4 << 10}, {0, 0, models.DefaultMostText}, {50_000, 0, 50_000},
		{50_000, 1000, 32_000},
		{50_000, 1 << 30, 50_000},
	} {
		call, got, said, err := askEndless(t, models.Connection{MostText: c.most}, "höney ☃ ", c.tokens)
		if err != nil || call.Finish != "length" || !utf8.Valid(got) || string(got) != call.Answer ||
			len(got) > c.want || len(got) < c.want-utf8.UTFMax {
			t.Errorf("%+v: %d bytes, finish %q, %v", c, len(got), call.Finish, err)
		}
		if said > c.want+64 {
			t.Errorf("%+v: %d bytes were taken", c, said)
		}
	}
}

// One that says nothing for ever ends by the clock, and is told to have taken too
// long.
func TestEndlessWaitingEnds(t *testing.T) {
	call, got, _, err := askEndless(t, models.Connection{Longest: 30 * time.Millisecond}, "", 0)
	if !errors.Is(err, recipe.ErrLate) || len(got) > 0 || call.Error == "" {
		t.Errorf("%v, %q", err, call.Error)
	}
	if p := explain(err); p.Code != "too-late" {
		t.Errorf("told as %s", p.Code)
	}
}

func TestWholeRunes(t *testing.T) {
	for text, want := range map[string]string{"": "", "a": "a", "é": "é", "é"[:1]: "", "a☃"[:3]: "a", "a☃": "a☃",
		"\xff":   "\xff",
		"x😀"[:4]: "x"} {
		if got := wholeRunes([]byte(text)); string(got) != want {
			t.Errorf("%q: %q", text, got)
		}
	}
}
