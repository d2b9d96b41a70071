package sound

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
)

// spoken is a recording of which every word is known: words of a small vocabulary, which
// come again and again, with pauses as often as is said.
func spoken(n int, pauses float64, r *rand.Rand) (truth []Word, curve Loudness) {
	vocabulary := strings.Fields("the bee a frame of honey and brood in hive one two had had very many yes no " +
		"smoker queen winter syrup we saw it then")
	at := 0.4
	for i := range n {
		long := 0.12 + 0.3*r.Float64()
		truth = append(truth, Word{Text: vocabulary[r.IntN(len(vocabulary))], Start: at, End: at + long})
		at += long + 0.02
		if r.Float64() < pauses {
			at += 0.4 + r.Float64()
		}
		_ = i
	}
	curve = make(Loudness, int((at+0.5)/Frame))
	for i := range curve {
		curve[i] = byte(8 + r.IntN(6))
	}
	for _, w := range truth {
		for f := int(w.Start / Frame); f <= int(w.End/Frame); f++ {
			curve[f] = byte(110 + r.IntN(50))
		}
	}
	return truth, curve
}

// hear is what a recogniser hears of a piece: the words that are whole in it, and of
// those at its edges a half.
func hear(truth []Word, p Piece, jitter float64, r *rand.Rand) (words []Word) {
	for _, w := range truth {
		if w.End <= p.Start || w.Start >= p.End {
			continue
		}
		heard := Word{Text: w.Text, Start: w.Start - p.Start + jitter*(r.Float64()-0.5),
			End: w.End - p.Start + jitter*(r.Float64()-0.5)}
		if w.Start < p.Start || w.End > p.End {
			if len(w.Text) < 2 || r.IntN(2) == 0 {
				continue
			}
			heard.Text = w.Text[:len(w.Text)/2]
		}
		words = append(words, heard)
	}
	return orderly(words, p.End-p.Start)
}

func texts(words []Word) (all []string) {
	for _, w := range words {
		all = append(all, Plain(w.Text))
	}
	return all
}

func TestNoWordIsLostOrDoubledAtSeams(t *testing.T) {
	for _, pauses := range []float64{0.15, 0.02, 0} {
		cuts, wrong, unclean := 0, 0, 0
		for seed := range uint64(6) {
			r := rand.New(rand.NewPCG(seed, 7))
			truth, curve := spoken(2400, pauses, r)
			pieces := Cut(curve, CutLimits{Most: 40})
			var parts []Part
			for i, p := range pieces {
				if p.End-p.Start > 40.001 {
					t.Fatalf("piece %d is %.2f s long", i, p.End-p.Start)
				}
				if i > 0 && (p.Start > pieces[i-1].End || p.Cut < p.Start || p.Cut > p.End) {
					t.Fatalf("pieces %d and %d: %+v %+v", i-1, i, pieces[i-1], p)
				}
				if !p.Clean {
					unclean++
				}
				parts = append(parts, Part{p, hear(truth, p, 0.08, r)})
			}
			cuts += len(pieces) - 1
			if got := texts(Join(parts)); !slices.Equal(got, texts(truth)) {
				wrong++
				t.Errorf("pauses %v, seed %d, %d pieces: %s", pauses, seed, len(pieces),
					firstDifference(texts(truth), got))
			}
		}
		if t.Logf("pauses %.2f: %d cuts, %d of them not in a silence", pauses, cuts, unclean); cuts < 100 {
			t.Errorf("only %d cuts", cuts)
		}
		if pauses == 0 && unclean == 0 {
			t.Error("every cut was in a silence where there was none")
		}
	}
}

func firstDifference(want, got []string) string {
	for i := range want {
		if i >= len(got) || want[i] != got[i] {
			return fmt.Sprintf("word %d: %q instead of %q", i, got[max(0, i-4):min(len(got), i+5)],
				want[max(0, i-4):min(len(want), i+5)])
		}
	}
	return fmt.Sprintf("%d words instead of %d", len(got), len(want))
}

