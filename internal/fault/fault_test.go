package fault

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"github.com/jackc/pgx/v5/pgconn"
	"log/slog"
	"regexp"
	"strings"
	"testing"

	"juvalogos/internal/record"
)

// Every sentence is one: it begins with a capital letter, ends, and holds no
// word that only we know.
func TestSentences(t *testing.T) {
	jargon := regexp.MustCompile(`(?i)\b(token|http|json|database|postgres|stream|null|nil|error)\b`)
	for code, s := range sentences {
		if s[0] < 'A' || s[0] > 'Z' || !strings.HasSuffix(s, ".") || jargon.MatchString(s) {
			t.Errorf("%s: %q", code, s)
		}
	}
	if Sentence("never heard of").String() != sentences[Unexpected] {
		t.Error("a code without a sentence has none")
	}
}

// What stands behind a problem goes to the log under its id, and nowhere else.
func TestCausesGoToTheLog(t *testing.T) {
	var written bytes.Buffer
	log := slog.New(slog.NewTextHandler(&written, nil))
	cause := errors.New("dial 10.0.0.7: secret-host refused")
	p := New(NoRecords, cause)
	if strings.Contains(p.Sentence.String(), "secret-host") || p.ID == "" || !errors.Is(p, cause) {
		t.Errorf("%+v", p)
	}
	if err := Logged(log, "ask", fmt.Errorf("wrapped: %w", p)); !errors.Is(err, cause) {
		t.Errorf("got %v", err)
	}
	if !strings.Contains(written.String(), p.ID) || !strings.Contains(written.String(), "secret-host") {
		t.Errorf("the log has %s", written.String())
	}
	written.Reset()
	_ = Logged(log, "ask", Plain(Empty))
	_ = Logged(log, "ask", errors.New("no problem of ours"))
	if written.Len() > 0 {
		t.Errorf("nothing stands behind it, and the log has %s", written.String())
	}
}

// What is not there is told from records that cannot be reached.
func TestNotFound(t *testing.T) {
	log := slog.New(slog.DiscardHandler)
	if err := NotFound(log, NoTurn, nil); err != nil {
		t.Errorf("nothing became %v", err)
	}
	for err, want := range map[error]Code{
		fmt.Errorf("turn: %w", record.ErrNotFound): NoTurn, errors.New("connection reset"): NoRecords,
	} {
		var p *Problem
		if got := NotFound(log, NoTurn, err); !errors.As(got, &p) || p.Code != want {
			t.Errorf("%v became %v", err, got)
		}
	}
}

// Ids can be read out, and do not repeat.
func TestIDs(t *testing.T) {
	seen := map[string]bool{}
	for range 1000 {
		id := NewID()
		if !regexp.MustCompile(`^[a-z2-7]{4}-[a-z2-7]{4}$`).MatchString(id) || seen[id] {
			t.Fatalf("%q", id)
		}
		seen[id] = true
	}
}

func TestSay(t *testing.T) {
	p := Say(Exists, "There is a desk %q already.", "bees")
	if p.Sentence.String() != `There is a desk "bees" already.` || p.Code != Exists || p.ID != "" {
		t.Errorf("%+v", p)
	}
}

// What whoever asked can put right alone has no id to report.
func TestOwnMistakesHaveNoID(t *testing.T) {
	for code, reported := range map[Code]bool{
		Empty: false, QuestionLong: false, NotOffered: false, "too-long": false, StillWriting: false,
		NoRecords: true, Unexpected: true, StepFailed: true, "busy": true, "garbled": true,
	} {
		if p := New(code, errors.New("x")); (p.ID != "") != reported {
			t.Errorf("%s has the id %q", code, p.ID)
		}
	}
}

func TestUnkept(t *testing.T) {
	for err, want := range map[error]bool{
		&pgconn.PgError{Code: "53100"}:                            true,
		fmt.Errorf("keep: %w", &pgconn.PgError{Code: "25006"}):    true,
		&pgconn.PgError{Code: "23505"}:                            false,
		fmt.Errorf("ask the model: %w", context.DeadlineExceeded): false,
		errors.New("anything else"):                               false,
	} {
		if got := Unkept(err); got != want {
			t.Errorf("%v: %v", err, got)
		}
	}
}
