// Package terminal sets replies for a terminal while they are written: wrapped
// at words, with emphasis, code and headings in the terminal's own styles.
package terminal

import (
	"io"
	"strings"
	"unicode/utf8"
)

// Styles of ECMA-48, 8.3.117.
const (
	bold, notBold     = "\x1b[1m", "\x1b[22m"
	italic, notItalic = "\x1b[3m", "\x1b[23m"
	dim               = "\x1b[2m" // ends like bold
)

// Writer takes Markdown piece by piece. Close it at the end of a reply.
type Writer struct {
	out   io.Writer
	width int

	line   kind
	fresh  bool // nothing of the line has been written
	inCode bool
	column int
	indent int    // of the lines that a wrapped line goes on with
	gap    string // spaces before the next word
	word   strings.Builder

	isBold, isItalic, isMono bool
	err                      error
}

// kind is how the rest of a line is treated.
type kind int

const (
	prose kind = iota
	raw        // as it is: code and tables
	heading
)

// NewWriter wraps at width columns; 0 wraps nowhere.
func NewWriter(out io.Writer, width int) *Writer { return &Writer{out: out, width: width, fresh: true} }

// Write takes the next piece of a reply.
func (w *Writer) Write(text string) error {
	for _, r := range Harmless(text) {
		switch {
		case r == '\n':
			w.endLine()
		case w.line == raw && !w.fresh:
			w.put(string(r))
		case r == ' ' && w.word.Len() == 0:
			w.gap += " "
		case r == ' ':
			w.endWord()
			if w.gap = " "; w.line == raw {
				w.put(w.gap)
			}
		default:
			w.word.WriteRune(r)
		}
	}
	return w.err
}

// Close writes what is left and ends styles and line.
func (w *Writer) Close() error {
	if w.word.Len() > 0 || w.column > 0 {
		w.endLine()
	}
	return w.err
}

func (w *Writer) endLine() {
	w.endWord()
	if w.line == heading || w.line == raw {
		w.put(notBold)
	}
	w.put("\n")
	w.line, w.fresh, w.column, w.indent, w.gap = prose, true, 0, 0, ""
}

// endWord writes the word that has come to its end, on the next line if it does
// not fit on this one.
func (w *Writer) endWord() {
	if w.word.Len() == 0 {
		return
	}
	word := w.word.String()
	w.word.Reset()
	if w.fresh && w.begin(word) {
		return
	}
	styled, length := w.style(word)
	if w.width > 0 && w.column > w.indent && w.column+len(w.gap)+length > w.width {
		w.put("\n" + strings.Repeat(" ", w.indent))
		w.column, w.gap = w.indent, ""
	}
	w.put(w.gap + styled)
	w.column += len(w.gap) + length
	w.gap = ""
}

// begin looks at a line's first word. It reports whether it has dealt with it.
func (w *Writer) begin(word string) bool {
	w.fresh = false
	switch {
	case strings.HasPrefix(word, "```"):
		w.inCode = !w.inCode
		w.line = raw
	case w.inCode, strings.HasPrefix(word, "|"):
		w.line = raw
	case strings.Trim(word, "#") == "" && len(word) <= 6:
		w.line = heading
		w.put(bold)
		return true
	case strings.Contains("-*+>", word) || strings.HasSuffix(word, ".") && strings.Trim(word, "0123456789") == ".":
		w.put(w.gap + word)
		w.column = len(w.gap) + len(word)
		w.indent, w.gap = w.column+1, ""
		return true
	}
	if w.line == raw {
		if !strings.HasPrefix(word, "|") {
			w.put(dim)
		}
		w.put(w.gap + word)
		w.column, w.gap = 1, ""
		return true
	}
	return false
}

// style turns marks into styles and returns the word's visible length.
func (w *Writer) style(word string) (styled string, length int) {
	var b strings.Builder
	for len(word) > 0 {
		switch {
		case strings.HasPrefix(word, "`"):
			w.isMono = !w.isMono
			b.WriteString(pick(w.isMono, dim, notBold))
			word = word[1:]
		case w.isMono:
			word, length = take(&b, word, length)
		case strings.HasPrefix(word, "**"):
			w.isBold = !w.isBold
			b.WriteString(pick(w.isBold, bold, notBold))
			word = word[2:]
		case strings.HasPrefix(word, "*"):
			w.isItalic = !w.isItalic
			b.WriteString(pick(w.isItalic, italic, notItalic))
			word = word[1:]
		default:
			word, length = take(&b, word, length)
		}
	}
	return b.String(), length
}

func take(b *strings.Builder, word string, length int) (string, int) {
	r, size := utf8.DecodeRuneInString(word)
	b.WriteRune(r)
	return word[size:], length + 1
}

func pick(yes bool, a, b string) string {
	if yes {
		return a
	}
	return b
}

func (w *Writer) put(text string) {
	if w.err == nil && text != "" {
		_, w.err = io.WriteString(w.out, text)
	}
}
