package steps

import (
	"context"
	"strings"
	"testing"

	"juvalogos/core/evidence"
	"juvalogos/core/phrase"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/tables"
)

// fakeTables are a table of honey; they understand one query.
type fakeTables struct {
	right   string
	heavy   bool // every query takes too much
	asked   []string
	earlier []Queried
}

func (f *fakeTables) All(context.Context) ([]*tables.Table, error) {
	return []*tables.Table{{Name: "honey", Title: "Honey", Rows: 48, Columns: []tables.Column{
		{Name: "meadow", Title: "Meadow", Kind: tables.Text, Distinct: 6, Often: []tables.Value{{Text: "Larch Hill"}}},
		{Name: "kg", Title: "Honey (kg)", Kind: tables.Decimal, Distinct: 40, Least: "3", Most: "90"}},
		First: [][]string{{"Larch Hill", "12"}}}}, nil
}

func (f *fakeTables) Ask(_ context.Context, query string, _ int) (tables.Result, error) {
	f.asked = append(f.asked, query)
	if f.heavy {
		return tables.Result{}, &tables.Refused{What: "it took too long", TooMuch: phrase.Of("it took too long")}
	}
	if f.right != "" && query != f.right {
		return tables.Result{}, &tables.Refused{What: "there is no column kilos; these are there: meadow, kg"}
	}
	return tables.Result{Query: query, Total: 2, Of: 48, Read: 48,
		Rows: [][]string{{"Larch Hill", "639"}, {"Mill", "400"}},
		Columns: []tables.Head{{Title: "Meadow", Kind: tables.Text},
			{Title: "sum of Honey (kg)", Kind: tables.Decimal}}}, nil
}

func (f *fakeTables) Earlier(context.Context) ([]Queried, error) { return f.earlier, nil }

// reckons runs the built-in recipe on the table of honey, with a model that says so.
func reckons(t *testing.T, f *fakeTables, reader, question string, say said) (recipe.Result, []recipe.Span) {
	t.Helper()
	text, _ := Source("reckon")
	_, steps, _ := strings.Cut(string(text), "\n")
	turn := &RunContext{Models: &fakeModels{say: say}, Tables: f}
	result, _, spans, err := try(t, steps, turn, recipe.Values{"question": question}, recipe.Values{"reader": reader})
	if err != nil {
		t.Fatal(err)
	}
	return result, spans
}

func partOf[T any](r recipe.Result) (v T, is bool) {
	for _, p := range r.Parts {
		if v, is = p.Value.(T); is {
			return v, true
		}
	}
	return v, false
}

const tellsWhat = "What was worked out"

func lastOf(messages []prompt.Message) string { return messages[len(messages)-1].Text }

func TestAModelWritesAQueryAgainWhereItDoesNotRun(t *testing.T) {
	f := &fakeTables{right: "SELECT meadow, sum(kg) FROM honey GROUP BY 1"}
	var complaint string
	result, _ := reckons(t, f, "never", "which meadow?", func(m []prompt.Message) (string, error) {
		switch last := lastOf(m); {
		case strings.Contains(last, tellsWhat):
			return "Larch Hill gave 639 kg.", nil
		case strings.Contains(last, "does not run"):
			complaint = last
			return "Sorry!\n```sql\n" + f.right + "\n```\nThat is it.", nil
		}
		return "```sql\nSELECT meadow, sum(kilos) FROM honey GROUP BY 1\n```", nil
	})
	if len(f.asked) != 2 || !strings.Contains(complaint, "there is no column kilos") {
		t.Errorf("asked %q; complaint %q", f.asked, complaint)
	}
	figures, is := partOf[tables.Figures](result)
	if result.Reply != "Larch Hill gave 639 kg." || !is || figures.Loose != 0 || len(figures.Numbers) != 1 {
		t.Errorf("%q %+v", result.Reply, figures)
	}
	if table, is := partOf[tables.Result](result); !is || table.Query != f.right {
		t.Errorf("%+v", table)
	}
	if _, is := partOf[tables.Chart](result); !is {
		t.Error("there is no chart")
	}
}

