package embedding

import (
	"math"
	"math/bits"
	"slices"
	"strings"
	"testing"
)

func TestWordsThatMeanTheSameAreNear(t *testing.T) {
	w := Load()
	near := func(a, b string) float32 {
		t.Helper()
		i, okA := w.Find(a)
		j, okB := w.Find(b)
		if !okA || !okB {
			t.Fatalf("%s or %s is not known", a, b)
		}
		return w.Cosine(i, j)
	}
	for _, c := range [][3]string{{"bee", "honey", "invoice"}, {"car", "vehicle", "poem"}, {"list", "array", "river"},
		{"letter", "mail", "bacteria"}} {
		if a, b := near(c[0], c[1]), near(c[0], c[2]); a <= b+0.1 {
			t.Errorf("%s is as near to %s (%.2f) as to %s (%.2f)", c[0], c[2], b, c[1], a)
		}
	}
	if c := near("honey", "honey"); math.Abs(float64(c)-1) > 1e-3 {
		t.Errorf("a word is %v to itself", c)
	}
	differ := func(a, b string) int {
		i, _ := w.Find(a)
		j, _ := w.Find(b)
		x, y := w.Signature(i), w.Signature(j)
		return bits.OnesCount64(x[0]^y[0]) + bits.OnesCount64(x[1]^y[1])
	}
	if differ("car", "vehicle") >= differ("car", "poem") {
		t.Errorf("signatures: %d and %d", differ("car", "vehicle"), differ("car", "poem"))
	}
}

func TestTextsThatMeanTheSameAreNear(t *testing.T) {
	w := Load()
	texts := []string{
		"How do I feed sugar to a colony in autumn?", "Give the bees syrup before winter.",
		"The meeting was moved to the town hall.",
		"When may the car be driven?", "Vehicles are allowed on the road after noon.",
	}
	var vectors [][]float32
	for _, text := range texts {
		v, known := w.Vector(text)
		if !known {
			t.Fatal(text)
		}
		vectors = append(vectors, v[:])
	}
	if a, b := Dot(vectors[0], vectors[1]), Dot(vectors[0], vectors[2]); a <= b {
		t.Errorf("%v, %v", a, b)
	}
	if _, known := w.Vector("xqzzq 123"); known {
		t.Error("a text without words has a vector")
	}
}

// What is common to vectors along one axis is that axis.
func TestCommon(t *testing.T) {
	var vectors [][]float32
	for i := range 40 {
		v := []float32{3, float32(i%3) - 1, float32(i%5) - 2}
		normalise(v)
		vectors = append(vectors, v)
	}
	c := Common(vectors)
	if math.Abs(float64(c[0])) < 0.95 {
		t.Errorf("%v", c)
	}
	Remove(vectors[1], c)
	if d := Dot(vectors[1], c); math.Abs(float64(d)) > 1e-3 || math.Abs(float64(Dot(vectors[1], vectors[1]))-1) > 1e-3 {
		t.Errorf("%v is left", d)
	}
	if Common(vectors[:5]) != nil {
		t.Error("five vectors have nothing in common that means anything")
	}
}

// Words are found whatever stands around them and however they are written.
func TestWordsOfTexts(t *testing.T) {
	w := Load()
	find := func(words ...string) (all []int32) {
		for _, word := range words {
			i, known := w.Find(word)
			if !known {
				t.Fatal(word)
			}
			all = append(all, i)
		}
		return all
	}
	for text, want := range map[string][]int32{
		"Honey, HONEY; (honey)":             find("honey", "honey", "honey"),
		"The café queen-cell":               find("the", "queen", "cell"),
		"bee„queen“":                        find("bee", "queen"),
		strings.Repeat("honey", 7) + " bee": find("bee"),
		"":                                  nil,
		"x1bee2":                            find("bee"),
	} {
		var got []int32
		w.known(text, func(word int32) { got = append(got, word) })
		if !slices.Equal(got, want) {
			t.Errorf("%q: %v, want %v", text, got, want)
		}
	}
}
