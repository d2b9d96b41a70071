package inside_test

import (
	"context"
	"encoding/json"
	"errors"
	"strings"
	"testing"
	"time"

	"juvalogos/internal/fault"
	"juvalogos/internal/inside"
	"juvalogos/internal/models"
	"juvalogos/internal/models/protocol"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/testbed"
)

func TestMain(m *testing.M) { testbed.Main(m) }

var ctx = context.Background()

func publish(t *testing.T, b *testbed.Bed, more string) {
	t.Helper()
	if _, err := b.Client.Publish(ctx, "d.yaml", []byte(testbed.Desk+more), ""); err != nil {
		t.Fatal(err)
	}
	b.Later(2 * time.Second) // open desks are kept for a second
}

func TestEveryReplyLeavesItsTrace(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	testbed.Settled(t, testbed.Ask(t, b, reply.Question{Text: "My name is Ada."}))
	r := testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?"})
	end := testbed.Settled(t, r)
	in, err := b.Inside.Inside(ctx, r.Turn, 0)
	if err != nil {
		t.Fatal(err)
	}
	var steps []string
	for _, s := range in.Spans {
		steps = append(steps, s.Step+":"+string(s.State))
	}
	if got := strings.Join(steps, " "); got != "memory:done prompt:done answer:done" {
		t.Fatalf("steps %s", got)
	}
	call := in.Spans[2].Calls[0]
	last := call.Messages[len(call.Messages)-1]
	if last.Text != "How do I light a smoker?" || call.Messages[0].Text != "You are Sprig." ||
		call.Answer != string(end.Text) || call.Model != "shed/thyme-mini" ||
		call.PromptTokens != end.End.PromptTokens || call.First <= 0 || call.Took < call.First {
		t.Errorf("call %+v", call)
	}
	if in.Usage.PromptTokens != end.End.PromptTokens || in.State != "done" || in.Seconds <= 0 ||
		in.Models[0] != "shed/thyme-mini" {
		t.Errorf("trace %+v", in.Trace)
	}
	for _, c := range []struct {
		f    record.TraceFilter
		want int
	}{
		{record.TraceFilter{Desk: "helper"}, 2}, {record.TraceFilter{Desk: "other"}, 0},
		{record.TraceFilter{Model: "thyme-mini"}, 2}, {record.TraceFilter{Model: "heather-2"}, 0},
		{record.TraceFilter{Step: "answer"}, 2}, {record.TraceFilter{Step: "nothing"}, 0},
		{record.TraceFilter{State: "failed"}, 0}, {record.TraceFilter{Slow: 1000}, 0},
		{record.TraceFilter{Turn: r.Turn}, 1}, {record.TraceFilter{Flagged: true}, 0},
		{record.TraceFilter{Since: new(time.Now().Add(time.Hour))}, 0},
	} {
		found, err := b.Inside.Traces(ctx, c.f)
		if err != nil || len(found) != c.want {
			t.Errorf("%+v: %d, %v", c.f, len(found), err)
		}
	}
	testbed.Until(t, "the words can be found", func() bool {
		found, err := b.Inside.Traces(ctx, record.TraceFilter{Text: "smoker"})
		return err == nil && len(found) == 1
	})
	// Kept for a time, then thinned to figures.
	if _, err := b.Store.Traces.Thin(ctx, time.Now().Add(time.Hour)); err != nil {
		t.Fatal(err)
	}
	if in, err = b.Inside.Inside(ctx, in.ID, 0); err != nil || !in.Thinned || in.Spans != nil ||
		in.Usage.PromptTokens == 0 {
		t.Errorf("%+v, %v", in, err)
	}
	if _, err := b.Inside.Rerun(ctx, in.ID, inside.Edits{}, "ada"); err == nil ||
		!strings.Contains(err.Error(), "Only figures are left") {
		t.Errorf("got %v", err)
	}
	if err := b.Inside.SetTraceKeeping(ctx, inside.Keeping{Days: 0}, "ada"); err == nil {
		t.Error("kept for no day")
	}
}

