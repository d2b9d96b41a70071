package modelserver

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
)

func tell(t *testing.T, system, user, more string) string {
	t.Helper()
	messages, err := json.Marshal([]map[string]string{{"role": "system", "content": system},
		{"role": "user", "content": user}})
	if err != nil {
		t.Fatal(err)
	}
	c := complete(t, quick(), fmt.Sprintf(`{"model": "heather-2", "messages": %s%s}`, messages, more))
	if len(c.Choices) != 1 {
		t.Fatalf("no reply to %q: %+v", user, c)
	}
	return c.Choices[0].Message.Content
}

func TestItSumsUpByChoosingSentences(t *testing.T) {
	notes := tell(t, "Write a summary in at most 40 words.",
		"Notes so far:\nThe user said: My name is Ada.\n\nThe conversation goes on:\n\n"+
			"User: How do I light a smoker?\n\nAssistant: Start with dry wood. My advice is sacking.\n\n"+
			"User: I keep twelve hives at Larch Hollow. What about it?\n\nAssistant: Lovely.", "")
	for _, want := range []string{"My name is Ada.", "I keep twelve hives at Larch Hollow."} {
		if !strings.Contains(notes, want) {
			t.Errorf("%q is not in %q", want, notes)
		}
	}
	if strings.Contains(notes, "sacking") || len(strings.Fields(notes)) > 40 {
		t.Errorf("the notes are %q", notes)
	}
	if reply := tell(t, "You are Sprig.\n\nWhat was said earlier in this conversation, in short:\n"+notes,
		"What is my name?", ""); !strings.Contains(reply, "Ada") {
		t.Errorf("from its notes it knows %q", reply)
	}
}

func TestItRewritesAFollowUp(t *testing.T) {
	got := tell(t, "Rewrite the user's last question so that it stands alone.",
		"User: How do I treat varroa mites?\nAssistant: With oxalic acid.\nUser: When should I do it?", "")
	if !strings.Contains(got, "varroa mites") || strings.Contains(got, " it?") {
		t.Errorf("rewrote to %q", got)
	}
	if got := tell(t, "Rewrite the user's last question so that it stands alone.", "User: How do I light a smoker?",
		""); got != "How do I light a smoker?" {
		t.Errorf("a question that stands alone became %q", got)
	}
}

const wanted = `, "response_format": {"type": "json_schema", "json_schema": {"schema": {"type": "object", "required": ["title", "steps", "risk", "hours"],
	"properties": {"title": {"type": "string"}, "steps": {"type": "array", "items": {"type": "string"}}, "risk": {"enum": ["low", "high"]}, "hours": {"type": "integer", "minimum": 2}}}}}`

func TestResponseFormatIsObeyed(t *testing.T) {
	for i := range 20 {
		var got struct {
			Title string
			Steps []string
			Risk  string
			Hours int
		}
		text := tell(t, "", "How do I light a smoker?", fmt.Sprintf(`%s, "seed": %d`, wanted, i))
		if err := json.Unmarshal([]byte(text), &got); err != nil || got.Title == "" || len(got.Steps) == 0 ||
			got.Risk != "low" && got.Risk != "high" || got.Hours < 2 {
			t.Errorf("%s: %+v, %v", text, got, err)
		}
		if !json.Valid([]byte(tell(t, "", "How do I light a smoker?",
			fmt.Sprintf(`, "response_format": {"type": "json_object"}, "seed": %d`, i)))) {
			t.Error("json_object is not JSON")
		}
	}
}

func TestAskedInWordsItIsAsSloppyAsRealModels(t *testing.T) {
	clean, wrapped, broken := 0, 0, 0
	for i := range 120 {
		text := tell(t, "", `How do I light a smoker? Answer in JSON: {"what": "...", "why": "..."}`,
			fmt.Sprintf(`, "seed": %d`, i))
		switch {
		case json.Valid([]byte(text)):
			clean++
		case strings.Contains(text, "```"):
			wrapped++
		default:
			broken++
		}
		if !strings.Contains(text, "what") {
			t.Errorf("the keys are not in %q", text)
		}
	}
	if clean < 40 || wrapped < 10 || broken < 5 {
		t.Errorf("%d clean, %d wrapped, %d broken", clean, wrapped, broken)
	}
}

func TestThePoorModelIsWorse(t *testing.T) {
	ask := func(model string) string {
		c := complete(t, quick(),
			fmt.Sprintf(`{"model": %q, "seed": 1, "messages": [{"role": "user", "content": "How do I light a smoker?"}]}`, model))
		return c.Choices[0].Message.Content
	}
	if good, poor := ask("heather-2"), ask("dock-leaf"); len(poor) >= len(good) || poor == "" {
		t.Errorf("good: %q\npoor: %q", good, poor)
	}
}

func TestGoesOnInSeveralWays(t *testing.T) {
	ways := map[string]bool{}
	for seed := range 3 {
		system := message{Role: "system", Text: "Continue the text exactly where it ends."}
		ways[tellSeeded(t, []message{system, {Role: "user", Text: "Honey, when it is ripe, tells you so itself."}},
			uint64(seed))] = true
	}
	if len(ways) != 3 {
		t.Errorf("%d ways: %v", len(ways), ways)
	}
}

func TestListsJobsAsJSONAndExplainsOne(t *testing.T) {
	reply := compose(catalogue[0], []message{{Role: "user",
		Text: `Getting a colony through the winter. Answer in JSON: an object like {"jobs": ["...", "..."]} with three short jobs.`}},
		responseFormat{Type: "json_object"}, rand.New(rand.NewPCG(1, 4)))
	var plan struct{ Jobs []string }
	if err := json.Unmarshal([]byte(reply), &plan); err != nil || len(plan.Jobs) == 0 || len(plan.Jobs) > 3 {
		t.Errorf("%v: %s", err, reply)
	}
	one := tellSeeded(t, []message{{Role: "user", Text: "Take them off early. Explain this to a beginner in two " +
		"sentences. It is part of: Taking off the honey"}}, 4)
	if !strings.HasPrefix(one, "Take them off early, before") {
		t.Errorf("%s", one)
	}
}

func tellSeeded(t *testing.T, m []message, seed uint64) string {
	t.Helper()
	return compose(catalogue[0], m, responseFormat{}, rand.New(rand.NewPCG(1, seed)))
}
