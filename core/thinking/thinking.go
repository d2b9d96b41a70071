// Package thinking tells what a model thinks aloud from what it says, while the
// text comes in pieces.
//
//	s := thinking.NewSplitter(say, think, false)
//	s.Write([]byte("<think>The smoker first.</think>Light it with"))
//	s.Close()
//
// Models mark their thinking in a few ways (Marks). A mark counts where thinking can
// begin: at the head of the text, or at the head of a line outside fenced code.
// One that is never closed counts only at the head of the whole text; further
// down the words are the reply's own, and are given back to it.
package thinking

import "bytes"

// Mark is what stands before and after thinking.
type Mark struct{ Open, Close string }

// Marks are the ones that are known.
var Marks = []Mark{
	{"<think>", "</think>"},
	{"<thinking>", "</thinking>"},
	{"<thought>", "</thought>"},
	{"<reasoning>", "</reasoning>"},
	{"[THINK]", "[/THINK]"},
}

// Splitter hands over what is said and what is thought, as it comes. Pieces are
// whole characters if what is written is.
type Splitter struct {
	say, think func([]byte)
	in         *Mark  // the mark that is open; nil: none
	first      bool   // it was opened at the head of the text
	held       []byte // what may be the beginning of a mark
	unclosed   []byte // thought further down, which is given back if it is never closed
	said       bool   // something but space has been said
	line       []byte // what the line so far begins with, three characters at most
	fenced     bool
	trim       bool // space after a closed mark is left out
}

// NewSplitter returns a Splitter. With thinksFirst the text begins within
// thinking, without an opening mark: some servers put that into the prompt.
func NewSplitter(say, think func([]byte), thinksFirst bool) *Splitter {
	s := &Splitter{say: say, think: think}
	if thinksFirst {
		s.in, s.first = &Marks[0], true
	}
	return s
}

// Plain reports whether text can only be said: no mark is open, and none begins
// in it. It costs next to nothing for the words of most models.
func (s *Splitter) Plain(text []byte) bool {
	return s.said && s.in == nil && len(s.held) == 0 && !s.trim &&
		bytes.IndexByte(text, '<') < 0 && bytes.IndexByte(text, '[') < 0 && bytes.IndexByte(text, '`') < 0 &&
		bytes.IndexByte(text, '\n') < 0
}

// Write takes the next piece.
func (s *Splitter) Write(piece []byte) {
	if s.Plain(piece) {
		s.saying(piece)
		return
	}
	text := piece
	if len(s.held) > 0 {
		text = append(s.held, piece...)
		s.held = nil
	}
	for len(text) > 0 {
		n := s.step(text)
		if n == 0 {
			s.held = append([]byte(nil), text...)
			return
		}
		text = text[n:]
	}
}

// Close says that no more comes.
func (s *Splitter) Close() {
	if held := s.held; len(held) > 0 {
		s.held = nil
		if s.in == nil {
			s.saying(held)
		} else {
			s.thinking(held)
		}
	}
	if s.in != nil && !s.first && len(s.unclosed) > 0 {
		mark, text := s.in.Open, s.unclosed
		s.in, s.unclosed = nil, nil
		s.saying([]byte(mark))
		s.saying(text)
	}
}

// step handles the head of text and returns how much of it: 0 if more must come
// first.
func (s *Splitter) step(text []byte) int {
	if s.in != nil {
		return s.within(text)
	}
	if !s.mayBegin() {
		// Up to the next line, a mark is text.
		if i := bytes.IndexByte(text, '\n'); i >= 0 {
			s.saying(text[:i+1])
			return i + 1
		}
		s.saying(text)
		return len(text)
	}
	space := len(text) - len(bytes.TrimLeft(text, " \t\r\n"))
	if space > 0 {
		if s.said && !s.trim {
			s.saying(text[:space])
		}
		return space
	}
	for i := range Marks {
		m := &Marks[i]
		if bytes.HasPrefix(text, []byte(m.Open)) {
			s.in, s.first = m, !s.said
			return len(m.Open)
		}
		if len(text) < len(m.Open) && bytes.HasPrefix([]byte(m.Open), text) {
			return 0
		}
	}
	s.trim = false
	n := len(text)
	if i := bytes.IndexByte(text, '\n'); i >= 0 {
		n = i + 1
	}
	s.saying(text[:n])
	return n
}

// mayBegin reports whether a mark would count here.
func (s *Splitter) mayBegin() bool {
	return !s.said || !s.fenced && len(bytes.TrimSpace(s.line)) == 0
}

// within handles the head of what is thought.
func (s *Splitter) within(text []byte) int {
	closing := []byte(s.in.Close)
	if i := bytes.Index(text, closing); i >= 0 {
		s.thinking(text[:i])
		if len(s.unclosed) > 0 {
			s.unclosed = nil
		}
		s.in, s.trim = nil, true
		return i + len(closing)
	}
	// The end may be the beginning of the closing mark.
	for n := min(len(closing)-1, len(text)); n > 0; n-- {
		if bytes.HasSuffix(text, closing[:n]) {
			s.thinking(text[:len(text)-n])
			return len(text) - n
		}
	}
	s.thinking(text)
	return len(text)
}

func (s *Splitter) thinking(text []byte) {
	if len(text) == 0 {
		return
	}
	if !s.first {
		s.unclosed = append(s.unclosed, text...)
	}
	s.think(text)
}

func (s *Splitter) saying(text []byte) {
	if len(text) == 0 {
		return
	}
	s.trim = false
	if !s.said && len(bytes.TrimSpace(text)) > 0 {
		s.said = true
	}
	s.follow(text)
	s.say(text)
}

// follow keeps track of lines and fenced code.
func (s *Splitter) follow(text []byte) {
	for len(text) > 0 {
		i := bytes.IndexByte(text, '\n')
		part := text
		if i >= 0 {
			part = text[:i]
		}
		if room := 3 - len(s.line); room > 0 {
			if len(s.line) == 0 {
				part = bytes.TrimLeft(part, " \t")
			}
			s.line = append(s.line, part[:min(room, len(part))]...)
			if string(s.line) == "```" || string(s.line) == "~~~" {
				s.fenced = !s.fenced
			}
		}
		if i < 0 {
			return
		}
		s.line = s.line[:0]
		text = text[i+1:]
	}
}
