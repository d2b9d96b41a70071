package retrieval

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"juvalogos/core/embedding"
)

// words only: no title, no path, as the papers' examples have it.
func plainOptions() Options {
	o := DefaultOptions
	o.Expand, o.VectorWeight, o.Candidates, o.Distinct = 0, 0, 0, false
	return o
}

func indexOf(texts ...string) *Index {
	x := New()
	var entries []Entry
	for i, text := range texts {
		e := Entry{Key: int64(i), Document: int64(i + 1), Text: text, Language: "en"}
		if v, known := embedding.Load().Vector(text); known {
			e.Vector = v[:]
		}
		entries = append(entries, e)
	}
	x.Add(entries)
	return x
}

func documents(r Result) (all []int64) {
	for _, h := range r.Hits {
		all = append(all, h.Document)
	}
	return all
}

// BM25 worked out by hand: three passages of 4, 2 and 3 words, k1 1.2, b 0.75;
// the weight of a word is log(1 + (N-df+0.5)/(df+0.5)).
func TestBM25AsWorkedOutByHand(t *testing.T) {
	x := indexOf("honey honey comb frame", "honey jar", "smoker hay bellows")
	r := x.Search(Query{Text: "honey", Limit: 10}, plainOptions())
	idf := math.Log(1 + 1.5/2.5)
	first := idf * (2 / (0.25 + 0.75*4/3)) * 2.2 / (1.2 + 2/(0.25+0.75*4/3))
	second := idf * (1 / (0.25 + 0.75*2/3)) * 2.2 / (1.2 + 1/(0.25+0.75*2/3))
	if len(r.Hits) != 2 || math.Abs(r.Hits[0].Lexical-max(first, second)) > 1e-6 ||
		math.Abs(r.Hits[1].Lexical-min(first, second)) > 1e-6 {
		t.Errorf("%+v; %f, %f", r.Hits, first, second)
	}
}

// Fields: a word in the title counts as often as the weight says, held against
// the titles' usual length.
func TestFieldsAreWeighed(t *testing.T) {
	x := New()
	x.Add([]Entry{{Document: 1, Title: "Wasps", Text: "in july", Language: "en"},
		{Document: 2, Title: "Hives", Text: "wasps come", Language: "en"}})
	r := x.Search(Query{Text: "wasps", Limit: 2}, plainOptions())
	idf := math.Log(1 + 0.5/2.5)
	if math.Abs(r.Hits[0].Lexical-idf*3*2.2/(1.2+3)) > 1e-6 || r.Hits[0].Document != 1 ||
		math.Abs(r.Hits[1].Lexical-idf*1*2.2/(1.2+1)) > 1e-6 {
		t.Errorf("%+v", r.Hits)
	}
}

// Reciprocal rank fusion: 1/(60+1) from the words and a fifth of 1/(60+2).
func TestFusion(t *testing.T) {
	o := DefaultOptions
	o.VectorWeight = 0.2
	if got := fuse(&candidate{Hit: Hit{LexicalRank: 1, VectorRank: 2}},
		o.VectorWeight, 0); math.Abs(got-(1.0/61+0.2/62)) > 1e-12 {
		t.Error(got)
	}
}

func TestIdentifiersAndNumbersAreKeptWhole(t *testing.T) {
	x := indexOf("Call os.path.join with two parts.", "The path is a join of two things called os.",
		"Part number AX-17 fits.", "Part 17 of the axe fits.", "max_tokens and maxTokens", "HTTPServer listens")
	for query, want := range map[string]int64{"os.path.join": 1, "AX-17": 3, "ax-17": 3, "max_tokens": 5,
		"http server": 6, "HTTPServer": 6} {
		if got := documents(x.Search(Query{Text: query, Limit: 1}, plainOptions())); len(got) == 0 || got[0] != want {
			t.Errorf("%s finds %v", query, got)
		}
	}
}

func TestStemsByLanguage(t *testing.T) {
	x := New()
	x.Add([]Entry{{Document: 1, Text: "The bees were feeding quietly", Language: "en"},
		{Document: 2, Text: "Las abejas vuelan rápidamente", Language: "es"}})
	for query, want := range map[string]int64{"feeds a bee": 1, "abejas": 2} {
		if got := documents(x.Search(Query{Text: query, Limit: 1}, plainOptions())); len(got) != 1 || got[0] != want {
			t.Errorf("%s finds %v", query, got)
		}
	}
}

func TestWordsThatMeanTheSameAreFound(t *testing.T) {
	texts := []string{"The vehicle must be parked behind the barn.", "The poem was read aloud at supper."}
	for i := range 40 { // so that words have something to be rare in
		texts = append(texts, fmt.Sprintf("Filler sentence number %d about nothing in particular.", i))
	}
	x := indexOf(texts...)
	o := plainOptions()
	if got := x.Search(Query{Text: "car", Limit: 1}, o); len(got.Hits) != 0 {
		t.Errorf("without expansion: %+v", got.Hits)
	}
	o.Expand = 6
	if got := documents(x.Search(Query{Text: "car", Limit: 1}, o)); len(got) != 1 || got[0] != 1 {
		t.Errorf("%v", got)
	}
}

