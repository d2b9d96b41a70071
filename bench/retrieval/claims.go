package main

import (
	"fmt"
	"hash/fnv"
	"math/rand/v2"
	"os"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode"

	"juvalogos/core/citing"
	"juvalogos/core/evidence"
	"juvalogos/core/language"
	"juvalogos/core/lexicon"
	"juvalogos/core/reading"
)

// A claim is made from a real sentence: left as it says, or changed so that it
// says something else. Its passage is the paragraph the sentence stands in.
type claimed struct {
	kind      string
	supported bool
	text      string
	passage   string
}

var (
	digitsOnly = regexp.MustCompile(`\b\d{1,4}\b`)
	auxiliary  = regexp.MustCompile(`\b(is|are|was|were|can|will|must|should|may|does|do|has|have)\b( not\b)?`)
	unitWords  = map[string]string{"days": "weeks", "day": "week", "hours": "days", "minutes": "hours",
		"seconds": "minutes",
		"weeks":   "days", "months": "days", "years": "months", "year": "month", "bytes": "megabytes", "times": "days",
		"files": "folders", "lines": "pages", "users": "groups", "bits": "bytes", "characters": "lines"}
	modals = [][2]string{{"may", "must"}, {"can", "must"}, {"some", "all"}, {"most", "all"}, {"many", "all"},
		{"at least", "at most"}, {"at most", "at least"}, {"usually", "always"}, {"sometimes", "always"},
		{"often", "always"}, {"might", "will"}, {"should", "must"}}
	prose = regexp.MustCompile(`^[A-Z][A-Za-z0-9 ,;:'’()\-%./"“”]+\.$`)
)

// claimsOf makes pairs of the sentences of some packages, by kind, as many of
// each as most says.
func claimsOf(packages []*harvested, most int) map[string][]claimed {
	all := map[string][]claimed{}
	names, nouns := capitalised(packages)
	add := func(kind string, supported bool, text, passage, original string) {
		if text != "" && text != original && len(all[kind]) < most || supported && text != "" && len(all[kind]) < most {
			all[kind] = append(all[kind], claimed{kind, supported, text, passage})
		}
	}
	for _, h := range packages {
		taken := 0
		for _, p := range h.pages {
			for _, b := range p.doc.Blocks {
				if b.Kind != reading.Paragraph || taken > 60 {
					continue
				}
				passage := strings.Join(strings.Fields(b.Text), " ")
				for _, at := range language.Sentences(passage) {
					s := passage[at[0]:at[1]]
					words := len(strings.Fields(s))
					if words < 8 || words > 30 || !prose.MatchString(s) || !says(s) {
						continue
					}
					taken++
					r := rand.New(rand.NewPCG(uint64(hashOf(s)), 7))
					add("true: as it stands", true, s, passage, "")
					add("true: words that mean the same", true, reworded(s, r), passage, "")
					add("true: a part of it", true, shortened(s), passage, "")
					add("true: led in", true, "According to the documents, "+lowered(s), passage, "")
					add("number", false, renumbered(s, r), passage, s)
					add("unit", false, swapWord(s, unitWords), passage, s)
					add("not", false, denied(s), passage, s)
					add("must, all, at least", false, strengthened(s), passage, s)
					add("opposite", false, opposed(s), passage, s)
					add("roles", false, swappedRoles(s), passage, s)
					add("name", false, renamed(s, names, r), passage, s)
					add("noun", false, renouned(s, nouns, r), passage, s)
				}
			}
		}
	}
	return all
}

func hashOf(s string) uint32 {
	h := fnv.New32a()
	h.Write([]byte(s)) // never fails
	return h.Sum32()
}

// says reports whether a sentence has a verb and is in ordinary words.
func says(s string) bool {
	known, verbs, words := 0, 0, 0
	for _, w := range strings.Fields(strings.ToLower(s)) {
		w = strings.Trim(w, ",.;:()\"'“”")
		words++
		if len(lexicon.Load().Forms(w)) > 0 || language.StopWords("en")[w] {
			known++
		}
		if lexicon.Load().Is(w, lexicon.Verb) > 0.5 {
			verbs++
		}
	}
	return verbs > 0 && known*10 >= words*8
}