func TestAFailureIsInTheTrace(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	b.Model.Set(testbed.With(testbed.Fast, "busy", 1, 0))
	r := testbed.Ask(t, b, reply.Question{Text: "hello"})
	testbed.Settled(t, r)
	in, err := b.Inside.Inside(ctx, r.Turn, 0)
	if err != nil || in.Spans[2].Calls[0].Retries != 1 || in.Usage.Retries != 1 {
		t.Errorf("%+v, %v", in, err)
	}
	b.Model.Set(testbed.With(testbed.Fast, "unauthorized", 0, 0))
	r = testbed.Ask(t, b, reply.Question{Text: "hello again"})
	testbed.Settled(t, r)
	in, err = b.Inside.Inside(ctx, r.Turn, 0)
	text, _ := json.Marshal(in)
	if err != nil || in.State != "failed" || in.Problem != "key-refused" || in.Spans[2].State != "failed" ||
		in.Spans[2].Error == "" || strings.Contains(string(text), testbed.ModelKey) {
		t.Errorf("%s, %v", text, err)
	}
	found, err := b.Inside.Traces(ctx, record.TraceFilter{State: "failed"})
	if err != nil || len(found) != 1 {
		t.Errorf("%d, %v", len(found), err)
	}
}

func TestRunAgainFromAStep(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	r := testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?"})
	before := testbed.Settled(t, r)
	original, err := b.Inside.Inside(ctx, r.Turn, 0)
	if err != nil {
		t.Fatal(err)
	}
	rerun := func(e inside.Edits) inside.Inside {
		t.Helper()
		in, err := b.Inside.Rerun(ctx, original.ID, e, "ada")
		if err != nil || in.State != "done" {
			t.Fatalf("%+v: %v %s", e, err, in.Problem)
		}
		return in
	}
	in := rerun(inside.Edits{Brief: new("You are Bramble."), Model: "heather-2"})
	call := in.Spans[len(in.Spans)-1].Calls[0]
	if in.Kind != "rerun" || call.Model != "shed/heather-2" || call.Messages[0].Text != "You are Bramble." ||
		call.Answer == string(before.Text) {
		t.Errorf("%+v", call)
	}
	// From the answer on: the prompt is the one that was sent.
	in = rerun(inside.Edits{Step: "answer",
		Set: map[string]json.RawMessage{"answer": json.RawMessage(`{"max_tokens": 3}`)}})
	if in.Spans[0].State != "reused" || in.Spans[1].State != "reused" || in.Spans[2].Calls[0].Finish != "length" ||
		in.Spans[2].Calls[0].Messages[0].Text != "You are Sprig." {
		t.Errorf("%+v", in.Spans)
	}
	in = rerun(inside.Edits{Step: "answer", Alone: true,
		Inputs: map[string]map[string]any{"answer": {"prompt": []any{map[string]any{"role": "user",
			"content": "Which colour marks this year's queen?"}}}}})
	if got := in.Spans[2].Calls[0].Messages; len(got) != 1 || !strings.HasPrefix(got[0].Text, "Which colour") {
		t.Errorf("sent %+v", got)
	}
	in = rerun(inside.Edits{Step: "prompt",
		Set: map[string]json.RawMessage{"prompt": json.RawMessage(`{"user": "In short: {{.question}}"}`)}})
	if got := in.Spans[2].Calls[0].Messages[1].Text; got != "In short: How do I light a smoker?" {
		t.Errorf("sent %q", got)
	}
	for _, e := range []inside.Edits{{Step: "nothing"}, {Model: "elephant"},
		{Set: map[string]json.RawMessage{"answer": json.RawMessage(`{"max_tokns": 3}`)}},
		{Set: map[string]json.RawMessage{"prompt": json.RawMessage(`{"user": "{{"}`)}}} {
		if _, err := b.Inside.Rerun(ctx, original.ID, e, "ada"); err == nil {
			t.Errorf("%+v was taken", e)
		}
	}
	// The visitor's conversation is as it was, and what was tried stands beside it.
	turn, err := b.Conversations.Turn(ctx, testbed.Alice, r.Turn)
	if err != nil || turn.Attempts != 1 || turn.Attempt.Reply != string(before.Text) {
		t.Errorf("%+v, %v", turn, err)
	}
	if original, err = b.Inside.Inside(ctx, original.ID, 0); err != nil || len(original.Reruns) != 4 {
		t.Errorf("%d reruns, %v", len(original.Reruns), err)
	}
	rows, err := b.Store.Traces.Usage(ctx,
		record.UsageFilter{By: []string{"kind"}, From: time.Now().Add(-time.Hour), To: time.Now().Add(time.Hour),
			Limit: 10})
	calls := map[string]int{}
	for _, row := range rows {
		calls[row.Keys[0]] = row.Calls
	}
	if err != nil || calls["reply"] != 1 || calls["rerun"] != 4 {
		t.Errorf("%v, %v", calls, err)
	}
}