func TestAModelThatLiesIsMarked(t *testing.T) {
	for lie, loose := range map[string]int{
		"Larch Hill gave 693 kg.":                            1,
		"Larch Hill gave 639 kg, which is 41 % of all.":      1,
		"Of 60 rows, Larch Hill has 639 kg and Mill 400 kg.": 1,
		"Larch Hill gave 639 kg; in 2019 it was 512.":        2,
	} {
		result, _ := reckons(t, &fakeTables{}, "never", "which meadow?", func(m []prompt.Message) (string, error) {
			if strings.Contains(lastOf(m), tellsWhat) {
				return lie, nil
			}
			return "SELECT meadow, sum(kg) FROM honey GROUP BY 1", nil
		})
		if figures, _ := partOf[tables.Figures](result); figures.Loose != loose {
			t.Errorf("%s: %d numbers are marked, want %d", lie, figures.Loose, loose)
		}
	}
}

func TestWhatTheTablesDoNotHoldIsSaid(t *testing.T) {
	f := &fakeTables{}
	result, spans := reckons(t, f, "first", "Why do bees dance?", func([]prompt.Message) (string, error) {
		return "NO ANSWER: The tables do not say why.", nil
	})
	if result.Reply != "The tables do not say why." || len(f.asked) != 0 || len(result.Parts) != 0 {
		t.Errorf("%q %q %v", result.Reply, f.asked, spans)
	}
	// A model that never writes a query that runs is given up, and the visitor told.
	f = &fakeTables{right: "nothing"}
	result, _ = reckons(t, f, "never", "which?", func([]prompt.Message) (string, error) {
		return "SELECT 1", nil
	})
	if len(f.asked) != 3 || !strings.Contains(result.Reply, "could not be worked out") {
		t.Errorf("%d queries, %q", len(f.asked), result.Reply)
	}
}

// A query that takes too much is written once more, and then it is said what to do.
func TestAQueryThatTakesTooMuch(t *testing.T) {
	for reader, want := range map[string]int{"never": 2, "alone": 1} {
		f := &fakeTables{heavy: true}
		result, _ := reckons(t, f, reader, "total honey by meadow", func([]prompt.Message) (string, error) {
			return "SELECT sum(kg) FROM honey", nil
		})
		if len(f.asked) != want || !strings.Contains(result.Reply, "Ask for less at once") {
			t.Errorf("%s: %d queries, %q", reader, len(f.asked), result.Reply)
		}
	}
}

func TestTheReaderNeedsNoModel(t *testing.T) {
	for _, manner := range []string{"first", "alone"} {
		f := &fakeTables{}
		result, _ := reckons(t, f, manner, "total honey by meadow", func(m []prompt.Message) (string, error) {
			t.Errorf("%s: a model is asked: %s", manner, lastOf(m))
			return "", nil
		})
		if len(f.asked) != 1 || !strings.Contains(result.Reply, "639") {
			t.Errorf("%s: %q %q", manner, f.asked, result.Reply)
		}
	}
	f := &fakeTables{}
	result, _ := reckons(t, f, "alone", "Why do bees dance?", func([]prompt.Message) (string, error) {
		t.Error("a model is asked")
		return "", nil
	})
	if len(f.asked) != 0 || result.Reply == "" {
		t.Errorf("%q %q", f.asked, result.Reply)
	}
}