func lowered(s string) string {
	first, rest, _ := strings.Cut(s, " ")
	if language.StopWords("en")[strings.ToLower(first)] {
		return strings.ToLower(first) + " " + rest
	}
	return s
}

// replaced puts something in the place of the i-th word, its marks kept.
func replaced(words []string, i int, by string) string {
	w := words[i]
	core := strings.Trim(w, ",.;:()\"'“”")
	first := []rune(core)
	if len(first) > 0 && unicode.IsUpper(first[0]) && by != "" {
		by = strings.ToUpper(by[:1]) + by[1:]
	}
	out := slices.Clone(words)
	out[i] = strings.Replace(w, core, by, 1)
	return strings.Join(out, " ")
}

func bare(w string) string { return strings.ToLower(strings.Trim(w, ",.;:()\"'“”")) }

// reworded puts words that mean the same in the place of one in three.
func reworded(s string, r *rand.Rand) string {
	words := strings.Fields(s)
	changed := 0
	for i, w := range words {
		b := bare(w)
		if i == 0 || len(b) < 4 || language.StopWords("en")[b] || changed > len(words)/4 || r.IntN(2) == 0 {
			continue
		}
		if other := lexicon.Load().Instead(b, lexicon.Synonym); other != "" {
			words = strings.Fields(replaced(words, i, other))
			changed++
		}
	}
	if changed == 0 {
		return ""
	}
	return strings.Join(words, " ")
}

// shortened leaves out what stands behind a comma, or before it.
func shortened(s string) string {
	parts := strings.Split(strings.TrimSuffix(s, "."), ", ")
	if len(parts) != 2 {
		return ""
	}
	for _, p := range []string{parts[0], parts[1]} {
		if w := strings.Fields(p); len(w) >= 6 && says(p) &&
			!strings.Contains(" if when while as because although in for "+
				"with by to and or but which who where unless since after before ", " "+strings.ToLower(w[0])+" ") {
			return strings.ToUpper(p[:1]) + p[1:] + "."
		}
	}
	return ""
}

func renumbered(s string, r *rand.Rand) string {
	at := digitsOnly.FindStringIndex(s)
	if at == nil || strings.Count(s, ".") > 1 {
		words := strings.Fields(s)
		for i, w := range words {
			if d, is := language.Numeral(bare(w)); is && bare(w) != "one" {
				n, _ := strconv.Atoi(d)
				for _, other := range []string{"two", "three", "four", "five", "seven", "nine"} {
					if o, _ := language.Numeral(other); o != d && n > 0 {
						return replaced(words, i, other)
					}
				}
			}
		}
		return ""
	}
	n, err := strconv.Atoi(s[at[0]:at[1]])
	if err != nil {
		return ""
	}
	return s[:at[0]] + strconv.Itoa(n+1+r.IntN(9)) + s[at[1]:]
}

func swapWord(s string, by map[string]string) string {
	words := strings.Fields(s)
	for i, w := range words {
		if other := by[bare(w)]; other != "" && i > 0 && (digitsOnly.MatchString(words[i-1]) ||
			language.Counts(bare(words[i-1]))) {
			return replaced(words, i, other)
		}
	}
	return ""
}

func denied(s string) string {
	at := auxiliary.FindStringSubmatchIndex(s)
	if at == nil || strings.Contains(s, "n't") || strings.Contains(s, "not only") {
		return ""
	}
	if at[4] >= 0 {
		return s[:at[4]] + s[at[5]:]
	}
	if strings.Contains(s, " not ") || strings.Contains(s, " no ") {
		return ""
	}
	return s[:at[3]] + " not" + s[at[3]:]
}

func strengthened(s string) string {
	for _, m := range modals {
		if at := strings.Index(s, " "+m[0]+" "); at >= 0 {
			return s[:at+1] + m[1] + s[at+1+len(m[0]):]
		}
	}
	return ""
}

func opposed(s string) string {
	words := strings.Fields(s)
	for i, w := range words {
		if b := bare(w); len(b) > 3 && !language.StopWords("en")[b] {
			if other := lexicon.Load().Instead(b, lexicon.Opposite); other != "" {
				return replaced(words, i, other)
			}
		}
	}
	return ""
}