// What a visitor removes goes with all that was kept of how it was made; the
// figures stay.
func TestATraceGoesWithItsConversation(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	r := testbed.Ask(t, b, reply.Question{Text: "hello"})
	testbed.Settled(t, r)
	in, err := b.Inside.Inside(ctx, r.Turn, 0)
	if err != nil {
		t.Fatal(err)
	}
	if err := b.Store.Conversations.Remove(ctx, r.Conversation, testbed.Alice, time.Now()); err != nil {
		t.Fatal(err)
	}
	if found, err := b.Inside.Traces(ctx, record.TraceFilter{}); err != nil || len(found) != 0 {
		t.Errorf("listed though it is removed: %d, %v", len(found), err)
	}
	if n, err := b.Store.Conversations.Purge(ctx, time.Now().Add(time.Hour)); err != nil || n != 1 {
		t.Fatalf("%d went, %v", n, err)
	}
	if _, err := b.Store.Traces.Trace(ctx, in.ID); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("the trace is still there: %v", err)
	}
	rows, err := b.Store.Traces.Usage(ctx,
		record.UsageFilter{From: time.Now().Add(-time.Hour), To: time.Now().Add(time.Hour), Limit: 1})
	if err != nil || len(rows) != 1 || rows[0].Calls != 1 {
		t.Errorf("%+v, %v", rows, err)
	}
}

const contrasting = `recipe: contrast
recipe_settings:
  blind: true
  voices: [{title: Small, model: thyme-mini}, {model: heather-2}]
`

func TestSeveralTextsAndWhatIsPreferred(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, contrasting)
	r := testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?"})
	v := testbed.Settled(t, r)
	if len(v.End.Lanes) != 2 || v.End.Lanes[0].Title != "Small" || v.End.Lanes[1].Model != "shed/heather-2" ||
		v.End.Lanes[0].Text == v.End.Lanes[1].Text || string(v.Text) != v.End.Lanes[0].Text {
		t.Fatalf("%+v, text %q", v.End.Lanes, v.Text)
	}
	if err := b.Conversations.Prefer(ctx, record.Visitor{9}, r.Turn, 1, 1); err == nil {
		t.Error("somebody else preferred")
	}
	if err := b.Conversations.Prefer(ctx, testbed.Alice, r.Turn, 1, 2); err == nil {
		t.Error("a text that is not there was preferred")
	}
	if err := b.Conversations.Prefer(ctx, testbed.Alice, r.Turn, 1, 1); err != nil {
		t.Fatal(err)
	}
	turn, err := b.Conversations.Turn(ctx, testbed.Alice, r.Turn)
	if err != nil || turn.Attempt.Reply != v.End.Lanes[1].Text || *turn.Attempt.Preferred != 1 {
		t.Errorf("%+v, %v", turn, err)
	}
	// The conversation goes on from it.
	next := testbed.Ask(t, b, reply.Question{Text: "And then?", Conversation: r.Conversation})
	testbed.Settled(t, next)
	in, err := b.Inside.Inside(ctx, next.Turn, 0)
	text, _ := json.Marshal(in.Spans)
	half, _ := json.Marshal(v.End.Lanes[1].Text[:20])
	if err != nil || !strings.Contains(string(text), strings.Trim(string(half), `"`)) {
		t.Errorf("%s, %v", text, err)
	}
	counts, err := b.Store.Verdicts.Preferences(ctx, "helper")
	if err != nil || len(counts) != 2 || counts[0].Title != "heather-2" || counts[0].Preferred != 1 ||
		counts[0].Shown != 1 || counts[1].Preferred != 0 {
		t.Errorf("%+v, %v", counts, err)
	}
}