func TestRemovedDocumentsAreGone(t *testing.T) {
	x := indexOf("honey one", "honey two", "honey three")
	x.Remove(2)
	for _, o := range []Options{plainOptions(), DefaultOptions} {
		v, _ := embedding.Load().Vector("honey")
		if got := documents(x.Search(Query{Text: "honey two", Vector: v[:], Limit: 5}, o)); slices.Contains(got, 2) ||
			len(got) != 2 {
			t.Errorf("%v", got)
		}
	}
	if x.Len() != 2 {
		t.Error(x.Len())
	}
	// So many that the index is swept.
	var many []Entry
	for i := range 3000 {
		many = append(many, Entry{Document: int64(1000 + i), Text: fmt.Sprintf("word%d honey", i), Language: "en"})
	}
	x.Add(many)
	for i := range 2000 {
		x.Remove(int64(1000 + i))
	}
	if got := documents(x.Search(Query{Text: "word2500", Limit: 3}, plainOptions())); len(got) != 1 || got[0] != 3500 {
		t.Errorf("after the sweep: %v", got)
	}
	if got := x.Search(Query{Text: "word500", Limit: 3}, plainOptions()); len(got.Hits) != 0 || x.Len() != 1002 {
		t.Errorf("%+v, %d", got, x.Len())
	}
}

func TestTheSameIsSaidOnce(t *testing.T) {
	same := "Members may borrow the extractor for three days against a deposit of thirty crowns in cash."
	x := indexOf(same, same, "The extractor stands in the shed and is cleaned by whoever used it before the next one "+
		"comes.")
	if got := documents(x.Search(Query{Text: "borrow the extractor", Limit: 3}, DefaultOptions)); len(got) != 2 {
		t.Errorf("%v", got)
	}
	o := DefaultOptions
	o.Distinct = false
	if got := documents(x.Search(Query{Text: "borrow the extractor", Limit: 3}, o)); len(got) != 3 {
		t.Errorf("switched off: %v", got)
	}
}

func TestAnswersTellsWhatIsNotThere(t *testing.T) {
	x := indexOf("Members may borrow the extractor for three days.",
		"Autumn syrup is two parts of sugar to one of water.", "The inspector visits in May and September.",
		"A swarm is hived in the evening.", "Queens are marked with the colour of their year.")
	ask := func(text string) float64 { return x.Search(Query{Text: text, Limit: 3}, DefaultOptions).Answers }
	if yes, no := ask("How long may members borrow the extractor?"),
		ask("Which vaccination does a puppy need?"); yes < no+0.3 {
		t.Errorf("%.2f and %.2f", yes, no)
	}
	if got := ask(""); got != 0 {
		t.Error(got)
	}
}

// The graph finds nearly what comparing one by one finds.
func TestTheGraphFindsTheNearest(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 5))
	random := func() []float32 {
		v := make([]float32, 24)
		sum := 0.0
		for i := range v {
			v[i] = float32(r.NormFloat64())
			sum += float64(v[i] * v[i])
		}
		for i := range v {
			v[i] /= float32(math.Sqrt(sum))
		}
		return v
	}
	var all [][]float32
	g := newGraph()
	for i := range 5000 {
		all = append(all, random())
		g.insert(int32(i), func(n int32) []float32 { return all[n] })
	}
	found, total := 0, 0
	for range 50 {
		q := random()
		var exact []nearID
		for i, v := range all {
			exact = append(exact, nearID{int32(i), embedding.Dot(q, v)})
		}
		slices.SortFunc(exact, nearer)
		got := g.search(q, 10, 200, func(n int32) []float32 { return all[n] })
		for _, e := range exact[:10] {
			total++
			if slices.ContainsFunc(got, func(n nearID) bool { return n.id == e.id }) {
				found++
			}
		}
	}
	if found*100 < total*92 {
		t.Errorf("%d of %d", found, total)
	}
}

func TestTheMapPutsLikeToLike(t *testing.T) {
	x := indexOf("honey bees hive comb nectar", "bees hive swarm queen", "engine wheel car tyre brake",
		"car motor road wheel")
	points, asked := x.Map(10, nil)
	if len(points) != 4 || asked != nil {
		t.Fatalf("%v", points)
	}
	far := func(a, b Point) float64 { return math.Hypot(a.X-b.X, a.Y-b.Y) }
	if far(points[0], points[1]) >= far(points[0], points[2]) ||
		far(points[2], points[3]) >= far(points[1], points[3]) {
		t.Errorf("%+v", points)
	}
	if p, _ := New().Map(10, nil); p != nil {
		t.Error("nothing has a map")
	}
}

