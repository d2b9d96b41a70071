package main

import (
	"context"
	"fmt"
	"strings"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
)

// rememberingDesk has little room word for word, so that what was told long ago
// is known by the summary or not at all.
const rememberingDesk = `slug: remembering
title: Remembering
purpose: Measures.
model: heather-2
brief: You are measured.
sampling: {temperature: 0, max_tokens: 300}
memory: {turns: 8, tokens: 2000, summary: %d}
`

// told are facts with the questions for them.
var told = []struct{ fact, question, answer string }{
	{"My name is Perpetua.", "What is my name?", "Perpetua"},
	{"I keep twelve hives at Larch Hollow.", "How many hives do I have?", "twelve hives"},
	{"Please remember that the gate code is 4711.", "What did I ask you to remember?", "4711"},
}

// remembering tells facts, asks sixty other things, and asks for the facts,
// with and without a summary.
func remembering(s *setup, z sizes, r *report) error {
	if err := s.pace(0, 0, 0); err != nil {
		return err
	}
	between := 60
	if z.repetitions == 1 {
		between = 12
	}
	r.begin(fmt.Sprintf("Facts told, %d questions later asked for; eight turns are remembered word for word", between),
		"way", "facts known", "tokens of the last prompt")
	for _, way := range []struct {
		name    string
		summary int
	}{{"with a summary of at most 400 tokens", 400}, {"without", 0}} {
		if _, err := s.client.Publish(context.Background(), "remembering.yaml",
			fmt.Appendf(nil, rememberingDesk, way.summary), ""); err != nil {
			return err
		}
		time.Sleep(1100 * time.Millisecond) // a desk is looked up anew after a second
		known, tokens := 0, 0
		for _, f := range told {
			conversation := ""
			ask := func(text string) (string, error) {
				var reply strings.Builder
				outcome, err := s.client.Ask(context.Background(),
					client.Question{Desk: "remembering", Conversation: conversation, Text: text}, client.Follower{
						Begin: func(b api.Begin) { conversation = b.Conversation },
						Text:  func(text string) { reply.WriteString(text) },
					})
				tokens = outcome.Usage.PromptTokens
				return reply.String(), err
			}
			if _, err := ask(f.fact); err != nil {
				return err
			}
			for i := range between {
				if _, err := ask(fmt.Sprintf("Number %d: how much syrup for the winter?", i)); err != nil {
					return err
				}
			}
			reply, err := ask(f.question)
			if err != nil {
				return err
			}
			if strings.Contains(reply, f.answer) {
				known++
			}
		}
		r.row(way.name, fmt.Sprintf("%d of %d", known, len(told)), fmt.Sprint(tokens))
	}
	return nil
}
