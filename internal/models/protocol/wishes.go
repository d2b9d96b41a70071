package protocol

import (
	"bytes"
	"context"
	"errors"

	"juvalogos/core/jsontext"
	"juvalogos/core/prompt"
	"juvalogos/core/thinking"
	"juvalogos/internal/models"
)

// wishes hold a reply to what was asked for, where the other side may not: they cut
// it at stop words and at its longest, tell thinking from speech, and put characters
// together that came in two.
type wishes struct {
	to      models.Sink
	end     context.CancelCauseFunc // ends the asking
	stop    []string
	most    int // tokens; 0: any number
	count   prompt.Counter
	tokens  int
	letters jsontext.Joiner
	split   *thinking.Splitter
	held    []byte // may be the beginning of a stop word
	said    bool
	thought bool
	cut     string // how it was cut, in the protocol's word; "": it was not
}

// errCut ends the asking of a reply that is as long as it may be.
var errCut = errors.New("the reply is as long as it may be")

// slack is by how much more than was asked for a reply may be long before it is cut:
// we count on the safe side, and the other side counts for itself.
const slack = 3 // halves

func newWishes(r models.Request, to models.Sink, end context.CancelCauseFunc) (*wishes, error) {
	count, err := prompt.NewCounter("")
	if err != nil {
		return nil, err
	}
	w := &wishes{to: to, end: end, stop: r.Sampling.Stop, most: r.Sampling.MaxTokens * slack / 2, count: count}
	w.split = thinking.NewSplitter(w.say, w.think, r.Manners != nil && r.Manners.ThinksFirst)
	return w, nil
}

// write takes a piece of the reply.
func (w *wishes) write(piece []byte) {
	if text := w.letters.Join(piece); len(text) > 0 && w.cut == "" {
		w.split.Write(text)
	}
}

func (w *wishes) think(text []byte) {
	w.thought = true
	if w.to.Thought != nil && w.cut == "" {
		w.to.Thought(text)
	}
}

func (w *wishes) say(text []byte) {
	if w.cut != "" {
		return
	}
	if len(w.stop) > 0 {
		text = append(w.held, text...)
		w.held = nil
		for _, s := range w.stop {
			if i := bytes.Index(text, []byte(s)); i >= 0 && s != "" {
				text, w.cut = text[:i], "stop"
			}
		}
		if w.cut == "" {
			n := w.beginning(text)
			w.held = append([]byte(nil), text[len(text)-n:]...)
			text = text[:len(text)-n]
		}
	}
	w.hand(text)
	if w.cut != "" {
		w.end(errCut)
	}
}

// beginning is how much of the end of text may be the beginning of a stop word.
func (w *wishes) beginning(text []byte) (most int) {
	for _, s := range w.stop {
		for n := min(len(s)-1, len(text)); n > most; n-- {
			if bytes.HasSuffix(text, []byte(s[:n])) {
				most = n
				break
			}
		}
	}
	return most
}

func (w *wishes) hand(text []byte) {
	if len(text) == 0 {
		return
	}
	w.said = true
	if w.most > 0 {
		n := w.count.Count(string(text))
		if w.tokens+n > w.most {
			text = []byte(prompt.Cut(w.count, string(text), w.most-w.tokens))
			w.cut = "length"
		}
		w.tokens += n
	}
	if w.to.Text != nil {
		w.to.Text(text)
	}
}

// close hands over what was held back.
func (w *wishes) close() {
	if rest := w.letters.Rest(); rest != nil {
		w.split.Write(rest)
	}
	w.split.Close()
	if w.cut == "" {
		w.hand(w.held)
	}
}
