package evidence

import (
	"encoding/json"
	"slices"
	"strings"
)

// Headings are those above something, the outermost first. In JSON they are one
// text, joined by " > ".
type Headings []string

const between = " > "

func (h Headings) String() string { return strings.Join(h, between) }

// MarshalJSON writes them as one text.
func (h Headings) MarshalJSON() ([]byte, error) { return json.Marshal(h.String()) }

// UnmarshalJSON parts the text again; the error is that of a JSON text.
func (h *Headings) UnmarshalJSON(text []byte) error {
	var joined string
	if err := json.Unmarshal(text, &joined); err != nil {
		return err
	}
	if *h = nil; joined != "" {
		*h = strings.Split(joined, between)
	}
	return nil
}

// Passage is a piece of a document that was found.
type Passage struct {
	Number   int       `json:"number"` // from 1; references of a reply name it
	Shelf    string    `json:"shelf"`  // its slug
	Document int64     `json:"document"`
	Title    string    `json:"title"` // of the document
	Format   string    `json:"format"`
	Path     Headings  `json:"path"`
	Place    string    `json:"place"` // where it begins, as people say it
	Text     string    `json:"text"`  // that of the spans, with line ends between them
	Position int       `json:"passage"`
	Score    float64   `json:"score"` // of the search that found it; more is better
	Spans    []Stretch `json:"spans"`
}

// Begins is where a passage begins: its first stretch that is no heading has the more
// telling place.
func Begins(spans []Stretch) string {
	if len(spans) == 0 {
		return ""
	}
	for _, s := range spans {
		if !s.Heading {
			return s.Place.String()
		}
	}
	return spans[0].Place.String()
}

// Note ties words of this passage to a sentence; where they stand is found by
// the words. Words that are not there have no place.
func (p Passage) Note(quote string) Note {
	n := Note{Passage: p.Number, Quote: quote, Marks: []Offsets{}}
	if begin := strings.Index(p.Text, quote); begin >= 0 {
		n.Place, n.Section, n.Marks = p.locate(begin, begin+len(quote))
	}
	return n
}

// NoteOf is the note of a sentence of this passage in which a stretch is meant:
// all in bytes of its text.
func (p Passage) NoteOf(sentence, meant [2]int) Note {
	n := Note{Passage: p.Number, Quote: p.Text[sentence[0]:sentence[1]]}
	n.Place, n.Section, n.Marks = p.locate(meant[0], meant[1])
	return n
}

// locate finds a stretch of the text in the document: where it begins, the
// heading above it, and what of each block it covers.
func (p Passage) locate(begin, end int) (place, section string, marks []Offsets) {
	if len(p.Path) > 0 {
		section = p.Path[len(p.Path)-1]
	}
	marks = []Offsets{}
	at := 0 // in the text, which has the spans line by line
	for _, s := range p.Spans {
		length := s.To - s.From
		if s.Heading && at < begin && at+length <= len(p.Text) {
			section = p.Text[at : at+length]
		}
		if a, b := max(begin, at), min(end, at+length); a < b {
			from := s.From + a - at
			if len(marks) == 0 {
				place = s.At(from).String()
			}
			marks = append(marks, Offsets{s.Block, from, s.From + b - at})
		}
		at += length + 1
	}
	return place, section, marks
}

// Consistent reports whether the text is that of the spans, as far as lengths tell: only then
// places in it are places in the document.
func (p Passage) Consistent() bool {
	length := -1
	for _, s := range p.Spans {
		if s.From < 0 || s.To < s.From {
			return false
		}
		length += s.To - s.From + 1
	}
	return length == len(p.Text)
}

// Excerpt is a passage without what lies far from a stretch of its text, in bytes: whole spans
// around it, up to about most bytes on either side, and of very long ones a part.
func (p Passage) Excerpt(begin, end, most int) Passage {
	if len(p.Text) <= most {
		return p
	}
	from, to := wordStart(p.Text, begin-most), wordStart(p.Text, end+most)
	if !p.Consistent() {
		p.Text = strings.TrimSpace(p.Text[from:to])
		p.Spans = []Stretch{}
		return p
	}
	var spans []Stretch
	var texts []string
	at := 0
	for _, s := range p.Spans {
		length := s.To - s.From
		a, b := max(from-at, 0), min(to-at, length)
		if length <= most { // kept whole, if anything of it is
			if a < b {
				a, b = 0, length
			}
		}
		if a < b {
			texts = append(texts, p.Text[at+a:at+b])
			s.From, s.To = s.From+a, s.From+b
			spans = append(spans, s)
		}
		at += length + 1
	}
	p.Text, p.Spans = strings.Join(texts, "\n"), spans
	return p
}

// wordStart is where the word begins in which a place lies that may be outside the text.
func wordStart(text string, at int) int {
	if at <= 0 {
		return 0
	}
	if at >= len(text) {
		return len(text)
	}
	return strings.LastIndexAny(text[:at], " \n") + 1
}

// Merge makes one passage of two that overlap or touch; it is p but for what
// it says.
func (p Passage) Merge(next Passage) Passage {
	text := p.Text + "\n" + next.Text
	for i := range p.Text {
		if len(p.Text)-i <= len(next.Text) && strings.HasPrefix(next.Text, p.Text[i:]) {
			text = p.Text[:i] + next.Text
			break
		}
	}
	p.Text = text
	p.Spans = slices.Clone(p.Spans)
	for _, s := range next.Spans {
		same := func(o Stretch) bool { return o.Block == s.Block }
		if i := slices.IndexFunc(p.Spans, same); i >= 0 {
			p.Spans[i].From, p.Spans[i].To = min(p.Spans[i].From, s.From), max(p.Spans[i].To, s.To)
			continue
		}
		p.Spans = append(p.Spans, s)
	}
	return p
}
