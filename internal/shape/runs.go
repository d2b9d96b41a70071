package shape

import (
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/record"
	"juvalogos/internal/runs"
)

// Run is a run in short.
func Run(r record.Run) api.RunInShort {
	out := api.RunInShort{ID: r.ID.String(), Title: r.Content.Title, Candidates: r.Candidates,
		Questions: len(r.Content.Questions), Times: r.Times, State: api.RunInShortState(r.State), Answered: r.Answered,
		Of: len(r.Candidates) * len(r.Content.Questions) * r.Times, MadeBy: r.MadeBy, MadeAt: r.MadeAt}
	out.EndedAt = orZero(r.EndedAt)
	return out
}

func orZero(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}

// WholeRun is a run with what was answered.
func WholeRun(r record.Run, answers []record.RunAnswer) api.Run {
	return api.Run{Run: Run(r), Quiz: r.Content, Tallies: All(runs.Tallies(r, answers), tally),
		Answers: All(answers, func(a record.RunAnswer) api.RunAnswer {
			right := r.Content.Questions[a.Question].Right()
			out := api.RunAnswer{Candidate: a.Candidate, Question: a.Question, Time: a.Time, Chosen: a.Chosen,
				Right: a.Chosen >= 0 && a.Chosen == right, Said: a.Said, Problem: a.Problem.String(), Kept: a.Kept,
				Seconds: a.Seconds, Cost: a.Cost}
			if a.Turn != nil {
				out.Turn = a.Turn.String()
			}
			return out
		})}
}

func tally(t runs.Tally) api.Tally {
	return api.Tally{Right: t.Right, Answered: t.Answered, Known: t.Known, ByTime: t.ByTime, Knew: t.Knew,
		Asked:  t.Asked,
		Untold: t.Untold, Failed: t.Failed, Kept: t.Kept, Tokens: t.Tokens, Cost: t.Cost, Seconds: t.Seconds,
		Gained: t.Gained, Beside: t.Beside}
}
