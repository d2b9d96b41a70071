package tables

import (
	"bufio"
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
)

// Straight writes rows as the engine reads them without guessing: the row of the file,
// and then as many cells as the table has columns, parted by Comma, each in quotes that
// needs them, which are doubled within.
type Straight struct {
	out     *bufio.Writer
	columns int
	Comma   byte
	// Long and Short are some of the rows that had more cells, filled ones, than the
	// table has columns, or fewer; LongCount and ShortCount are how many there were.
	Long, Short           []int64
	LongCount, ShortCount int64
	Rows                  int64
}

// mostNamed is how many rows are named of those that are odd.
const mostNamed = 20

// NewStraight writes rows of so many columns.
func NewStraight(w io.Writer, columns int) *Straight {
	return &Straight{out: bufio.NewWriterSize(w, 256<<10), columns: columns, Comma: ','}
}

// Row writes a row of cells; one that is empty is left out. It fails as the writer does.
func (s *Straight) Row(number int64, cells [][]byte) error {
	empty := true
	for _, c := range cells {
		empty = empty && len(bytes.TrimSpace(c)) == 0
	}
	if empty {
		return nil
	}
	s.counted(number, cells)
	s.begin(number)
	for i := range s.columns {
		_ = s.out.WriteByte(s.Comma)
		if i < len(cells) {
			s.cell(cells[i])
		}
	}
	return s.out.WriteByte('\n')
}

func (s *Straight) begin(number int64) {
	s.Rows++
	_, _ = s.out.Write(strconv.AppendInt(s.out.AvailableBuffer(), number, 10))
}

// counted keeps in mind what is odd about a row's width.
func (s *Straight) counted(number int64, cells [][]byte) {
	switch {
	case len(cells) < s.columns:
		s.ShortCount++
		if len(s.Short) < mostNamed {
			s.Short = append(s.Short, number)
		}
	case len(cells) > s.columns:
		for _, c := range cells[s.columns:] {
			if len(bytes.TrimSpace(c)) > 0 {
				s.LongCount++
				if len(s.Long) < mostNamed {
					s.Long = append(s.Long, number)
				}
				return
			}
		}
	}
}

func (s *Straight) cell(text []byte) {
	if bytes.IndexByte(text, 0) >= 0 {
		text = bytes.ReplaceAll(text, []byte{0}, nil)
	}
	if bytes.IndexByte(text, s.Comma) < 0 && bytes.IndexByte(text, '"') < 0 && bytes.IndexByte(text, '\n') < 0 &&
		bytes.IndexByte(text, '\r') < 0 {
		_, _ = s.out.Write(text)
		return
	}
	_ = s.out.WriteByte('"')
	for {
		i := bytes.IndexByte(text, '"')
		if i < 0 {
			break
		}
		_, _ = s.out.Write(text[:i+1])
		_ = s.out.WriteByte('"')
		text = text[i+1:]
	}
	_, _ = s.out.Write(text)
	_ = s.out.WriteByte('"')
}

// Flush writes what waits. It fails as the writer does.
func (s *Straight) Flush() error { return s.out.Flush() }

// MostRecord is how long a row may be, in bytes.
const MostRecord = 2 << 20

// ErrLongRow is the error of a row that is longer than MostRecord.
type ErrLongRow struct {
	Row    int64
	Quoted bool // within quotes that did not end
}

func (e *ErrLongRow) Error() string {
	return fmt.Sprintf("row %d is longer than %d MB", e.Row, MostRecord>>20)
}

// Records reads the records of a file of separated values, in UTF-8.
type Records struct {
	Dialect Dialect
	in      *bufio.Reader
	text    []byte // of a record that goes over several lines
	fields  [][]byte
	number  int64
	// of what is read ahead, how many bytes were looked at, and whether nothing in them is
	// quoted or odd
	looked int
	plain  bool
	// ordinary: the record that was read last is such
	ordinary bool
}

// ended is how many bytes end a line.
func ended(line []byte) int {
	if n := len(line); n > 0 && line[n-1] == '\n' {
		return 1
	}
	return 0
}