const guarded = `recipe: mine.recipe.yaml
own_recipe: |
  recipe: mine
  limits: {calls: 2}
  settings:
    - {name: l, type: list of text, default: [a, b, c]}
  steps:
    - {name: p, do: compose, each: settings.l, from: {q: question, i: item}, set: {user: "{{.q}} {{.i}}"}}
    - {name: a, do: generate, each: p.prompt, from: {prompt: item}}
    - {name: j, do: join, from: {all: a.text}}
  reply: j.text
`

func TestARunawayRecipeIsToldPlainly(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, guarded)
	v := testbed.Settled(t, testbed.Ask(t, b, reply.Question{Text: "hello"}))
	if v.End.Problem != fault.TooMuch || !strings.Contains(fault.Sentence(v.End.Problem).String(), "simpler") {
		t.Errorf("%+v", v.End)
	}
	for bad, want := range map[string]string{
		strings.Replace(guarded, "do: join", "do: jion",
			1): `d.yaml:18:21: own_recipe: step "j": do: unknown kind "jion"; did you mean "join"?`,
		strings.Replace(guarded, "recipe: mine.recipe.yaml", "recipe: conv", 1): `unknown recipe "conv"`,
		"recipe: mine.recipe.yaml\n": "mine.recipe.yaml is not here; " +
			"publish with the command line",
		"recipe: contrast\n": `"voices" is missing`,
		"recipe: contrast\nrecipe_settings: {voices: [{model: elephant}]}\n": `recipe contrast: model: unknown model "elephant"`,
	} {
		if _, err := b.Desks.Check("d.yaml", []byte(testbed.Desk+bad)); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("got %v\nwant %s", err, want)
		}
	}
}

func TestVerdictsAndFindings(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	r := testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?"})
	testbed.Settled(t, r)
	no := false
	if err := b.Conversations.Judge(ctx, testbed.Alice, r.Turn, 1,
		record.Verdict{Helped: &no, Reason: "because"}); err == nil {
		t.Error("any reason is taken")
	}
	if err := b.Conversations.Judge(ctx, testbed.Alice, r.Turn, 1,
		record.Verdict{Helped: &no, Reason: "wrong", Remark: " It went out\n again. "}); err != nil {
		t.Fatal(err)
	}
	queue := func(done bool) []record.Judged {
		t.Helper()
		list, err := b.Inside.Judgements(ctx, record.JudgedFilter{Helped: &no, Done: &done})
		if err != nil {
			t.Fatal(err)
		}
		return list
	}
	open := queue(false)
	if len(open) != 1 || open[0].Reason != "wrong" || open[0].Remark != "It went out again." || open[0].Trace == nil {
		t.Fatalf("%+v", open)
	}
	if err := b.Inside.Find(ctx, r.Turn, 1,
		record.Finding{Cause: "model-wrong", Note: "damp shavings", Done: true, ChangedBy: "ada"}); err != nil {
		t.Fatal(err)
	}
	if err := b.Inside.Find(ctx, r.Turn, 1, record.Finding{Cause: "whatever"}); err == nil {
		t.Error("any cause is taken")
	}
	if done := queue(true); len(queue(false)) != 0 || len(done) != 1 || done[0].Finding.Note != "damp shavings" {
		t.Errorf("%+v", done)
	}
	counts, err := b.Inside.CauseCounts(ctx, "helper")
	if err != nil || len(counts) != 1 || counts[0].Cause != "model-wrong" || counts[0].Count != 1 {
		t.Errorf("%+v, %v", counts, err)
	}
	found, err := b.Inside.Traces(ctx, record.TraceFilter{Flagged: true})
	if err != nil || len(found) != 1 {
		t.Errorf("%d, %v", len(found), err)
	}
	if err := b.Conversations.Judge(ctx, testbed.Alice, r.Turn, 1, record.Verdict{}); err != nil ||
		len(queue(true)) != 0 {
		t.Errorf("taken back: %v, %d", err, len(queue(true)))
	}
}

