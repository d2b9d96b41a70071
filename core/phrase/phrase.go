// Package phrase holds what is said to people in two parts: the form of a
// sentence, which is constant, and the values that stand in it. Together they
// are the sentence in English; whoever shows it in another language looks the
// form up in its own catalogue and puts the same values there, in whatever
// order that language wants them.
//
//	p := phrase.Of("it has %d pages; up to %d are read", 4000, 3000)
//	fmt.Println(p)      // it has 4000 pages; up to 3000 are read
//	fmt.Println(p.Form) // it has {1} pages; up to {2} are read
//
// A phrase is kept and sent as JSON; the console's catalogue in
// console/src/words lists the forms that a visitor can meet, and a test holds
// both to be the same.
package phrase

import (
	"errors"
	"fmt"
	"regexp"
	"strconv"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Phrase is something to be said. The zero Phrase says nothing.
type Phrase struct {
	// Form has {1}, {2} … where the values stand.
	Form string `json:"form,omitempty"`
	// With are the values, as they are written.
	With []string `json:"with,omitempty"`
}

// verb is where a value stands in a form as package fmt has it, or a percent
// sign.
var verb = regexp.MustCompile(`%[-+# 0]*[0-9.]*[a-zA-Z%]`)

// Of is a phrase of a form as package fmt has it, whose verbs take the values
// in their order.
func Of(form string, values ...any) Phrase {
	var p Phrase
	p.Form = verb.ReplaceAllStringFunc(form, func(v string) string {
		if v == "%%" {
			return "%"
		}
		n := len(p.With)
		if n == len(values) {
			return v // vet finds it before anyone else does
		}
		p.With = append(p.With, fmt.Sprintf(v, values[n]))
		return "{" + strconv.Itoa(n+1) + "}"
	})
	return p
}

// String is the phrase as it is said.
func (p Phrase) String() string {
	if len(p.With) == 0 {
		return p.Form
	}
	pairs := make([]string, 0, 2*len(p.With))
	for i, value := range p.With {
		pairs = append(pairs, "{"+strconv.Itoa(i+1)+"}", value)
	}
	return strings.NewReplacer(pairs...).Replace(p.Form)
}

// IsZero reports whether the phrase says nothing.
func (p Phrase) IsZero() bool { return p.Form == "" }

// Sentence is a phrase that stands alone: it begins with a capital letter,
// unless it begins with a value, and ends with a full stop.
func (p Phrase) Sentence() Phrase {
	if p.IsZero() {
		return p
	}
	first, size := utf8.DecodeRuneInString(p.Form)
	return Phrase{string(unicode.ToUpper(first)) + strings.TrimSuffix(p.Form[size:], ".") + ".", p.With}
}

// Error is an error that can be said to people.
type Error struct{ Phrase }

func (e *Error) Error() string { return e.String() }

// Errorf is an error that says what Of makes of a form and its values.
func Errorf(form string, values ...any) error { return &Error{Of(form, values...)} }

// OfError is what an error says to people: its phrase if it is an *Error, else
// its text.
func OfError(err error) Phrase {
	var e *Error
	if errors.As(err, &e) {
		return e.Phrase
	}
	return Phrase{Form: err.Error()}
}
