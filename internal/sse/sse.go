// Package sse reads and writes event streams (text/event-stream, as the HTML
// standard defines them).
package sse

import (
	"bufio"
	"bytes"
	"errors"
	"io"
)

// LongestLine is the most bytes of one line that Reader accepts.
const LongestLine = 4 << 20

// ErrLongLine is returned for a line of more than LongestLine bytes.
var ErrLongLine = errors.New("event stream: a line is too long")

// Event is one event. Its slices are valid until the next call of Next.
type Event struct {
	Name, ID, Data []byte
}

// Reader reads events from a stream. A stream of ordinary tokens is read
// without an allocation per event.
type Reader struct {
	src      *bufio.Reader
	long     []byte
	name, id []byte
	data     []byte
	afterCR  bool // a line has ended with CR; an LF that follows belongs to it
}

// NewReader returns a Reader of r.
func NewReader(r io.Reader) *Reader { return &Reader{src: bufio.NewReaderSize(r, 1<<10)} }

// Next returns the next event that has data. At the end of the stream it
// returns io.EOF; an event that the end cut off is dropped, as the standard
// wants. The error is io.EOF after the last whole event, or the reader's.
func (r *Reader) Next() (Event, error) {
	r.name, r.id, r.data = r.name[:0], r.id[:0], r.data[:0]
	seen := false
	for {
		line, err := r.line()
		if err != nil {
			return Event{}, err
		}
		if len(line) == 0 {
			if seen {
				return Event{r.name, r.id, r.data}, nil
			}
			r.name = r.name[:0]
			continue
		}
		field, value, _ := bytes.Cut(line, []byte{':'})
		value = bytes.TrimPrefix(value, []byte{' '})
		switch string(field) {
		case "data":
			if seen {
				r.data = append(r.data, '\n')
			}
			r.data = append(r.data, value...)
			seen = true
		case "event":
			r.name = append(r.name[:0], value...)
		case "id":
			r.id = append(r.id[:0], value...)
		}
	}
}

// line returns the next line without its end, which is LF, CR LF or CR.
func (r *Reader) line() ([]byte, error) {
	long := false
	for {
		buffered, err := r.src.Peek(max(1, r.src.Buffered()))
		if err != nil {
			if err == io.EOF && long && len(r.long) > 0 {
				return nil, io.ErrUnexpectedEOF
			}
			return nil, err
		}
		if r.afterCR && buffered[0] == '\n' {
			r.afterCR = false
			_, _ = r.src.Discard(1)
			continue
		}
		r.afterCR = false
		end := endOfLine(buffered)
		line := buffered
		if end >= 0 {
			line = buffered[:end]
		}
		if !long {
			r.long = r.long[:0]
		}
		if len(r.long)+len(line) > LongestLine {
			return nil, ErrLongLine
		}
		if end < 0 || long {
			long = true
			r.long = append(r.long, line...)
		}
		if end < 0 {
			_, _ = r.src.Discard(len(line))
			continue
		}
		r.afterCR = buffered[end] == '\r'
		_, _ = r.src.Discard(end + 1) // what was peeked at stays until the next read
		if long {
			return r.long, nil
		}
		return line, nil
	}
}

// endOfLine is where a line ends; -1 if it does not end here.
func endOfLine(b []byte) int {
	lf := bytes.IndexByte(b, '\n')
	if lf >= 0 {
		b = b[:lf]
	}
	if cr := bytes.IndexByte(b, '\r'); cr >= 0 {
		return cr
	}
	return lf
}

// Append adds an event to b. Empty name and id are left out. data must not
// contain a line break; JSON on one line does not.
func Append(b []byte, name, id string, data []byte) []byte {
	if id != "" {
		b = append(append(append(b, "id: "...), id...), '\n')
	}
	if name != "" {
		b = append(append(append(b, "event: "...), name...), '\n')
	}
	b = append(append(b, "data: "...), data...)
	return append(b, "\n\n"...)
}

// AppendComment adds a comment, which readers ignore; it keeps a quiet stream
// open.
func AppendComment(b []byte, text string) []byte {
	return append(append(append(b, ": "...), text...), "\n\n"...)
}