// swappedRoles lets the nouns before and behind the first verb change places.
func swappedRoles(s string) string {
	l := lexicon.Load()
	words := strings.Fields(s)
	noun := func(i int) bool {
		b := bare(words[i])
		return len(b) > 2 && !language.StopWords("en")[b] && l.Is(b, lexicon.Noun) > 0.7 &&
			words[i] == strings.Trim(words[i], ",;:()\"")
	}
	for v := 1; v < len(words)-1; v++ {
		b := bare(words[v])
		if l.Is(b, lexicon.Verb) < 0.8 || language.StopWords("en")[b] {
			continue
		}
		for before := v - 1; before >= max(0, v-3); before-- {
			for behind := v + 1; behind < min(len(words), v+4); behind++ {
				if noun(before) && noun(behind) && bare(words[before]) != bare(words[behind]) &&
					!strings.ContainsAny(strings.Join(words[before:behind], " "), ",;:(") {
					out := replaced(words, before, bare(words[behind]))
					return replaced(strings.Fields(out), behind, bare(words[before]))
				}
			}
		}
	}
	return ""
}

func capitalised(packages []*harvested) (names, nouns []string) {
	seen := map[string]bool{}
	for _, h := range packages {
		for _, p := range h.pages {
			for _, b := range p.doc.Blocks {
				for i, w := range strings.Fields(b.Text) {
					core := strings.Trim(w, ",.;:()\"'“”")
					if len(core) < 4 || seen[core] || i == 0 {
						continue
					}
					switch {
					case unicode.IsUpper(rune(core[0])) && core[1:] == strings.ToLower(core[1:]) &&
						len(lexicon.Load().Forms(strings.ToLower(core))) == 0:
						names = append(names, core)
					case core == strings.ToLower(core) && lexicon.Load().Is(core, lexicon.Noun) > 0.9:
						nouns = append(nouns, core)
					default:
						continue
					}
					seen[core] = true
				}
			}
		}
	}
	return names, nouns
}

func renamed(s string, names []string, r *rand.Rand) string {
	words := strings.Fields(s)
	for i, w := range words {
		core := strings.Trim(w, ",.;:()\"'“”")
		if i > 0 && len(core) > 3 && unicode.IsUpper(rune(core[0])) && core[1:] == strings.ToLower(core[1:]) &&
			len(names) > 0 &&
			!strings.HasSuffix(words[i-1], ".") {
			return replaced(words, i, names[r.IntN(len(names))])
		}
	}
	return ""
}

func renouned(s string, nouns []string, r *rand.Rand) string {
	words := strings.Fields(s)
	for i := len(words) - 1; i > 0; i-- {
		if b := bare(words[i]); len(b) > 3 && lexicon.Load().Is(b, lexicon.Noun) > 0.9 && len(nouns) > 0 {
			other := nouns[r.IntN(len(nouns))]
			if lexicon.Load().Between(b, other, 3) == lexicon.None {
				return replaced(words, i, other)
			}
		}
	}
	return ""
}

// judgeClaims is a table of how often each kind is called supported; those of one
// kind that are judged wrongly are shown.
func judgeClaims(pairs map[string][]claimed, show string) string {
	var b strings.Builder
	b.WriteString("| sentences | | called supported | said to be otherwise |\n|---|---|---|---|\n")
	for _, kind := range sorted(pairs) {
		supported, against := 0, 0
		for _, c := range pairs[kind] {
			got := citing.Check(c.text, "", []evidence.Passage{{Number: 1, Text: c.passage}})
			var support evidence.Support
			if len(got.Sentences) > 0 {
				support = got.Sentences[0].Support
			}
			if support == evidence.Supported {
				supported++
			}
			if support == evidence.Contradicted {
				against++
			}
			if kind == show && (support == evidence.Supported) != c.supported {
				fmt.Fprintf(os.Stderr, "%s\n  in: %s\n", c.text, c.passage)
			}
		}
		n := float64(len(pairs[kind]))
		fmt.Fprintf(&b, "| %s | %.0f | %.3f | %.3f |\n", kind, n, float64(supported)/n, float64(against)/n)
	}
	return b.String()
}
