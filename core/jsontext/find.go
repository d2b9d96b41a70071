// Package jsontext finds JSON in what a model said: amid chatter, in a code fence,
// or slightly broken, and says what it had to mend.
//
// Models that are asked for JSON put a sentence before it, forget a comma or a
// bracket, write single quotes, comments, True and None. Find looks for every
// place where an object or a list begins, takes sound ones as they are, and
// mends the others step by step. What was mended is listed, so that whoever reads
// it can decide to ask the model again:
//
//	found, err := jsontext.Find(reply)
//	if len(found.Mended) > 0 { … }
//
// Values are as encoding/json makes them. A Schema says whether one is what was
// asked for.
package jsontext

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"regexp"
	"strings"
)

// Extraction is JSON that was found.
type Extraction struct {
	Value any // as encoding/json makes it
	// Mended lists what was wrong, in a few words each; empty if the text held
	// sound JSON.
	Mended []string
}

// ErrNone is the error of a text in which there is no object and no list.
var ErrNone = errors.New("there is no JSON object or list in it")

// longest is how much of a text is looked at.
const longest = 4 << 20

var fence = regexp.MustCompile("(?s)```[a-zA-Z0-9_-]*[ \t]*\n(.*?)(?:```|$)")

// Find returns the object or list that text holds. What is sound is preferred
// to what has to be mended, and the longer to the shorter. The error is
// ErrNone.
func Find(text string) (Extraction, error) {
	if len(text) > longest {
		return Extraction{}, fmt.Errorf("the text has %d bytes; at most %d are looked at", len(text), longest)
	}
	text = strings.TrimSpace(strings.TrimPrefix(strings.ToValidUTF8(text, "\uFFFD"), "\uFEFF"))
	if v, ok := whole(text); ok {
		return Extraction{Value: v}, nil
	}
	places := []string{text}
	for _, m := range fence.FindAllStringSubmatch(text, -1) {
		places = append(places, m[1])
		if v, ok := whole(strings.TrimSpace(m[1])); ok {
			return Extraction{Value: v}, nil
		}
	}
	// A sound piece may be all there is, or a part of a broken whole: the one
	// that holds more counts.
	sound := longestSound(text)
	best := Extraction{}
	for i := len(places) - 1; i >= 0; i-- { // what is in a fence first
		if f, ok := mend(places[i]); ok && weight(f.Value) > weight(best.Value) {
			best = f
		}
	}
	switch {
	case weighty(sound) && weight(sound) >= weight(best.Value):
		return Extraction{Value: sound}, nil
	case best.Value != nil:
		return best, nil
	}
	return Extraction{}, ErrNone
}

// whole reads text that is one object or list and nothing else.
func whole(text string) (any, bool) {
	if text == "" || text[0] != '{' && text[0] != '[' {
		return nil, false
	}
	var v any
	d := json.NewDecoder(strings.NewReader(text))
	if d.Decode(&v) != nil {
		return nil, false
	}
	if _, err := d.Token(); err != io.EOF {
		return nil, false
	}
	return v, true
}

// mostTried bounds how many beginnings are looked at.
const mostTried = 200

// longestSound returns the sound object or list that begins anywhere in text
// and holds most; nil if there is none.
func longestSound(text string) (best any) {
	for i, tried := 0, 0; i < len(text) && tried < mostTried; i++ {
		if text[i] != '{' && text[i] != '[' {
			continue
		}
		tried++
		var v any
		d := json.NewDecoder(strings.NewReader(text[i:]))
		if d.Decode(&v) != nil {
			continue
		}
		if weighty(v) && weight(v) > weight(best) {
			best = v
		}
		i += int(d.InputOffset()) - 1
	}
	return best
}

// weight is how many names and plain values a value holds.
func weight(v any) int {
	n := 0
	switch v := v.(type) {
	case nil:
	case map[string]any:
		for _, x := range v {
			n += 1 + weight(x)
		}
	case []any:
		for _, x := range v {
			n += weight(x)
		}
	default:
		n = 1
	}
	return n
}

// weighty tells data from a [1] or a {} in a sentence.
func weighty(v any) bool {
	switch v := v.(type) {
	case map[string]any:
		return len(v) > 0
	case []any:
		for _, x := range v {
			if _, isObject := x.(map[string]any); isObject {
				return true
			}
		}
		return len(v) > 1
	}
	return false
}

// encode writes a value without turning < and > into escapes.
func encode(v any) []byte {
	var b bytes.Buffer
	e := json.NewEncoder(&b)
	e.SetEscapeHTML(false)
	if e.Encode(v) != nil {
		return nil // cannot happen: it was read from JSON
	}
	return bytes.TrimSpace(b.Bytes())
}

// String writes a value as JSON.
func String(v any) string { return string(encode(v)) }
