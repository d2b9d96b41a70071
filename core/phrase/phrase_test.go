package phrase

import (
	"encoding/json"
	"errors"
	"fmt"
	"reflect"
	"testing"
)

// What a phrase says is what package fmt makes of the same form.
func TestSaysWhatFmtSays(t *testing.T) {
	for _, c := range []struct {
		form   string
		values []any
		want   string // the form
	}{
		{"it is empty", nil, "it is empty"},
		{"it has %d MB; up to %d MB are read", []any{120, 100}, "it has {1} MB; up to {2} MB are read"},
		{"%q is no %s", []any{"x\"y", "number"}, "{1} is no {2}"},
		{"%.1f of 100 %%: %v", []any{3.14159, errors.New("broken {1}")}, "{1} of 100 %: {2}"},
		{"%s%s", []any{"{2}", "b"}, "{1}{2}"},
		{"line %03d", []any{7}, "line {1}"},
	} {
		p := Of(c.form, c.values...)
		if want := fmt.Sprintf(c.form, c.values...); p.String() != want || p.Form != c.want {
			t.Errorf("%q: %q of %q, want %q of %q", c.form, p, p.Form, want, c.want)
		}
	}
}

func TestSentence(t *testing.T) {
	for in, want := range map[string]string{
		"it is empty": "It is empty.", "ß": "ß.", "PDFs cannot": "PDFs cannot.", "über alles": "Über alles.",
		"Done.": "Done.", "": "", "{1} is missing": "{1} is missing.",
	} {
		if got := (Phrase{Form: in}).Sentence(); got.Form != want {
			t.Errorf("%q became %q", in, got.Form)
		}
	}
}

// A phrase comes back from JSON as it went, and one that says nothing is {}.
func TestJSON(t *testing.T) {
	for _, p := range []Phrase{{}, Of("it is empty"), Of("%d of %d", 1, 2)} {
		written, err := json.Marshal(p)
		var read Phrase
		if err != nil || json.Unmarshal(written, &read) != nil || !reflect.DeepEqual(p, read) {
			t.Errorf("%v became %s and %v", p, written, read)
		}
		if p.IsZero() != (string(written) == "{}") {
			t.Errorf("%s", written)
		}
	}
}

// What an error says is found through what wraps it.
func TestErrors(t *testing.T) {
	err := fmt.Errorf("read: %w", Errorf("“%s” is missing", "Hives"))
	if p := OfError(err); p.Form != "“{1}” is missing" || p.String() != "“Hives” is missing" {
		t.Errorf("%+v", p)
	}
	if p := OfError(errors.New("plain")); p.String() != "plain" || p.With != nil {
		t.Errorf("%+v", p)
	}
	if err.Error() != "read: “Hives” is missing" {
		t.Error(err)
	}
}