// Searching and adding at once breaks nothing.
func TestManyAtOnce(t *testing.T) {
	x := indexOf("honey")
	done := make(chan bool)
	for n := range 4 {
		go func() {
			for i := range 50 {
				id := int64(n*1000 + i)
				x.Add([]Entry{{Document: id, Text: strings.Repeat("honey comb ", i%5+1), Language: "en"}})
				x.Search(Query{Text: "honey comb", Limit: 3}, DefaultOptions)
				if i%3 == 0 {
					x.Remove(id)
				}
			}
			done <- true
		}()
	}
	for range 4 {
		<-done
	}
	if got := x.Search(Query{Text: "honey", Limit: 5}, DefaultOptions); len(got.Hits) == 0 {
		t.Error("nothing is found")
	}
}

// A search within some documents finds nothing of others, by words or by
// vectors, and all of theirs.
func TestSearchWithinDocuments(t *testing.T) {
	x := New()
	words := embedding.Load()
	for d := range int64(40) {
		text := fmt.Sprintf("The queen lays eggs in hive %d.", d)
		v, _ := words.Vector(text)
		x.Add([]Entry{{Document: d, Title: "Notes", Text: text, Vector: v[:]}})
	}
	v, _ := words.Vector("queen")
	r := x.Search(Query{Text: "queen", Vector: v[:], Limit: 50, Only: map[int64]bool{7: true, 31: true, 99: true}},
		DefaultOptions)
	if len(r.Hits) != 2 || r.Hits[0].Document+r.Hits[1].Document != 38 {
		t.Errorf("%+v", r.Hits)
	}
	if r := x.Search(Query{Text: "queen", Limit: 50, Only: map[int64]bool{}}, DefaultOptions); len(r.Hits) != 0 {
		t.Errorf("within nothing: %+v", r.Hits)
	}
}

// Where passages have a model's vectors, the search by meaning goes by them.
func TestAModelsVectors(t *testing.T) {
	x := New()
	o := DefaultOptions
	o.Distinct = false
	meanings := [][]float32{{1, 0}, {0.6, 0.8}, {0, 1}}
	for d, m := range meanings {
		x.Add([]Entry{{Document: int64(d), Text: "Nothing that the question says.", Meaning: m}})
	}
	if !x.Meant() {
		t.Error("it has no vectors of a model")
	}
	r := x.Search(Query{Text: "zebra", Meaning: []float32{0, 1}, Limit: 3}, o)
	for i, want := range []int64{2, 1, 0} {
		if len(r.Hits) != 3 || r.Hits[i].Document != want || r.Hits[i].VectorRank != i+1 ||
			math.Abs(r.Hits[i].Alike-float64(meanings[want][1])) > 1e-6 {
			t.Fatalf("%+v", r.Hits)
		}
	}
	o.MeaningWeight = 0
	if r := x.Search(Query{Text: "zebra", Meaning: []float32{0, 1}, Limit: 3}, o); len(r.Hits) != 0 {
		t.Errorf("left out: %+v", r.Hits)
	}
}

// What has several forms is found by each of them, and what has no spaces by
// any part of it.
func TestLanguagesAreFoundInTheirOwnWay(t *testing.T) {
	for _, c := range []struct{ language, text, other, question string }{
		{"de", "Jedes Mitglied zahlt vierzig Kronen im Jahr.", "Der Stock steht im Garten.",
			"Was zahlen die Mitglieder?"},
		{"nl", "De koningin legt haar eitjes in het voorjaar.", "Het huis staat in de tuin.",
			"Wanneer legt zij een eitje?"},
		{"it", "Ogni membro paga quaranta corone.", "La casa sta nel giardino.", "Quanto pagano i membri?"},
		{"pt", "As abelhas dormem no inverno.", "A casa fica no jardim.", "Quando dorme uma abelha?"},
		{"zh", "会员每年付四十克朗。", "蜂箱在花园里。", "会员要付多少"},
		{"ja", "会員は毎年四十クローネを払います。", "巣箱は庭にあります。", "会員はいくら払うか"},
		{"th", "สมาชิกจ่ายสี่สิบโครนต่อปี", "รังอยู่ในสวน", "สมาชิกจ่ายเท่าไร"},
		{"zh", "蜜", "箱", "蜜"},
	} {
		x := New()
		x.Add([]Entry{{Key: 1, Document: 1, Text: c.other, Language: c.language},
			{Key: 2, Document: 2, Text: c.text, Language: c.language}})
		r := x.Search(Query{Text: c.question, Limit: 2}, DefaultOptions)
		if len(r.Hits) == 0 || r.Hits[0].Key != 2 || r.Hits[0].Lexical == 0 {
			t.Errorf("%s, %q: %+v", c.language, c.question, r.Hits)
		}
	}
}
