package evidence

import "fmt"

// Place is where in a document something stands. Which fields are set depends
// on the kind of document: a page, a line, a row of a sheet, a time in a talk, a
// paragraph of a chapter.
type Place struct {
	Page  int     `json:"page,omitempty"`  // from 1
	Line  int     `json:"line,omitempty"`  // from 1
	Time  float64 `json:"time,omitempty"`  // in seconds
	Timed bool    `json:"timed,omitempty"` // Time is known, though it may be 0
	Sheet string  `json:"sheet,omitempty"`
	Row   int     `json:"row,omitempty"` // from 1, as the sheet counts
	// Paragraph counts from 1, in books anew with every Chapter.
	Paragraph int `json:"paragraph,omitempty"`
	Chapter   int `json:"chapter,omitempty"`
}

// String is the place as people say it: page 3, row 7 of Sheet 1, at 1:05,
// line 12, part 2, paragraph 5; "" if it is not known.
func (p Place) String() string {
	switch {
	case p.Page > 0:
		return fmt.Sprintf("page %d", p.Page)
	case p.Timed:
		t := int(p.Time)
		if t >= 3600 {
			return fmt.Sprintf("at %d:%02d:%02d", t/3600, t/60%60, t%60)
		}
		return fmt.Sprintf("at %d:%02d", t/60, t%60)
	case p.Sheet != "" && p.Row == 0: // a drawing on it
		return p.Sheet
	case p.Sheet != "":
		return fmt.Sprintf("%s, row %d", p.Sheet, p.Row)
	case p.Line > 0:
		return fmt.Sprintf("line %d", p.Line)
	case p.Chapter > 0:
		return fmt.Sprintf("part %d, paragraph %d", p.Chapter, p.Paragraph)
	case p.Paragraph > 0:
		return fmt.Sprintf("paragraph %d", p.Paragraph)
	}
	return ""
}

// Offsets is a stretch of a block's text in a document, for a page to light.
type Offsets struct {
	Block int `json:"block"` // from 0, as the document was read
	From  int `json:"from"`
	To    int `json:"to"`
}

// Stretch is a stretch of a block's text with the place where it begins.
type Stretch struct {
	Offsets
	Place
	// Breaks are where another page or another time of the talk begins within
	// the stretch.
	Breaks []Break `json:"turns,omitempty"`
	// Heading: the stretch is one.
	Heading bool `json:"heading,omitempty"`
}

// Break is where, in bytes of the block, another place begins.
type Break struct {
	At   int     `json:"at"`
	Page int     `json:"page,omitempty"`
	Time float64 `json:"time,omitempty"`
}

// At is the place of a byte of the block.
func (s Stretch) At(offset int) Place {
	place := s.Place
	for _, b := range s.Breaks {
		if b.At <= offset {
			place.Page, place.Time = b.Page, b.Time
		}
	}
	return place
}