func TestFollowUpsKnowTheQueriesBefore(t *testing.T) {
	f := &fakeTables{earlier: []Queried{{"Which meadow?", "SELECT meadow FROM honey"}, {"Thanks", ""}}}
	var system string
	reckons(t, f, "never", "and by month?", func(m []prompt.Message) (string, error) {
		if system == "" {
			system = m[0].Text
		}
		return "SELECT 1", nil
	})
	for _, want := range []string{"SELECT meadow FROM honey", "Question: Which meadow?",
		"Table honey (“Honey”), 48 rows",
		"meadow: text; 6 different: 'Larch Hill'", "kg: number (“Honey (kg)”); 3 to 90"} {
		if !strings.Contains(system, want) {
			t.Errorf("the model is not told %q of\n%s", want, system)
		}
	}
}

func TestQueriesAreFoundInWhatModelsSay(t *testing.T) {
	for text, want := range map[string]string{
		"SELECT 1":              "SELECT 1",
		"```sql\nSELECT 1\n```": "SELECT 1",
		"Here:\n```\nWITH a AS (SELECT 1) SELECT * FROM a\n```\nDone.": "WITH a AS (SELECT 1) SELECT * FROM a",
		"```sql\nSELECT 1\n```\nBetter:\n```sql\nSELECT 2\n```":        "SELECT 2",
		"```sql\nSELECT 3":         "SELECT 3",
		"I cannot do that.":        "",
		"```python\nprint(1)\n```": "",
	} {
		if got, why := queryIn(text); got != want || why != "" {
			t.Errorf("%q: %q, %q", text, got, why)
		}
	}
}

// One reply says what documents say and what tables hold; a lie about either is marked.
func TestTextsAndTablesInOneReply(t *testing.T) {
	text, _ := Source("inquire")
	_, steps, _ := strings.Cut(string(text), "\n")
	passages := []evidence.Passage{{Document: 1, Title: "Honey",
		Text: "Honey is kept at 14 degrees. It keeps for years."}}
	for _, c := range []struct {
		name, query, said string
		loose             int
		supported         []evidence.Support
		worked            bool
	}{
		{"both", "SELECT meadow, sum(kg) FROM honey GROUP BY 1",
			"Honey is kept at 14 degrees [1]. Larch Hill gave 639 kg.", 0,
			[]evidence.Support{evidence.Supported, evidence.Supported}, true},
		{"a lie", "SELECT meadow, sum(kg) FROM honey GROUP BY 1",
			"Honey is kept at 14 degrees [1]. Larch Hill gave 693 kg.", 1,
			[]evidence.Support{evidence.Supported, evidence.Unsupported}, true},
		{"no table says it", "NO ANSWER", "Honey is kept at 14 degrees [1].", 0,
			[]evidence.Support{evidence.Supported}, false},
	} {
		var told string
		turn := &RunContext{Tables: &fakeTables{}, Shelves: &fakeShelves{passages: passages, answers: 0.9},
			Models: &fakeModels{say: func(m []prompt.Message) (string, error) {
				if strings.Contains(m[0].Text, "write NO ANSWER") {
					return c.query, nil
				}
				told = lastOf(m)
				return c.said, nil
			}}}
		result, written, _, err := try(t, steps, turn,
			recipe.Values{"question": "How is honey kept, and which gave most?"},
			recipe.Values{"reader": "never"})
		if err != nil {
			t.Fatal(err)
		}
		if written[0] != c.said {
			t.Errorf("%s: the reply does not grow: %v", c.name, written)
		}
		if strings.Contains(told, "Larch Hill | 639") != c.worked || !strings.Contains(told, "14 degrees") {
			t.Errorf("%s: the model is told %q", c.name, told)
		}
		figures, held := partOf[tables.Figures](result)
		margin, _ := partOf[evidence.Sources](result)
		if held != c.worked || figures.Loose != c.loose || len(margin.Sentences) != len(c.supported) {
			t.Errorf("%s: %+v %+v", c.name, figures, margin)
			continue
		}
		for i, s := range margin.Sentences {
			if s.Support != c.supported[i] {
				t.Errorf("%s: sentence %d is %s", c.name, i, s.Support)
			}
		}
	}
}