// Recognisers that give no times: words come as text alone.
func TestSeamsOfTextAlone(t *testing.T) {
	cuts, lost, more := 0, 0, 0
	for seed := range uint64(10) {
		r := rand.New(rand.NewPCG(seed, 9))
		truth, curve := spoken(1500, 0.02, r)
		for i := range truth { // as in a language, most words are not always the same
			if r.IntN(3) > 0 {
				truth[i].Text = fmt.Sprintf("word%d", r.IntN(4000))
			}
		}
		var parts []Part
		for _, p := range Cut(curve, CutLimits{Most: 40}) {
			h := Heard{Text: strings.Join(textsOf(hear(truth, p, 0, r)), " ")}
			parts = append(parts, Part{p, h.Spread(curve[frameOf(p.Start):min(frameOf(p.End), len(curve))])})
		}
		cuts += len(parts) - 1
		got := texts(Join(parts))
		common := len(subsequencePairs(truth, got))
		lost += len(truth) - common
		more += len(got) - common
	}
	t.Logf("%d cuts: %d words lost, %d too many", cuts, lost, more)
	if cuts < 100 || lost+more > cuts/20 {
		t.Errorf("%d cuts: %d words lost, %d too many", cuts, lost, more)
	}
}

func textsOf(words []Word) (all []string) {
	for _, w := range words {
		all = append(all, w.Text)
	}
	return all
}

func subsequencePairs(truth []Word, got []string) (pairs []int) {
	words := make([]Word, len(got))
	for i, g := range got {
		words[i].Text = g
	}
	for _, j := range align(truth, words) {
		if j >= 0 {
			pairs = append(pairs, j)
		}
	}
	return pairs
}

func TestLoudnessTellsSilence(t *testing.T) {
	m := Meter{Rate: 16000}
	m.Take(make([]int16, 16000*3))
	if m.Close(); !m.Loudness.Silent() || m.Loudness.Seconds() != 3 {
		t.Errorf("%v seconds of nothing: silent %v", m.Loudness.Seconds(), m.Loudness.Silent())
	}
	loud := make([]int16, 16000)
	for i := range loud {
		loud[i] = int16(8000 * (i%40 - 20) / 20)
	}
	m.Take(loud)
	m.Take(make([]int16, 16000*2+100))
	m.Close()
	if m.Loudness.Silent() {
		t.Error("a second of sound is silence")
	}
	if got := m.Loudness.Spoken(); len(got) != 1 || got[0][0] != 3 || got[0][1] != 4 {
		t.Errorf("spoken at %v", got)
	}
	if peaks := m.Loudness.Peaks(6); len(peaks) != 6 || peaks[3] != 100 || peaks[0] != 0 {
		t.Errorf("peaks %v", peaks)
	}
	hiss := Meter{Rate: 16000}
	for range 16000 * 10 {
		hiss.Take([]int16{int16(rand.IntN(9) - 4)})
	}
	if !hiss.Loudness.Silent() {
		t.Error("the hiss of a microphone is no silence")
	}
}

func TestSentencesEndWhereTheyDo(t *testing.T) {
	h := Heard{Text: "We opened hive no. 4. Dr. Fen was there! Was it light? It was"}
	all := Sentences(h.Spread(slices.Repeat(Loudness{150}, 500)))
	var got []string
	for _, s := range all {
		got = append(got, s.Text)
	}
	want := []string{"We opened hive no.", "4.", "Dr. Fen was there!", "Was it light?", "It was"}
	if !slices.Equal(got, want) {
		t.Errorf("%q", got)
	}
	bare := []Word{{Text: "one", Start: 0, End: 0.3}, {Text: "two", Start: 0.4, End: 0.7},
		{Text: "three", Start: 1.6, End: 2}}
	if all := Sentences(bare); len(all) != 2 || all[0].Text != "one two" || all[1].Start != 1.6 {
		t.Errorf("without punctuation: %+v", all)
	}
	if got := Text(Heard{Text: "蜂蜜です 。ok 好"}.Spread(slices.Repeat(Loudness{150}, 50))); got != "蜂蜜です。ok 好" &&
		got != "蜂蜜です 。ok 好" {
		t.Errorf("without spaces: %q", got)
	}
}

