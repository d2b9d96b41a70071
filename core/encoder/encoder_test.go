package encoder

import (
	"bufio"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"slices"
	"strings"
	"testing"

	"juvalogos/core/embedding"
)

// original is what the weights gave as they came, in the program they came
// with, for pieces of texts of ours.
type original struct {
	Text   string
	Pieces []int32
	Vector []float32
}

func originals(t *testing.T) (all []original) {
	f, err := os.Open("testdata/original.jsonl")
	if err != nil {
		t.Fatal(err)
	}
	defer f.Close()
	lines := bufio.NewScanner(f)
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		var o original
		if err := json.Unmarshal(lines.Bytes(), &o); err != nil {
			t.Fatal(err)
		}
		all = append(all, o)
	}
	return all
}

// The vectors are those of the weights as they came, within what one byte a
// number leaves.
func TestVectorsAreTheOriginals(t *testing.T) {
	all := originals(t)
	if len(all) < 10 {
		t.Fatal(len(all))
	}
	for _, o := range all {
		if got := Load().cut(o.Text); !slices.Equal(got, o.Pieces) {
			t.Errorf("%q has pieces %v, not %v", o.Text, got, o.Pieces)
		}
		if c := embedding.Dot(Load().Encode(o.Text), o.Vector); c < 0.999 {
			t.Errorf("%q: cosine with the original %.5f", o.Text, c)
		}
	}
}

func cosine(a, b string) float32 { return embedding.Dot(Load().Encode(a), Load().Encode(b)) }

// What means the same is near though it shares hardly a word.
func TestMeaning(t *testing.T) {
	if c := cosine("How old are you?", "What is your age?"); math.Abs(float64(c)-0.85) > 0.01 {
		t.Errorf("the same question is at %.3f", c)
	}
	near := cosine("Who may vote at the yearly meeting?", "Every member who has paid may vote at the annual assembly.")
	far := cosine("Who may vote at the yearly meeting?", "The cable car does not run when the wind is strong.")
	if near < far+0.3 {
		t.Errorf("near %.3f, far %.3f", near, far)
	}
}

func TestTextsOfNothing(t *testing.T) {
	if v := Load().Encode(" \n\t"); v != nil {
		t.Error(v)
	}
	got := Load().EncodeAll([]string{"", "One two.", ""}, 0)
	if got[0] != nil || got[2] != nil || len(got[1]) != Dimensions {
		t.Error("texts of nothing")
	}
	long := strings.Repeat("word ", 100_000)
	if n := Load().Pieces(long); n > longestText {
		t.Error(n)
	}
	if len(Load().Encode(long)) != Dimensions || len(Load().Encode("漢字\xff")) != Dimensions {
		t.Error("long and odd texts have vectors too")
	}
}

// Many texts at once have the vectors that each has alone, in their order.
func TestTogetherAsAlone(t *testing.T) {
	texts := []string{"The first.", "", "A second text, somewhat longer than the first one.", "Third",
		"Fourth, and last."}
	for i, v := range Load().EncodeAll(texts, 1) {
		alone := Load().Encode(texts[i])
		if len(v) != len(alone) {
			t.Fatal(i)
		}
		for k := range v {
			if math.Abs(float64(v[k]-alone[k])) > 1e-5 {
				t.Fatalf("text %d differs at %d", i, k)
			}
		}
	}
}

// The fast ways give what the plain ones do, for numbers of rows that fill
// nothing up; so do those of processors that offer less than this one.
func TestFastAsPlain(t *testing.T) {
	hasWide, hasWidest := wide, widest
	defer func() { wide, widest = hasWide, hasWidest }()
	for _, width := range [][2]bool{{hasWide, hasWidest}, {hasWide, false}, {false, false}} {
		wide, widest = width[0], width[1]
		t.Run(fmt.Sprint(width), fastAsPlain)
	}
}

