package sound

import (
	"fmt"
	"html"
	"math"
	"regexp"
	"strconv"
	"strings"
	"unicode/utf8"
)

// Cue is a subtitle: what is shown at once.
type Cue struct {
	Start, End float64
	Who, Text  string
}

// What a subtitle may have: two lines of 42 characters, for six seconds.
const (
	mostCue    = 84
	longestCue = 6.0
	cueLine    = 42
)

// Cues cuts sentences into subtitles, at words. They follow each other without overlap.
func (t Transcript) Cues() (cues []Cue) {
	for _, s := range t.Sentences {
		for from := 0; from < len(s.Words); {
			to, size := from, 0
			for to < len(s.Words) {
				size += utf8.RuneCountInString(s.Words[to].Text) + 1
				if to > from && (size > mostCue+1 || s.Words[to].End-s.Words[from].Start > longestCue) {
					break
				}
				to++
			}
			// Two halves of about the same length rather than a rest of a word or two.
			if left := len(s.Words) - to; left > 0 && left < 3 && to-from > 6 {
				to -= 3
			}
			some := s.Words[from:to]
			cues = append(cues, Cue{some[0].Start, some[len(some)-1].End, s.Who, Text(some)})
			from = to
		}
	}
	for i := range cues {
		c := &cues[i]
		c.End = max(c.End, c.Start+0.7)
		if i+1 < len(cues) {
			c.End = min(c.End, max(cues[i+1].Start, c.Start+0.05))
		}
		if i > 0 && c.Start < cues[i-1].End {
			c.Start = cues[i-1].End
			c.End = max(c.End, c.Start+0.05)
		}
	}
	return cues
}

// lines breaks a subtitle in two where it is longer than a line.
func lines(text string) string {
	if utf8.RuneCountInString(text) <= cueLine {
		return text
	}
	best, at := math.MaxInt, 0
	for i, r := range text {
		if r != ' ' {
			continue
		}
		if apart := abs(2*i - len(text)); apart < best {
			best, at = apart, i
		}
	}
	if at == 0 {
		return text
	}
	return text[:at] + "\n" + text[at+1:]
}

func abs(n int) int { return max(n, -n) }

// clock writes a time as subtitles have it, with point before the thousandths.
func clock(seconds float64, point string) string {
	ms := int64(math.Round(max(seconds, 0) * 1000))
	return fmt.Sprintf("%02d:%02d:%02d%s%03d", ms/3600000, ms/60000%60, ms/1000%60, point, ms%1000)
}

// SRT is the transcript as SubRip.
func (t Transcript) SRT() string {
	var b strings.Builder
	for i, c := range t.Cues() {
		text := c.Text
		if c.Who != "" {
			text = c.Who + ": " + text
		}
		fmt.Fprintf(&b, "%d\n%s --> %s\n%s\n\n", i+1, clock(c.Start, ","), clock(c.End, ","),
			lines(strings.ReplaceAll(text, "-->", "→")))
	}
	return b.String()
}

// VTT is the transcript as WebVTT (W3C), with voices.
func (t Transcript) VTT() string {
	escape := strings.NewReplacer("&", "&amp;", "<", "&lt;", ">", "&gt;")
	var b strings.Builder
	b.WriteString("WEBVTT\n\n")
	for _, c := range t.Cues() {
		fmt.Fprintf(&b, "%s --> %s\n", clock(c.Start, "."), clock(c.End, "."))
		if c.Who != "" {
			fmt.Fprintf(&b, "<v %s>", escape.Replace(strings.Join(strings.Fields(c.Who), " ")))
		}
		fmt.Fprintf(&b, "%s\n\n", escape.Replace(lines(c.Text)))
	}
	return b.String()
}

var (
	cueTimes = regexp.MustCompile(`(?:(\d+):)?(\d{1,2}):(\d{2}(?:[.,]\d{1,3})?)\s*-->\s*(?:(\d+):)?(\d{1,2}):(\d{2}(?:[.,]\d{1,3})?)`)
	cueMarks = regexp.MustCompile(`<[^>]*>`)
)

// ReadCues reads SubRip or WebVTT as sentences without words; nil if there is none in it.
func ReadCues(text string) (all []Sentence) {
	rows := strings.Split(strings.NewReplacer("\r\n", "\n", "\r", "\n").Replace(text), "\n")
	for i := 0; i < len(rows); i++ {
		m := cueTimes.FindStringSubmatch(rows[i])
		if m == nil {
			continue
		}
		s := Sentence{Start: secondsOf(m[1:4]), End: secondsOf(m[4:7])}
		var said []string
		for i++; i < len(rows) && strings.TrimSpace(rows[i]) != ""; i++ {
			said = append(said, rows[i])
		}
		s.Text = strings.Join(strings.Fields(html.UnescapeString(cueMarks.ReplaceAllString(strings.Join(said, " "),
			""))),
			" ")
		if s.Text != "" {
			all = append(all, s)
		}
	}
	return all
}

func secondsOf(parts []string) float64 {
	hours, _ := strconv.Atoi(parts[0])
	minutes, _ := strconv.Atoi(parts[1])
	seconds, _ := strconv.ParseFloat(strings.ReplaceAll(parts[2], ",", "."), 64)
	return float64(hours)*3600 + float64(minutes)*60 + seconds
}
