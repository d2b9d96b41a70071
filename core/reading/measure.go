package reading

import (
	"cmp"
	"iter"
	"slices"
	"strings"
	"unicode"
)

// Why is why words of a file are not among its blocks.
type Why string

// The reasons. The first ones are what is there to find one's way by; what is
// lost is what a reader of the original sees and nobody decided to leave out.
const (
	Navigation  Why = "navigation"   // menus
	Header      Why = "header"       // of a web page or of printed pages
	Footer      Why = "footer"       // likewise
	Repeated    Why = "repeated"     // on many pages, or in many documents of a shelf
	PageNumbers Why = "page-numbers" // of printed pages
	Contents    Why = "contents"     // lists of contents and indexes: blocks, but not to be searched
	Comments    Why = "comments"     // of people who worked on the file
	Deleted     Why = "deleted"      // by changes that are tracked
	Unseen      Why = "unseen"       // that no reader sees: without scripts, templates, particulars
	Pictures    Why = "pictures"     // in the text, whose words are not read
	Blank       Why = "blank"        // pages on which no text was found, not even in their pictures
	Unreadable  Why = "unreadable"   // letters of fonts that do not say which they are
	Missing     Why = "missing"      // parts that the file names and does not have
	Lost        Why = "lost"
)

// Omission is what of a file is not among its blocks, or not searched.
type Omission struct {
	Why    Why    `json:"why"`
	Words  int    `json:"words,omitempty"`
	Count  int    `json:"count,omitempty"`  // of pictures or pages
	Sample string `json:"sample,omitempty"` // its first words

	text []string
}

// Text is all that was left out; it is there only where the document was read,
// and goes nowhere else.
func (o Omission) Text() string { return strings.Join(o.text, "\n") }

// Missed reports whether the words are some that a reader of the original reads
// for what they say.
func (o Omission) Missed() bool { return o.Why == Lost || o.Why == Unreadable || o.Why == Missing }

// LeastShare is the share of a document's words below which makers are warned.
const LeastShare = 0.98

// Share is how much of what a reader of the original reads is in the document,
// 0 to 1: what helps to find one's way does not count.
func (d Document) Share() float64 { return Share(d.Original, d.Left) }

// Share is that of a document that has so many words and of which some are left
// out.
func Share(original int, left []Omission) float64 {
	if original == 0 {
		return 1
	}
	missed := 0
	for _, o := range left {
		if o.Missed() {
			missed += o.Words
		}
	}
	return max(0, 1-float64(missed)/float64(original))
}

// account holds the words of a file against those of its blocks. Readers fill
// it from the file itself and by another way than the blocks are made.
type account struct {
	original iter.Seq[string] // what a reader of the original sees
	left     []leaving
	linked   bool // it is hardly anything but links
}

type leaving struct {
	why   Why
	text  string
	count int
	of    int // so many parts as there are, of which count are left out; 0: they are no parts
}

// leave notes what was left out.
func (a *account) leave(why Why, text string) {
	if strings.TrimSpace(text) != "" {
		a.left = append(a.left, leaving{why: why, text: text})
	}
}

// count notes things that were left out whose words are not known.
func (a *account) count(why Why, n int) {
	if n > 0 {
		a.left = append(a.left, leaving{why: why, count: n})
	}
}

// parts notes parts of a file that could not be had, of so many: each is taken to
// have as many words as the others have in the mean.
func (a *account) parts(why Why, n, of int) {
	if n > 0 {
		a.left = append(a.left, leaving{why: why, count: n, of: of})
	}
}

// EachWord hands over the words of a text: letters and digits that stand
// together, in lower case; each sign of scripts that set no spaces is one.
func EachWord(text string, do func(word string)) {
	from := -1
	for i, r := range text {
		alone := r >= 0x0E00 && unicode.In(r, unicode.Han, unicode.Hiragana, unicode.Katakana, unicode.Thai)
		within := !alone && (unicode.IsLetter(r) || unicode.IsDigit(r) || unicode.Is(unicode.Mn, r) || r == '\u00ad')
		if within {
			if from < 0 {
				from = i
			}
			continue
		}
		if from >= 0 {
			do(plainWord(text[from:i]))
			from = -1
		}
		if alone {
			do(string(r))
		}
	}
	if from >= 0 {
		do(plainWord(text[from:]))
	}
}

func plainWord(w string) string {
	if strings.Contains(w, "\u00ad") {
		w = strings.ReplaceAll(w, "\u00ad", "")
	}
	return strings.ToLower(w)
}

// Words counts the words of a text as accounts do.
func Words(text string) (n int) {
	EachWord(text, func(string) { n++ })
	return n
}

// sampleWords is how many words of what was left out are shown.
const sampleWords = 12

// close adds up what was left out: what was noted, and what is neither in the
// blocks nor noted.
func (a *account) close(blocks []Block) (original int, left []Omission) {
	by := map[Why]*Omission{}
	of := func(why Why) *Omission {
		if by[why] == nil {
			by[why] = &Omission{Why: why}
		}
		return by[why]
	}
	for _, l := range a.left {
		o := of(l.why)
		o.Count += l.count
		o.Words += Words(l.text)
		o.text = append(o.text, l.text)
		if o.Sample == "" && l.text != "" {
			fields := strings.Fields(l.text)
			o.Sample = strings.Join(fields[:min(len(fields), sampleWords)], " ")
		}
	}
	for _, b := range blocks {
		if b.Kind == Listing {
			o := of(Contents)
			o.Words += Words(b.Text)
			if o.Sample == "" {
				fields := strings.Fields(b.Text)
				o.Sample = strings.Join(fields[:min(len(fields), sampleWords)], " ")
			}
		}
	}
	if a.original == nil {
		for _, b := range blocks {
			original += Words(b.Text)
		}
	} else {
		total, missing, sample := a.missing(blocks)
		original = total
		if missing > 0 {
			of(Lost).Words, of(Lost).Sample = missing, sample
		}
	}
	for _, l := range a.left {
		if rest := l.of - l.count; l.of > 0 && rest > 0 {
			words := original / rest * l.count
			of(l.why).Words += words
			original += words
		}
	}
	a.unreadable(blocks, of)
	for _, o := range by {
		left = append(left, *o)
	}
	slices.SortFunc(left, func(x, y Omission) int {
		return cmp.Or(cmp.Compare(y.Words, x.Words), cmp.Compare(x.Why, y.Why))
	})
	return original, left
}

// unreadable notes words of which nobody can tell the letters.
func (a *account) unreadable(blocks []Block, of func(Why) *Omission) {
	for _, b := range blocks {
		for word := range strings.FieldsSeq(b.Text) {
			letters, none := 0, 0
			for _, r := range word {
				letters++
				if unknownLetter(r) {
					none++
				}
			}
			if none*2 > letters {
				of(Unreadable).Words++
			}
		}
	}
}

// missing counts the words of the original that are neither in the blocks nor
// noted as left out, and shows the first of them.
func (a *account) missing(blocks []Block) (total, missing int, sample string) {
	there := map[string]int{}
	add := func(w string) { there[w]++ }
	for _, b := range blocks {
		EachWord(b.Text, add)
	}
	for _, l := range a.left {
		EachWord(l.text, add)
	}
	var shown []string
	for text := range a.original {
		EachWord(text, func(w string) {
			total++
			if there[w]--; there[w] < 0 {
				missing++
				if len(shown) < sampleWords {
					shown = append(shown, strings.Clone(w))
				}
			}
		})
	}
	return total, missing, strings.Join(shown, " ")
}
