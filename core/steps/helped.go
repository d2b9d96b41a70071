package steps

import (
	"cmp"
	"context"
	"fmt"
	"golang.org/x/text/language"
	"golang.org/x/text/language/display"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"juvalogos/core/deskfile"
	"juvalogos/core/evidence"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
	"juvalogos/core/templates"
)

// A shelf may have the desk's model help to find: rephrase the question before,
// choose among what was found after.

const (
	rephrasings      = 2
	rephraseQuestion = "Write the user's question again in two other ways, with other words for the same thing, " +
		"such as documents on it would use. One on each line, and nothing else."
	choosePassages = "Which of the numbered passages answer the user's question? Write their numbers, the best " +
		"first, separated by commas, and nothing else. If none answers it, write 0."
	shownToChoose      = 120 // tokens of each passage
	wider              = 2   // times as many are found where the model chooses among them
	longestRephrasings = 200
)

// find finds passages, with the model's help where the shelves want it. What
// the model cannot do is left out: its help is not needed.
func find(t *RunContext, ctx context.Context, c *recipe.Call, w Wanted) (Finding, error) {
	help := t.Shelves.Help()
	one := w
	if help.Choose {
		one.Most *= wider
	}
	first, err := t.Shelves.Find(ctx, one)
	if err != nil {
		return first, err
	}
	all := []Finding{first}
	var others []string
	if help.Rephrase {
		others = otherWords(t, ctx, c, w.Question, first.In)
	}
	for _, q := range others {
		one.Question = q
		f, err := t.Shelves.Find(ctx, one)
		if err != nil {
			return f, err
		}
		all = append(all, f)
	}
	finding := together(all)
	finding.AskedIn, finding.In = first.AskedIn, first.In
	if help.Choose && len(finding.Found) > 1 {
		finding.Found = chosen(t, ctx, c, w.Question, finding.Found)
	}
	finding.Found = finding.Found[:min(w.Most, len(finding.Found))]
	return finding, nil
}

// otherWords are the question in other words, and in another language if the documents
// are in another one: the first of in.
func otherWords(t *RunContext, ctx context.Context, c *recipe.Call, question string, in []string) (lines []string) {
	task := rephraseQuestion
	if len(in) > 0 {
		task = strings.Replace(task, "again", "in "+display.English.Languages().Name(language.Make(in[0])), 1)
	}
	said, err := t.whole(ctx, c, "", Ask{
		Messages: []prompt.Message{{Role: prompt.System, Text: task}, {Role: prompt.User, Text: question}},
		Sampling: deskfile.Sampling{Temperature: new(0.0), MaxTokens: longestRephrasings},
	})
	if err != nil {
		c.Note("the question was not rephrased: " + err.Error())
		return nil
	}
	for line := range strings.Lines(said) {
		line = strings.TrimSpace(strings.TrimLeft(strings.TrimSpace(line), "-*•0123456789.) "))
		if line != "" && line != question && len(lines) < rephrasings {
			lines = append(lines, line)
		}
	}
	return lines
}

// together makes one finding of several, by reciprocal rank (Cormack, Clarke
// and Büttcher, 2009).
func together(all []Finding) Finding {
	if len(all) == 1 {
		return all[0]
	}
	const k = 60
	type key struct {
		document int64
		position int
	}
	var sum Finding
	scores := map[key]float64{}
	for _, f := range all {
		if sum.Passages = max(sum.Passages, f.Passages); f.Answers >= sum.Answers {
			sum.Answers, sum.Least = f.Answers, f.Least
		}
		sum.Note = cmp.Or(sum.Note, f.Note)
		sum.Elsewhere = sum.Elsewhere || f.Elsewhere
		sum.Asked = append(sum.Asked, f.Asked...)
		for i, p := range f.Found {
			at := key{p.Document, p.Position}
			if _, there := scores[at]; !there {
				sum.Found = append(sum.Found, p)
			}
			scores[at] += 1 / float64(k+i+1)
		}
	}
	slices.SortStableFunc(sum.Found, func(a, b evidence.Passage) int {
		return cmp.Compare(scores[key{b.Document, b.Position}], scores[key{a.Document, a.Position}])
	})
	return sum
}

var number = regexp.MustCompile(`\d+`)

// chosen puts those passages first that the model says answer.
func chosen(t *RunContext, ctx context.Context, c *recipe.Call, question string,
	found []evidence.Passage) []evidence.Passage {
	var b strings.Builder
	for i, f := range found {
		fmt.Fprintf(&b, "[%d] %s\n%s\n\n", i+1, f.Title, prompt.Cut(prompt.Estimate{}, f.Text, shownToChoose))
	}
	said, err := t.whole(ctx, c, "", Ask{
		Messages: []prompt.Message{{Role: prompt.System, Text: choosePassages + " " + templates.OnlyMaterial},
			{Role: prompt.User, Text: templates.Fence(strings.TrimSpace(b.String())) + "\n\nQuestion: " + question}},
		Sampling: deskfile.Sampling{Temperature: new(0.0), MaxTokens: 60},
	})
	if err != nil {
		c.Note("the model did not choose among the passages: " + err.Error())
		return found
	}
	var order []evidence.Passage
	taken := make([]bool, len(found))
	for _, n := range number.FindAllString(said, -1) {
		if i, err := strconv.Atoi(n); err == nil && i >= 1 && i <= len(found) && !taken[i-1] {
			taken[i-1] = true
			order = append(order, found[i-1])
		}
	}
	for i, f := range found {
		if !taken[i] {
			order = append(order, f)
		}
	}
	return order
}