// isPlain looks at what is read ahead, all at once: most of a file has neither quotes nor
// signs that have to be taken out.
func (r *Records) isPlain(line []byte) bool {
	if r.looked < len(line) {
		ahead, _ := r.in.Peek(r.in.Buffered())
		r.looked = len(line) + len(ahead)
		r.plain = r.isOrdinary(line) && r.isOrdinary(ahead)
	}
	r.looked -= len(line)
	return r.plain || r.isOrdinary(line)
}

func (r *Records) isOrdinary(text []byte) bool {
	return bytes.IndexByte(text, '"') < 0 && bytes.IndexByte(text, r.Dialect.Quote) < 0 &&
		bytes.IndexByte(text, '\r') < 0 && bytes.IndexByte(text, 0) < 0
}

// NewRecords reads records as a dialect has them.
func NewRecords(r io.Reader, d Dialect) *Records {
	return &Records{Dialect: d, in: bufio.NewReaderSize(r, 1<<20)}
}

// next returns the next record as it is written, without the end of its line, and its
// number from 1, as a spreadsheet would count it. The bytes are valid until it is called
// again. The error is io.EOF, an *ErrLongRow, or the reader's.
func (r *Records) next() ([]byte, int64, error) {
	r.number++
	line, err := r.line()
	if err != nil {
		return nil, r.number, err
	}
	if r.ordinary = r.isPlain(line); r.ordinary {
		return line[:len(line)-ended(line)], r.number, nil
	}
	if bytes.IndexByte(line, r.Dialect.Quote) < 0 {
		return trimLine(line), r.number, nil
	}
	within := r.Dialect.quotedAfter(line, false)
	if !within {
		return trimLine(line), r.number, nil
	}
	r.text = append(r.text[:0], line...)
	for within {
		if len(r.text) > MostRecord {
			return nil, r.number, &ErrLongRow{r.number, true}
		}
		line, err := r.line()
		if err == io.EOF {
			return trimLine(r.text), r.number, nil
		}
		if err != nil {
			return nil, r.number, err
		}
		r.text = append(r.text, line...)
		within = r.Dialect.quotedAfter(line, true)
	}
	return trimLine(r.text), r.number, nil
}

// line reads a line with its end. Lines of old files end with a carriage return alone.
func (r *Records) line() ([]byte, error) {
	line, err := r.in.ReadSlice('\n')
	if err == nil || err == io.EOF && len(line) > 0 {
		return line, nil
	}
	if !errors.Is(err, bufio.ErrBufferFull) {
		return nil, err
	}
	whole := append([]byte{}, line...)
	for errors.Is(err, bufio.ErrBufferFull) {
		line, err = r.in.ReadSlice('\n')
		if whole = append(whole, line...); len(whole) > MostRecord {
			return nil, &ErrLongRow{Row: r.number}
		}
	}
	if err == io.EOF {
		err = nil
	}
	return whole, err
}

func trimLine(line []byte) []byte {
	line = bytes.TrimSuffix(line, []byte{'\n'})
	return bytes.TrimSuffix(line, []byte{'\r'})
}

// Next returns the cells of the next record, valid until it is called again. Errors are
// those of next.
func (r *Records) Next() ([][]byte, int64, error) {
	record, number, err := r.next()
	if err != nil {
		return nil, number, err
	}
	r.fields = r.Dialect.fields(r.fields[:0], record)
	return r.fields, number, nil
}

// CopyTo writes what is left to s, row by row, and calls pause now and then, which may
// end it. Records that are straight already are copied as they are. It fails with an *ErrLongRow,
// as pause does, or as the reader or the writer does.
func (r *Records) CopyTo(s *Straight, pause func() error) error {
	simple, comma := r.Dialect.Comma == s.Comma, []byte{s.Comma}
	for n := 1; ; n++ {
		if n%20_000 == 0 {
			if err := pause(); err != nil {
				return err
			}
		}
		record, number, err := r.next()
		if err == io.EOF {
			return nil
		}
		if err != nil {
			return err
		}
		if simple && r.ordinary && len(record) >= s.columns && bytes.Count(record, comma) == s.columns-1 {
			s.begin(number)
			_ = s.out.WriteByte(s.Comma)
			_, _ = s.out.Write(record)
			err = s.out.WriteByte('\n')
		} else {
			r.fields = r.Dialect.fields(r.fields[:0], record)
			err = s.Row(number, r.fields)
		}
		if err != nil {
			return err
		}
	}
}
