package steps

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"sync/atomic"
	"testing"

	"juvalogos/core/evidence"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
)

// fakeWorks is a document of so many sections.
type fakeWorks int

func (n fakeWorks) Divide(context.Context, string, int) (Division, error) {
	d := Division{Titles: []string{"The handbook"}}
	for i := range int(n) {
		d.Sections = append(d.Sections, evidence.Passage{Document: 1, Title: "The handbook",
			Path: []string{fmt.Sprint("Part ", i+1)},
			Text: fmt.Sprintf("Hive number %d stands in meadow %d. It is painted blue.", 100+i, 200+i)})
	}
	return d, nil
}

// digests runs the built-in recipe on so many sections.
func digests(t *testing.T, sections int, manner string, say said) (recipe.Result, []recipe.Span, error) {
	t.Helper()
	return digestsBy(t, sections, manner, recipe.Values{"way": "sections", "brief_sections": ""}, say)
}

func digestsBy(t *testing.T, sections int, manner string, settings recipe.Values, say said) (recipe.Result,
	[]recipe.Span,
	error) {
	t.Helper()
	text, _ := Source("digest")
	_, steps, _ := strings.Cut(string(text), "\n")
	turn := &RunContext{Models: &fakeModels{say: say}, Works: fakeWorks(sections)}
	result, _, spans, err := try(t, steps, turn, recipe.Values{"question": "The handbook", "manner": manner},
		settings)
	return result, spans, err
}

// A short text can be put in short at once, and its sections by another model.
func TestOtherWaysOfADigest(t *testing.T) {
	asked := 0
	say := func(m []prompt.Message) (string, error) {
		asked++
		if !strings.Contains(lastOf(m), "Hive number 102 stands") || !strings.Contains(lastOf(m),
			"[3] The handbook > Part 3") {
			t.Errorf("the model is told %q", lastOf(m))
		}
		return "Hive number 102 stands in meadow 202 [3].", nil
	}
	result, _, err := digestsBy(t, 5, "on half a page", recipe.Values{"way": "at once"}, say)
	margin, _ := partOf[evidence.Sources](result)
	if err != nil || asked != 1 || !margin.Supported {
		t.Errorf("%v, asked %d times, %+v", err, asked, margin)
	}
	_, spans, err := digestsBy(t, 3, "on half a page", recipe.Values{"way": "sections",
		"sections_by": recipe.Voice{Model: "cheap"}}, func([]prompt.Message) (string, error) {
		return "Bees [1].",
			nil
	})
	if err != nil {
		t.Fatal(err)
	}
	by := map[string]int{}
	for _, s := range spans {
		for _, c := range s.Calls {
			by[s.Step+" "+c.Model]++
		}
	}
	if by["short/told shed/cheap"] != 3 || by["answer shed/m"] != 1 {
		t.Errorf("asked were %v", by)
	}
}

// One section after the other: each is read with what was noted before it, and what the last
// one leaves is the ground of the whole. Each can be read as it comes, under its heading.
func TestADigestInTurn(t *testing.T) {
	var order []int
	result, spans, err := digestsBy(t, 5, "on half a page", recipe.Values{"way": "in turn", "brief_sections": ""},
		func(m []prompt.Message) (string, error) {
			if strings.Contains(m[0].Text, "Write what they say") {
				if !strings.Contains(lastOf(m), "Hive 104 [5]") || !strings.Contains(lastOf(m), "Hive 100 [1]") {
					t.Errorf("the whole is asked for with %q", lastOf(m))
				}
				return "Hive number 104 stands in meadow 204 [5].", nil
			}
			for i := range 5 {
				if !strings.Contains(lastOf(m), fmt.Sprintf("number %d ", 100+i)) {
					continue
				}
				order = append(order, i)
				notes, _, _ := strings.Cut(lastOf(m), "Part ")
				if i > 0 && !strings.Contains(notes, fmt.Sprintf("Hive %d [%d]", 99+i, i)) {
					t.Errorf("section %d is read without the notes before it: %q", i+1, notes)
				}
				said := fmt.Sprintf("Hive %d [%d]", 100+i, i+1)
				if i > 0 {
					said = "Hive 100 [1]. " + said
				}
				return said, nil
			}
			return "", errors.New("unknown")
		})
	if err != nil || fmt.Sprint(order) != "[0 1 2 3 4]" {
		t.Fatalf("%v, in the order %v", err, order)
	}
	if margin, _ := partOf[evidence.Sources](result); !margin.Supported {
		t.Errorf("%+v", margin)
	}
	var pieces []string
	for _, s := range spans {
		if s.Piece != nil {
			pieces = append(pieces, fmt.Sprintf("%d of %d, %s: %s", s.Number, s.Of, s.Piece.Title, s.Piece.Text))
		}
	}
	if len(pieces) != 5 || pieces[1] != "2 of 5, Part 2: Hive 100 [1]. Hive 101 [2]" {
		t.Errorf("what may be read as it comes: %q", pieces)
	}
}

// About what was put in short one can ask: then nothing is divided, and the answer comes from
// what is found.
func TestAQuestionAboutWhatWasPutInShort(t *testing.T) {
	text, _ := Source("digest")
	_, steps, _ := strings.Cut(string(text), "\n")
	turn := &RunContext{Models: &fakeModels{say: func(m []prompt.Message) (string, error) {
		return "Members may borrow the extractor for three days [1].", nil
	}}, Works: fakeWorks(3), Shelves: &fakeShelves{passages: handbook, answers: 0.9}}
	result, _, spans, err := try(t, steps, turn, recipe.Values{"question": "How long is the extractor lent?",
		"manner": "an answer to my question", "sections": "with care"}, recipe.Values{"way": "sections"})
	if err != nil || !strings.Contains(result.Reply, "three days") {
		t.Fatalf("%v: %q", err, result.Reply)
	}
	if margin, _ := partOf[evidence.Sources](result); !margin.Supported {
		t.Errorf("%+v", margin)
	}
	for _, s := range spans {
		if s.Do == "divide" && s.State != recipe.Skipped {
			t.Errorf("the documents are divided: %+v", s)
		}
	}
}