func TestPutRight(t *testing.T) {
	sure := 0.3
	s := Sentence{Start: 10, End: 14, Text: "we asked other older about it", Words: []Word{
		{Text: "we", Start: 10, End: 10.2}, {Text: "asked", Start: 10.3, End: 10.8},
		{Text: "other", Start: 10.9, End: 11.3, Sure: &sure}, {Text: "older", Start: 11.4, End: 12, Sure: &sure},
		{Text: "about", Start: 12.2, End: 12.6}, {Text: "it", Start: 13, End: 13.4}}}
	got := s.PutRight(Right{Text: "We asked  Ada Alder about it."})
	if got.Text != "We asked Ada Alder about it." || len(got.Words) != 6 || got.Words[4].Start != 12.2 {
		t.Fatalf("%+v", got)
	}
	for i, w := range got.Words {
		if w.Start < 10 || w.End > 14 || i > 0 && w.Start < got.Words[i-1].Start || w.Sure != nil {
			t.Errorf("word %d: %+v", i, w)
		}
	}
	if w := got.Words[3]; !w.About || w.Start < 10.8 || w.End > 12.2 {
		t.Errorf("a word that was written: %+v", w)
	}
	if s.Text != "we asked other older about it" || s.Words[2].Text != "other" {
		t.Error("what was heard has changed")
	}
	if names := s.NewWords("We asked Ada Alder about it."); !slices.Equal(names, []string{"Ada", "Alder"}) {
		t.Errorf("names %q", names)
	}
}

func TestSubtitlesComeBack(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	words, _ := spoken(600, 0.1, r)
	words[3].Text, words[4].Text = "<b>&amp;", "-->"
	tr := Transcript{Sentences: Sentences(words)}
	tr.Sentences[0].Who = "Ada <Alder> & Co"
	for name, text := range map[string]string{"srt": tr.SRT(), "vtt": tr.VTT()} {
		back := ReadCues(text)
		if len(back) != len(tr.Cues()) {
			t.Fatalf("%s: %d cues of %d", name, len(back), len(tr.Cues()))
		}
		last := 0.0
		for i, c := range back {
			if c.Start < last-1e-9 || c.End <= c.Start {
				t.Errorf("%s: cue %d is from %v to %v after %v", name, i, c.Start, c.End, last)
			}
			last = c.End
		}
	}
	all := 0
	for _, c := range tr.Cues() {
		all += len(strings.Fields(c.Text))
		if len(c.Text) > mostCue || c.End-c.Start > longestCue+0.7 {
			t.Errorf("a cue of %d characters and %.1f s", len(c.Text), c.End-c.Start)
		}
	}
	if all != len(words) {
		t.Errorf("%d of %d words are in subtitles", all, len(words))
	}
}

func TestWordsBesideSentencesKeepPunctuation(t *testing.T) {
	sure := 0.9
	h := Heard{Sentences: []Sentence{{Start: 0, End: 2, Text: "Light it, slowly."},
		{Start: 2.5, End: 4, Text: "Then go!"}},
		Words: []Word{{Text: "light", Start: 0.1, End: 0.4, Sure: &sure}, {Text: "it", Start: 0.5, End: 0.6},
			{Text: "slowly", Start: 0.9, End: 1.8}, {Text: "then", Start: 2.6, End: 2.9},
			{Text: "go", Start: 3, End: 3.5}}}
	words := h.Spread(slices.Repeat(Loudness{150}, 250))
	text, _ := json.Marshal(words)
	if len(words) != 5 || words[1].Text != "it," || words[1].Start != 0.5 || words[0].Sure == nil || words[2].About ||
		!words[2].Ends {
		t.Errorf("%s", text)
	}
}

func TestKinds(t *testing.T) {
	for sign, want := range map[string]string{
		"ID3\x04": "MP3", "fLaC": "FLAC", "OggS\x00": "OGG", "\x1aE\xdf\xa3": "WebM",
		"RIFF\x00\x00\x00\x00WAVEfmt ": "WAV",
		"\x00\x00\x00\x20ftypM4A ":     "MP4", "\x00\x00\x01\xba": "MPEG", "\xff\xf1\x50\x80": "AAC", "%PDF-1.7": "",
		"hello, this is text": "", "RIFF\x00\x00\x00\x00AVI LIST": "AVI", "": "", "\xff\xfb": "",
	} {
		if k, ok := KindOf([]byte(sign)); k.Title != want || ok != (want != "") {
			t.Errorf("%q: %v, %v", sign, k, ok)
		}
	}
}

func FuzzKindOf(f *testing.F) {
	f.Add([]byte("\xff\xfb\x90\x64"))
	f.Fuzz(func(t *testing.T, head []byte) { KindOf(head) })
}

func FuzzReadCues(f *testing.F) {
	f.Add("1\n00:00:01,000 --> 00:00:02,000\nhello\n\n")
	f.Fuzz(func(t *testing.T, text string) {
		words := Heard{Sentences: ReadCues(text)}.Spread(make(Loudness, 100))
		tr := Transcript{Sentences: Sentences(words)}
		tr.SRT()
		tr.VTT()
	})
}
