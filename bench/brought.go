package main

import (
	"context"
	"fmt"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
)

// brought measures what it takes to be answered about an article that somebody has
// had brought before, beside a question at the same desk without one.
func brought(s *setup, z sizes, r *report) error {
	ctx := context.Background()
	if _, err := s.client.Publish(ctx, "reading.yaml", []byte("slug: reading\ntitle: Reading\npurpose: Measures.\n"+
		"model: heather-2\nsampling: {max_tokens: 200}\nbring:\n  sources: [{kind: encyclopedia, title: E, address: \""+
		direct+"/reference/w/api.php\"}]\n"), ""); err != nil {
		return err
	}
	if err := s.pace(5, 0, 40); err != nil {
		return err
	}
	const question = "How warm is the core of the winter cluster in January?"
	bring := func() (string, error) {
		e, err := s.client.Bring(ctx, "reading", "", api.Wish{About: "Winter cluster"})
		if err == nil {
			e, err = s.client.Brought(ctx, "reading", e, nil)
		}
		if err == nil && e.State != "ready" {
			err = fmt.Errorf("the article was not brought: %s", e.Problem)
		}
		return e.Conversation, err
	}
	// How long it takes from asking to the first word.
	first := func(conversation string) (float64, error) {
		began := time.Now()
		took := 0.0
		_, err := s.client.Ask(ctx, client.Question{Desk: "reading", Conversation: conversation, Text: question},
			client.Follower{Text: func(string) {
				if took == 0 {
					took = time.Since(began).Seconds() * 1000
				}
			}})
		return took, err
	}
	began := time.Now()
	if _, err := bring(); err != nil {
		return err
	}
	cold := time.Since(began).Seconds() * 1000
	var without, with, whole []float64
	for range z.questions / 2 {
		plain, err := first("")
		if err != nil {
			return err
		}
		began := time.Now()
		conversation, err := bring()
		if err != nil {
			return err
		}
		fetching := time.Since(began).Seconds() * 1000
		about, err := first(conversation)
		if err != nil {
			return err
		}
		without, with, whole = append(without, plain), append(with, about), append(whole, fetching+about)
	}
	r.begin(fmt.Sprintf("What was brought: time to the first word, %d questions each, in turns (aim: 20 ms added or "+
		"less); fetched and read for the first time in %.0f ms", len(with), cold), "question", "median",
		"added at the median", "95th percentile")
	for _, line := range []struct {
		what  string
		times []float64
	}{{"without anything brought", without}, {"about an article brought a moment ago", with},
		{"bringing an article that is there already, and the question", whole}} {
		r.row(line.what, fmt.Sprintf("%.1f ms", quantile(line.times, 0.5)),
			fmt.Sprintf("%+.1f ms", quantile(line.times, 0.5)-quantile(without, 0.5)),
			fmt.Sprintf("%.1f ms", quantile(line.times, 0.95)))
	}
	return nil
}
