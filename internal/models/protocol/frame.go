package protocol

import (
	"bytes"
	"unicode/utf8"
)

// frame is what the events of a stream have in common: servers send the same
// JSON around each piece of text. Once it has been learnt from an event that
// was parsed whole, the text of the next one is found by comparing what is
// around it, at a fraction of a parser's cost. Whatever differs is parsed.
type frame struct{ before, after []byte }

var contentKey = []byte(`"content":"`)

// learn remembers the frame of an event that was parsed and found to hold text
// and, if plain, nothing else of interest. An event that shows no frame leaves
// the one before: what fits it is read rightly all the same.
func (f *frame) learn(event, text []byte, plain bool) {
	at := bytes.Index(event, contentKey)
	if !plain || at < 0 || bytes.Count(event, contentKey) != 1 {
		return
	}
	start := at + len(contentKey)
	end := start + len(text)
	// Only a text that stands in the event as it is shows where it ends.
	if end >= len(event) || event[end] != '"' || !bytes.Equal(event[start:end], text) {
		return
	}
	f.before = append(f.before[:0], event[:start]...)
	f.after = append(f.after[:0], event[end:]...)
}

// text returns the text of an event that has the learnt frame and a text
// without escapes.
func (f *frame) text(event []byte) ([]byte, bool) {
	n := len(event) - len(f.before) - len(f.after)
	if len(f.before) == 0 || n <= 0 || !bytes.HasPrefix(event, f.before) || !bytes.HasSuffix(event, f.after) {
		return nil, false
	}
	text := event[len(f.before) : len(f.before)+n]
	for _, b := range text {
		if b == '"' || b == '\\' || b < 0x20 {
			return nil, false
		}
	}
	return text, utf8.Valid(text)
}
