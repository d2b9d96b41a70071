package steps

import (
	"context"
	"fmt"

	"juvalogos/core/citing"
	"juvalogos/core/evidence"
	"juvalogos/core/recipe"
)

type citeSet struct {
	Model string `yaml:"model" json:"model,omitempty" most:"200" about:"The model that is asked where ask is true; the desk's own if left out."`
}

var _ asksModel = (*citeSet)(nil)

func (set *citeSet) modelNamed() string { return set.Model }

func (set *citeSet) foresee(f *foresight, s *recipe.Step, voices []recipe.Voice) {
	if asks, _ := f.wired(s, "ask").(bool); asks {
		f.add(set.Model, len(voices)*(1+mostAgain), longestJudgement)
	}
}

// cite holds what a model said against the passages that it was given.
func cite() step {
	return step{
		StepKind: recipe.StepKind{
			Name: "cite", About: "Holds a text against the passages that it refers to: references to nothing are " +
				"taken out, wrong numbers mended, and each sentence is told what it rests on. No model is asked, " +
				"unless the maker wants it.",
			In: []recipe.Port{
				{Name: "text", Type: recipe.Text, Need: true,
					About: "what the model said; where this step's text is the reply, it is shown as it grows and " +
						"mended at the end"},
				{Name: "passages", Type: recipe.ListOf(recipe.Passage), Need: true, About: "what retrieve found"},
				{Name: "question", Type: recipe.Text, About: "what was asked: short answers are read in its light"},
				{Name: "answers", Type: recipe.Truth, About: "whether they are likely to answer"},
				{Name: "documents", Type: recipe.Truth, About: "whether there was anything to look through; where " +
					"there was not, the text stays as it is"},
				{Name: "sure", Type: recipe.Number, About: "how likely, 0 to 1: what is near is offered only where " +
					"there is some likelihood"},
				{Name: "ask", Type: recipe.Truth,
					About: "whether a model is asked too which sentences the passages say; " +
						"what it quotes has to stand there, and numbers, names and a no have to fit"},
				{Name: "foreign", Type: recipe.ListOf(recipe.Text), About: "what retrieve found of them: where the " +
					"question is in another one, the margin says so"},
			},
			Out: []recipe.Port{
				{Name: "text", Type: recipe.Text, About: "the text, mended"},
				{Name: "margin", Type: recipe.Sources, About: "its sentences with the passages they rest on"},
				{Name: "supported", Type: recipe.Truth, About: "whether any sentence rests on a passage"},
			},
			Set:     func() any { return &citeSet{} },
			Follows: "text",
		},
		do: func(t *RunContext, ctx context.Context, c *recipe.Call) (recipe.Values, error) {
			if any, known := c.In["documents"].(bool); known && !any {
				return recipe.Values{"text": text(c.In, "text"), "margin": nil, "supported": false}, nil
			}
			passages, err := recipe.List[evidence.Passage](c.In["passages"])
			if err != nil {
				return nil, err
			}
			for i := range passages {
				passages[i].Number = i + 1 // as references count
			}
			sure, known := c.In["sure"].(float64)
			answers, _ := c.In["answers"].(bool)
			checked := citing.Check(text(c.In, "text"), text(c.In, "question"), passages)
			if asks, _ := c.In["ask"].(bool); asks {
				told := askSupport(t, ctx, c, c.Set.(*citeSet).Model, checked, passages)
				again, taken := citing.CheckTold(text(c.In, "text"), text(c.In, "question"), passages, told)
				c.Note(fmt.Sprintf("of what the model said of sentences %d of %d holds", taken, len(told)))
				checked = again
			}
			checked, passages = checked.Numbered(passages)
			margin := marginOf(checked.Sentences, passages, !known || sure >= leastNear)
			margin.Answers = answers
			if err := askedIn(&margin, c.In); err != nil {
				return nil, err
			}
			return recipe.Values{"text": checked.Text, "margin": margin, "supported": margin.Supported}, nil
		},
	}
}

// leastNear is how likely something found must answer to be offered where the
// reply rests on nothing.
const leastNear = 0.2

// mostNear is how much of it is offered.
const mostNear = 3

// marginOf gathers the passages that sentences rest on; where they rest on
// none, what is near if it may be offered.
func marginOf(sentences []evidence.Sentence, passages []evidence.Passage, offer bool) evidence.Sources {
	margin := evidence.Sources{Sentences: sentences, Passages: []evidence.Passage{}}
	if sentences == nil {
		margin.Sentences = []evidence.Sentence{}
	}
	used := map[int]bool{}
	for _, s := range sentences {
		for _, n := range s.Notes {
			used[n.Passage] = true
			margin.Supported = margin.Supported || s.Support != evidence.Contradicted
		}
	}
	for i, p := range passages {
		if used[p.Number] || !margin.Supported && offer && i < mostNear {
			margin.Passages = append(margin.Passages, p)
		}
	}
	return margin
}
