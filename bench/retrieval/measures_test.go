package main

import (
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"juvalogos/core/evidence"
	"juvalogos/core/passage"
	"juvalogos/core/reading"
	"juvalogos/core/retrieval"
)

func near(t *testing.T, what string, got, want float64) {
	t.Helper()
	if math.Abs(got-want) > 1e-9 {
		t.Errorf("%s: %v, want %v", what, got, want)
	}
}

// The right pages stand second and fourth, and a third one is missed.
func TestFigures(t *testing.T) {
	var f figures
	right := map[string]bool{"b": true, "d": true, "z": true}
	f.judge([]string{"a", "b", "c", "d", "e", "f"}, right)
	m := f.mean()
	near(t, "nDCG", m.ndcg, (1/math.Log2(3)+1/math.Log2(5))/(1+1/math.Log2(3)+1/math.Log2(4)))
	near(t, "recall", m.recall, 2.0/3)
	near(t, "reciprocal rank", m.mrr, 0.5)
	f.judge(nil, right)
	near(t, "mean with one that finds nothing", f.mean().mrr, 0.25)
}

func TestArea(t *testing.T) {
	near(t, "told apart", area([]float64{0.9, 0.8}, []float64{0.1, 0.2}), 1)
	near(t, "the wrong way round", area([]float64{0.1}, []float64{0.2, 0.3}), 0)
	near(t, "all the same", area([]float64{0.5, 0.5}, []float64{0.5}), 0.5)
	near(t, "three of four pairs", area([]float64{0.9, 0.4}, []float64{0.1, 0.6}), 0.75)
}

// Evidence that tells gets a weight, what does not or speaks the wrong way gets
// none, and the likelihoods come out as often as they are right.
func TestFitTelling(t *testing.T) {
	var set []telling
	for i := range 200 {
		yes := i%2 == 0
		e := retrieval.Features{Exact: float64(i%7) / 7, Native: 1, Missing: 0.5}
		if yes != (i%10 < 2) { // four of five times
			e.Covered = 1
		}
		if !yes {
			e.Near, e.Missing = 0.8, 0.9
		}
		set = append(set, telling{corpus: "one", answered: yes, evidence: e})
	}
	weights, b := fitTelling(set, map[string]float64{"one": 1}, func(int) bool { return true }, 0.01)
	var w retrieval.Features
	for i, v := range w.Values() {
		*v = weights[i]
	}
	if w.Covered <= 0 || w.Near != 0 || w.Missing >= 0 || w.Native > 1e-6 {
		t.Errorf("%+v", w)
	}
	sum, count := 0.0, 0.0
	var yes, no []float64
	for _, one := range set {
		o := oddsOf(one.evidence, weights, b)
		sum += 1 / (1 + math.Exp(-o))
		if one.answered {
			count++
			yes = append(yes, o)
		} else {
			no = append(no, o)
		}
	}
	if math.Abs(sum-count) > 0.01*count {
		t.Errorf("%.3f are likely, %.3f are answered", sum, count)
	}
	if got := area(yes, no); got < 0.9 {
		t.Errorf("told apart by %.2f", got)
	}
	if got := declined([]float64{0.5, 0.6, 0.7}, []float64{0.1, 0.9}); got != 0.5 {
		t.Errorf("%.2f are declined", got)
	}
}

// Weights are learnt of what tells the right ones from the others.
func TestLearnt(t *testing.T) {
	var lists []list
	for i := range 20 {
		l := list{corpus: "one"}
		for k := range 5 {
			l.right = append(l.right, k == i%5)
			l.signs = append(l.signs, []float64{one(k == i%5), float64((i+k)%3) / 3})
			l.pages = append(l.pages, int64(k))
		}
		lists = append(lists, l)
	}
	w := learnt(lists, 0.003, nil)
	if w[0] < 1 || w[1] > w[0]/3 {
		t.Error(w)
	}
	if mrr, among, n := measureLists(lists, w, "one"); mrr != 1 || among != 1 || n != 20 {
		t.Error(mrr, among, n)
	}
}

// Questions are headings that ask, without what counts them.
func TestQuestionOf(t *testing.T) {
	for text, want := range map[string]string{
		"Q3. How do I change the password?":    "How do I change the password?",
		"4.2 Where are the files kept?":        "Where are the files kept?",
		"[1.4] Can it be used by two at once?": "Can it be used by two at once?",
		"Why?":                                 "", "Is it so? Or not so at all?": "", "It is a statement.": "",
	} {
		if got := questionOf(reading.Block{Text: text}); got != want {
			t.Errorf("%q is %q", text, got)
		}
	}
}

// A package's questions leave its documents, and what stands below them answers.
func TestHarvested(t *testing.T) {
	long := strings.Repeat("It is done with the small key on the left side of it. ", 3)
	h := &harvested{name: "made-up"}
	h.take("faq.html", reading.Document{Title: "Answers", Blocks: []reading.Block{
		{Kind: reading.Heading, Level: 1, Text: "Answers"},
		{Kind: reading.Heading, Level: 2, Text: "How is the lid opened?"}, {Kind: reading.Paragraph, Text: long},
		{Kind: reading.Heading, Level: 2, Text: "Where can one buy it?"}, {Kind: reading.Paragraph, Text: "Nowhere."},
	}})
	if len(h.asked) != 1 || h.asked[0].text != "How is the lid opened?" || len(h.pages[0].doc.Blocks) != 3 {
		t.Fatalf("%+v", h)
	}
	right := passage.Chunk{Spans: []evidence.Offsets{{Block: 1, From: 0, To: len(long)}}}
	wrong := passage.Chunk{Spans: []evidence.Offsets{{Block: 2, From: 0, To: 8}}}
	if !h.asked[0].answers(right, h.pages[0].doc) || h.asked[0].answers(wrong, h.pages[0].doc) {
		t.Error("what answers")
	}
}

// Claims are made that say something else.
func TestChangedClaims(t *testing.T) {
	const s = "The server may keep 20 files open, and it is restarted every night."
	if got := denied(s); got != "The server may not keep 20 files open, and it is restarted every night." {
		t.Error(got)
	}
	if got := strengthened(s); !strings.HasPrefix(got, "The server must keep") {
		t.Error(got)
	}
	if got := renumbered(s, rand.New(rand.NewPCG(1, 1))); got == s || got == "" {
		t.Error(got)
	}
	if got := swappedRoles("The baker brings the horses home."); got != "The horses brings the baker home." {
		t.Error(got)
	}
}
