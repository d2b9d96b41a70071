package reading

import (
	"cmp"
	"hash/maphash"
	"iter"
	"slices"
	"strings"
	"unicode"

	"juvalogos/core/evidence"
)

// Share is how much of what a reader of the original reads is in the document,
// 0 to 1: what helps to find one's way does not count.
func (d Document) Share() float64 { return evidence.Share(d.Original, d.Left) }

// account holds the words of a file against those of its blocks. Readers fill
// it from the file itself and by another way than the blocks are made.
type account struct {
	original iter.Seq[string] // what a reader of the original sees
	left     []leaving
	linked   bool // it is hardly anything but links
}

type leaving struct {
	why   evidence.Why
	text  string
	count int
	of    int // so many parts as there are, of which count are left out; 0: they are no parts
}

// leave notes what was left out.
func (a *account) leave(why evidence.Why, text string) {
	if strings.TrimSpace(text) != "" {
		a.left = append(a.left, leaving{why: why, text: text})
	}
}

// count notes things that were left out whose words are not known.
func (a *account) count(why evidence.Why, n int) {
	if n > 0 {
		a.left = append(a.left, leaving{why: why, count: n})
	}
}

// parts notes parts of a file that could not be had, of so many: each is taken to
// have as many words as the others have in the mean.
func (a *account) parts(why evidence.Why, n, of int) {
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

// Sample is the first words of a text, with what they are parted by.
func Sample(text string) string {
	fields := strings.Fields(text)
	return strings.Join(fields[:min(len(fields), sampleWords)], " ")
}

// close adds up what was left out: what was noted, and what is neither in the
// blocks nor noted.
func (a *account) close(blocks []Block) (original int, left []evidence.Omission) {
	by := map[evidence.Why]*evidence.Omission{}
	of := func(why evidence.Why) *evidence.Omission {
		if by[why] == nil {
			by[why] = &evidence.Omission{Why: why}
		}
		return by[why]
	}
	for _, l := range a.left {
		o := of(l.why)
		o.Count += l.count
		o.Words += Words(l.text)
		o.All = append(o.All, l.text)
		if o.Sample == "" {
			o.Sample = Sample(l.text)
		}
	}
	for _, b := range blocks {
		if b.Kind == Listing {
			o := of(evidence.Contents)
			o.Words += Words(b.Text)
			if o.Sample == "" {
				o.Sample = Sample(b.Text)
			}
		}
	}
	total, missing, sample, known := 0, 0, "", true
	if a.original != nil {
		total, missing, sample, known = a.missing(blocks, mostDifferent)
	}
	if a.original == nil {
		for _, b := range blocks {
			original += Words(b.Text)
		}
	} else if original = total; known {
		if missing > 0 {
			of(evidence.Lost).Words, of(evidence.Lost).Sample = missing, sample
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
	slices.SortFunc(left, func(x, y evidence.Omission) int {
		return cmp.Or(cmp.Compare(y.Words, x.Words), cmp.Compare(x.Why, y.Why))
	})
	return original, left
}

// unreadable notes words of which nobody can tell the letters.
func (a *account) unreadable(blocks []Block, of func(evidence.Why) *evidence.Omission) {
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
				of(evidence.Unreadable).Words++
			}
		}
	}
}

// mostDifferent is how many different words a file may have for its account: more
// are no text, and would take much memory.
const mostDifferent = 4_000_000

// missing counts the words of the original that are neither in the blocks nor
// noted as left out, and shows the first of them; it is not known where there are
// more different ones than most.
func (a *account) missing(blocks []Block, most int) (total, missing int, sample string, known bool) {
	there := map[uint64]int32{}
	seed := maphash.MakeSeed()
	add := func(w string) {
		if len(there) <= most {
			there[maphash.String(seed, w)]++
		}
	}
	for _, b := range blocks {
		EachWord(b.Text, add)
	}
	for _, l := range a.left {
		EachWord(l.text, add)
	}
	if len(there) > most {
		return 0, 0, "", false
	}
	var shown []string
	for text := range a.original {
		EachWord(text, func(w string) {
			total++
			at := maphash.String(seed, w)
			n, is := there[at]
			if is && n > 0 {
				there[at] = n - 1
				return
			}
			missing++
			if len(shown) < sampleWords {
				shown = append(shown, strings.Clone(w))
			}
		})
	}
	return total, missing, strings.Join(shown, " "), true
}