func fastAsPlain(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	random := func(n int) []float32 {
		x := make([]float32, n)
		for i := range x {
			x[i] = r.Float32() - 0.5
		}
		return x
	}
	for _, rows := range []int{1, 2, 3, 7} {
		d := &dense{rows: 256, columns: 512, numbers: make([]int16, 256*512), scales: random(512), bias: random(512)}
		for i := range d.numbers {
			d.numbers[i] = int16(r.IntN(255) - 127)
		}
		x, plus, units := make([]int16, rows*256), random(rows*512), random(rows)
		for i := range x {
			x[i] = int16(r.IntN(2*largest) - largest)
		}
		fast, plain := make([]float32, rows*512), make([]float32, rows*512)
		multiply(x, units, d, fast, plus)
		plainly(x, units, d, plain, plus)
		for i := range fast {
			if math.Abs(float64(fast[i]-plain[i])) > 1e-4*(1+math.Abs(float64(plain[i]))) {
				t.Fatalf("%d rows differ at %d: %v, %v", rows, i, fast[i], plain[i])
			}
		}
	}
	for _, n := range []int{0, 1, 15, 64, 70} {
		a, b := random(n), random(n)
		if math.Abs(float64(dot(a, b)-embedding.Dot(a, b))) > 1e-4 {
			t.Error(n)
		}
		x, y := slices.Clone(a), slices.Clone(a)
		addScaled(x, b, 0.5)
		plainAddScaled(y, b, 0.5)
		if !slices.EqualFunc(x, y, func(p, q float32) bool { return math.Abs(float64(p-q)) < 1e-6 }) {
			t.Error(n)
		}
	}
}

// Windows have every word once, in order, and end alike where texts overlap.
func TestWindows(t *testing.T) {
	var sentences []string
	r := rand.New(rand.NewPCG(3, 4))
	for range 60 {
		var s []string
		for range 5 + r.IntN(20) {
			s = append(s, string(rune('a'+r.IntN(26)))+string(rune('a'+r.IntN(26))))
		}
		sentences = append(sentences, "A"+strings.Join(s, " ")+".")
	}
	text := strings.Join(sentences, " ")
	whole := Windows("", text)
	if got := strings.Join(whole, " "); got != text {
		t.Error("words are lost or doubled")
	}
	for _, w := range whole {
		if n := len(strings.Fields(w)); n > mostWords {
			t.Error(n)
		}
	}
	later := Windows("", strings.Join(sentences[15:], " "))
	shared := 0
	for _, w := range later {
		if slices.Contains(whole, w) {
			shared++
		}
	}
	if shared*2 < len(later) {
		t.Errorf("of %d windows of a text that begins later %d are the same", len(later), shared)
	}
	if Windows("A title", "") != nil || len(Windows("", strings.Repeat("word ", 500))) != 7 {
		t.Error("nothing, or one long sentence")
	}
	if got := Windows("Rules", "Dogs stay outside."); len(got) != 1 || got[0] != "Rules. Dogs stay outside." {
		t.Errorf("%q", got)
	}
}

func TestCodes(t *testing.T) {
	v, w := Load().Encode("Bees fly from March to October."), Load().Encode("When do bees fly?")
	c := CodeOf(v)
	back, err := ReadCode(c.Bytes())
	if err != nil || *back != *c {
		t.Fatal(err)
	}
	if math.Abs(float64(c.Dot(w)-embedding.Dot(v, w))) > 0.003 {
		t.Error(c.Dot(w), embedding.Dot(v, w))
	}
	if _, err := ReadCode(c.Bytes()[1:]); err == nil {
		t.Error("a code that is cut off is read")
	}
	if CodeOf(nil) != nil || CodeOf(make([]float32, Dimensions)).Dot(w) != 0 {
		t.Error("nothing")
	}
	if c.Signs() == SignsOf(w) {
		t.Error("the signs of two texts are the same")
	}
}

func BenchmarkWindow(b *testing.B) {
	e := Load()
	text := strings.Repeat("The hall opens at nine and people who want to stay longer tell the office before. ", 4)
	for b.Loop() {
		e.EncodeAll([]string{text, text}, 1)
	}
}

func BenchmarkQuestion(b *testing.B) {
	for b.Loop() {
		Load().Encode("When may I bring my dog to the library?")
	}
}