// A visitor may have the sections put in short by the cheaper model that the maker names.
func TestSectionsOfADigestCheaply(t *testing.T) {
	for _, sections := range []string{"with care", "cheaply"} {
		text, _ := Source("digest")
		_, steps, _ := strings.Cut(string(text), "\n")
		turn := &RunContext{Models: &fakeModels{say: func([]prompt.Message) (string, error) {
			return "Bees [1].",
				nil
		}},
			Works: fakeWorks(3)}
		result, _, spans, err := try(t, steps, turn, recipe.Values{"question": "It", "manner": "for a child",
			"sections": sections}, recipe.Values{"way": "sections", "cheaply_by": recipe.Voice{Model: "cheap"}})
		if err != nil {
			t.Fatal(err)
		}
		cheap := 0
		for _, s := range spans {
			for _, c := range s.Calls {
				if c.Model == "shed/cheap" {
					cheap++
				}
			}
		}
		if want := map[string]int{"with care": 0, "cheaply": 3}[sections]; cheap != want {
			t.Errorf("%s: the cheaper model is asked %d times", sections, cheap)
		}
		outline, is := partOf[evidence.Outline](result)
		if !is || len(outline.Sections) != 3 || outline.Sections[2].Text != "Bees [1]." ||
			outline.Sections[2].Passage.Path[0] != "Part 3" {
			t.Errorf("section by section: %+v", outline)
		}
	}
}

// Every section is read once, what is said of it keeps its number, and what the whole says is
// held against the section that it names.
func TestADigestReadsEverySectionOnce(t *testing.T) {
	seen := make([]atomic.Int32, 12)
	result, _, err := digests(t, 12, "in three lines", func(m []prompt.Message) (string, error) {
		if strings.Contains(m[0].Text, "numbered notes") {
			if !strings.Contains(m[0].Text, "Three sentences") || !strings.Contains(lastOf(m), "[12] Hive 111.") {
				t.Errorf("the whole is asked for with %q, %q", m[0].Text, lastOf(m))
			}
			return "Hive number 104 stands in meadow 204 [5]. Hive number 104 stands in the river [5].", nil
		}
		for i := range seen {
			if strings.Contains(lastOf(m), fmt.Sprintf("number %d ", 100+i)) {
				seen[i].Add(1)
				return fmt.Sprintf("Hive %d.", 100+i), nil
			}
		}
		return "", errors.New("unknown")
	})
	if err != nil {
		t.Fatal(err)
	}
	for i := range seen {
		if n := seen[i].Load(); n != 1 {
			t.Errorf("section %d is read %d times", i+1, n)
		}
	}
	margin, _ := partOf[evidence.Sources](result)
	if len(margin.Sentences) != 2 || margin.Sentences[0].Support != evidence.Supported ||
		margin.Sentences[0].Notes[0].Section != "Part 5" {
		t.Errorf("%+v", margin.Sentences)
	}
}

// What cannot be put in short is said, and the rest is there; where nothing can, it fails.
func TestADigestSaysWhatIsMissing(t *testing.T) {
	bad := func(only string) said {
		return func(m []prompt.Message) (string, error) {
			if strings.Contains(lastOf(m), only) && !strings.Contains(m[0].Text, "numbered notes") {
				return "", errors.New("the model is away")
			}
			return "Hives stand in meadows.", nil
		}
	}
	result, _, err := digests(t, 5, "on half a page", bad("number 102 "))
	if err != nil {
		t.Fatal(err)
	}
	told := ""
	for _, p := range result.Parts {
		if p.Title == "What is missing" {
			told, _ = p.Value.(string)
		}
	}
	if !strings.Contains(told, "1 of 5 sections") || !strings.Contains(told, "(3)") {
		t.Errorf("it is said that %q is missing", told)
	}
	if _, _, err := digests(t, 3, "on half a page", bad("Hive number")); err == nil {
		t.Error("a digest of nothing is made")
	}
}

// What is longer than a model can read is put together in rounds, and every number that is
// left is that of a section.
func TestADigestInRounds(t *testing.T) {
	long := strings.Repeat("bees fly over meadows ", 40)
	rounds := 0
	result, spans, err := digests(t, 60, "on half a page", func(m []prompt.Message) (string, error) {
		switch {
		case strings.Contains(m[0].Text, "Put these notes together"):
			rounds++
			first, _, _ := strings.Cut(lastOf(m), " ")
			return first + " Bees fly.", nil
		case strings.Contains(m[0].Text, "numbered notes"):
			if n := (prompt.Estimate{}).Count(lastOf(m)); n > 4096 {
				t.Errorf("the whole prompt has %d tokens", n)
			}
			return "Bees fly [1].", nil
		}
		return long, nil
	})
	if err != nil || rounds == 0 || result.Reply == "" {
		t.Fatalf("%d rounds, %v", rounds, err)
	}
	for _, s := range spans {
		if s.Step == "together" && s.Out["rounds"].(float64) < 1 {
			t.Errorf("%+v", s.Out)
		}
	}
}