func TestTheCostIsThatOfTheDay(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	file := strings.NewReplacer("URL", b.ModelURL).Replace("connections:\n  - {name: shed, address: URL/v1, key: " +
		"env:TESTBED_MODEL_KEY, models: [{name: thyme-mini, context: 4096, price: {in: 10, out: 100}}]}\n")
	b.Desks.Models.Replace(mustRead(t, file))
	b.Later(2 * time.Second) // open desks are kept for a second
	r := testbed.Ask(t, b, reply.Question{Text: "hello"})
	v := testbed.Settled(t, r)
	want := (float64(v.End.PromptTokens)*10 + float64(v.End.ReplyTokens)*100) / 1e6
	b.Desks.Models.Replace(mustRead(t, strings.Replace(file, "in: 10", "in: 99", 1)))
	turn, err := b.Conversations.Turn(ctx, testbed.Alice, r.Turn)
	if err != nil || turn.Attempt.Cost != want || want == 0 {
		t.Errorf("cost %v, want %v, %v", turn.Attempt.Cost, want, err)
	}
	rows, err := b.Store.Traces.Usage(ctx,
		record.UsageFilter{From: time.Now().Add(-time.Hour), To: time.Now().Add(time.Hour), Limit: 1})
	if err != nil || len(rows) != 1 || rows[0].Cost != want {
		t.Errorf("%+v, %v", rows, err)
	}
	b.Later(2 * time.Second) // open desks are kept for a second
	// What is foreseen is at today's price and no less than what was; what is
	// usual is what it was.
	f, err := b.Desks.Forecast(ctx, "helper")
	if err != nil || f.Calls != 1 || f.Cost < want || f.Turns != 1 || f.Usual != want || f.Open {
		t.Errorf("%+v, %v", f, err)
	}
	if least := float64(f.PromptTokens)*99/1e6 + float64(f.ReplyTokens)*100/1e6; f.ReplyTokens == 0 ||
		f.Cost-least > 1e-9 || least-f.Cost > 1e-9 {
		t.Errorf("%+v is not at the price of today", f)
	}
}

func mustRead(t *testing.T, text string) models.File {
	t.Helper()
	f, err := models.Read("c.yaml", []byte(text), protocol.All())
	if err != nil {
		t.Fatal(err)
	}
	return f
}

// Settings of the recipe are tried as the desk file would set them; all of it runs again.
func TestOtherSettingsOfTheRecipe(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	_, err := b.Client.Publish(ctx, "ways.yaml", []byte(`slug: ways
title: Ways
purpose: Answers this way or that.
model: thyme-mini
recipe: ways.recipe.yaml
recipe_settings: {loud: yes}
own_recipe: |
  recipe: ways
  about: This way or that.
  inputs:
    - {name: question, type: text, title: Question, need: true}
  settings:
    - {name: way, type: choice, title: Which way, choices: [long, short], default: long}
    - {name: loud, type: text, title: Loud, default: "no"}
  steps:
    - name: ask
      do: compose
      from: {question: question, way: settings.way, loud: settings.loud}
      set: {user: "{{.way}}, {{.loud}}: {{.question}}"}
    - {name: answer, do: generate, from: {prompt: ask.prompt}}
  reply: answer.text
`), "")
	if err != nil {
		t.Fatal(err)
	}
	r := testbed.Ask(t, b, reply.Question{Slug: "ways", Text: "How?"})
	testbed.Settled(t, r)
	original, err := b.Inside.Inside(ctx, r.Turn, 0)
	if err != nil {
		t.Fatal(err)
	}
	sent := func(in inside.Inside) string { return in.Spans[1].Calls[0].Messages[0].Text }
	if got := sent(original); got != "long, yes: How?" {
		t.Fatalf("sent %q", got)
	}
	in, err := b.Inside.Rerun(ctx, original.ID, inside.Edits{Step: "answer", Settings: map[string]any{"way": "short"}},
		"ada")
	if err != nil || sent(in) != "short, yes: How?" {
		t.Errorf("%v: %+v", err, in.Spans)
	}
	for _, wrong := range []map[string]any{{"way": "odd"}, {"nope": 1}} {
		if _, err := b.Inside.Rerun(ctx, original.ID, inside.Edits{Settings: wrong}, "ada"); err == nil {
			t.Errorf("%v is taken", wrong)
		}
	}
}
