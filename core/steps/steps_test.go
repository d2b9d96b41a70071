package steps

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"juvalogos/core/memory"
	"juvalogos/core/prompt"
	"juvalogos/core/recipe"
)

// said answers what a model is asked, by what the last message holds.
type said func(messages []prompt.Message) (string, error)

type fakeModel struct {
	name    string
	context int
	say     said
	mu      *sync.Mutex
	asked   *[]Ask
}

func (m fakeModel) Name() string            { return "shed/" + m.name }
func (m fakeModel) Context() int            { return m.context }
func (m fakeModel) Counter() prompt.Counter { return prompt.Estimate{} }
func (m fakeModel) Draws() (yes, seeds bool) {
	return strings.HasPrefix(m.name, "brush"), m.name == "brush-seeded"
}
func (m fakeModel) Sight() *Sight {
	if !strings.HasPrefix(m.name, "eye") {
		return nil
	}
	return &Sight{Most: 2, Tokens: func(width, height int) int { return width * height / 100 }}
}
func (m fakeModel) Ask(_ context.Context, a Ask, text func([]byte)) (*recipe.ModelCall, error) {
	m.mu.Lock()
	*m.asked = append(*m.asked, a)
	m.mu.Unlock()
	if a.Make != nil {
		return m.draw(a)
	}
	answer, err := m.say(a.Messages)
	for _, word := range strings.SplitAfter(answer, " ") {
		text([]byte(word))
	}
	return &recipe.ModelCall{Model: m.Name(), Answer: answer, Messages: a.Messages, Finish: "stop", PromptTokens: 10,
		ReplyTokens: len(answer)}, err
}

type fakeModels struct {
	say   said
	mu    sync.Mutex
	asked []Ask
}

func (f *fakeModels) Find(name string) (Model, error) {
	if name == "nobody" {
		return nil, errors.New("unknown model")
	}
	return fakeModel{name, 1000, f.say, &f.mu, &f.asked}, nil
}

// try runs a recipe of these steps and returns what was written beside it.
func try(t *testing.T, text string, turn *RunContext, inputs, settings recipe.Values) (recipe.Result, map[int]string,
	[]recipe.Span, error) {
	t.Helper()
	r, err := Check("x.yaml", []byte("recipe: x\n"+text))
	if err != nil {
		t.Fatal(err)
	}
	record := &recipe.Recorder{}
	var mu sync.Mutex
	written := map[int]string{}
	if turn.Model == "" {
		turn.Model = "m"
	}
	turn.Sampling.MaxTokens = 100
	result, err := recipe.Run(t.Context(), r, inputs, settings,
		recipe.Options{Do: turn.Do, Now: time.Now, Record: record,
			Reply: func(lane int) func([]byte) {
				return func(text []byte) { mu.Lock(); written[lane] += string(text); mu.Unlock() }
			}})
	return result, written, record.Spans(), err
}

func TestTheBuiltInRecipesAreGood(t *testing.T) {
	if got := BuiltIn(); !slices.Equal(got, []string{"consult", "continue", "contrast", "converse", "depict", "digest",
		"extract", "inquire", "quiz", "reckon", "vary"}) {
		t.Errorf("there are %q", got)
	}
	for _, name := range BuiltIn() {
		src, _ := Source(name)
		if _, err := Check(name, src); err != nil {
			t.Error(err)
		}
	}
}

// Whatever the lengths: converse keeps the prompt within the context, with the
// brief and the question, the newest turns in their order and no holes.
func TestConverseFitsItsPrompt(t *testing.T) {
	src, _ := Source("converse")
	for _, c := range []struct{ turns, words, summary, want int }{{0, 1, 0, 0}, {3, 20, 0, 3}, {3, 20, 30, 3},
		{40, 60, 20, 9}, {3, 400, 0, 1}, {2, 10, 900, 2}} {
		f := &fakeModels{say: func([]prompt.Message) (string, error) { return "reply", nil }}
		turn := &RunContext{Brief: prompt.Measure(prompt.Estimate{}, "Be kind."), Models: f,
			Memory: memory.Limits{Turns: 30, Tokens: 4000}, Vocabulary: prompt.Estimated}
		if c.summary > 0 {
			turn.Summary = prompt.Measure(prompt.Estimate{}, "SUM "+strings.Repeat("word ", c.summary))
		}
		for i := range c.turns {
			turn.Past = append(turn.Past, prompt.Exchange{
				Question: prompt.Measure(prompt.Estimate{}, fmt.Sprintf("q%d", i)),
				Reply:    prompt.Measure(prompt.Estimate{}, strings.Repeat("word ", c.words)),
			})
		}
		_, written, _, err := try(t, strings.TrimPrefix(string(src), "recipe: converse\n"), turn,
			recipe.Values{"question": "And now?"}, nil)
		if err != nil || written[0] != "reply" {
			t.Fatalf("%+v: %v, %v", c, err, written)
		}
		m := f.asked[0].Messages
		tokens := prompt.PerPrompt
		for _, x := range m {
			tokens += prompt.Estimate{}.Count(x.Text) + prompt.PerMessage
		}
		if tokens+100 > 1000 {
			t.Errorf("%+v: %d tokens and a reply of 100 do not fit in 1000", c, tokens)
		}
		if !strings.HasPrefix(m[0].Text, "Be kind.") || m[len(m)-1].Text != "And now?" ||
			strings.Contains(m[0].Text, "SUM") != (c.summary > 0 && c.summary < 500) {
			t.Errorf("%+v: laid out %.200v", c, m)
		}
		if got := (len(m) - 2) / 2; got > c.want+3 || got < min(c.want, 1) {
			t.Errorf("%+v: %d turns are remembered", c, got)
		}
		for i := 1; i+2 < len(m); i += 2 {
			if want := fmt.Sprintf("q%d", c.turns-(len(m)-2)/2+i/2); m[i].Text != want {
				t.Errorf("%+v: message %d is %q, want %q", c, i, m[i].Text, want)
			}
		}
	}
}

func TestComposeSaysWhatIsTooLong(t *testing.T) {
	f := &fakeModels{say: func([]prompt.Message) (string, error) { return "reply", nil }}
	src, _ := Source("converse")
	_, _, _, err := try(t, strings.TrimPrefix(string(src), "recipe: converse\n"), &RunContext{Models: f},
		recipe.Values{"question": strings.Repeat("word ", 1200)}, nil)
	var long *prompt.TooLong
	if !errors.As(err, &long) || long.Room < 500 || len(f.asked) != 0 {
		t.Errorf("got %v", err)
	}
}

func TestTemplates(t *testing.T) {
	for _, c := range []struct{ user, want string }{
		{`{{range $i, $x := .list}}{{plus $i 1}}. {{$x}} {{end}}`, "1. one 2. two "},
		{`{{if .question}}asked{{else}}no{{end}} {{join ", " .list}}`, "asked one, two"},
		{`{{cut 4 .question}}|{{upper (trim "  x ")}}|{{json .list}}`, "a…|X|[\n  \"one\",\n  \"two\"\n]"},
		{`{{cutHead 4 .question}} {{tokens .question}}`, "…i 9"},
	} {
		f := &fakeModels{say: func(m []prompt.Message) (string, error) { return m[len(m)-1].Text, nil }}
		result, _, _, err := try(t, "settings:\n  - {name: l, type: list of text}\nsteps:\n  - name: p\n"+
			"    do: compose\n    from: {question: question, list: settings.l}\n    set:\n      user: '"+c.user+
			"'\n  - {name: a, do: generate, from: {prompt: p.prompt}}\nreply: a.text\n",
			&RunContext{Models: f}, recipe.Values{"question": "a b c d e f g h i"},
			recipe.Values{"l": []any{"one", "two"}})
		if err != nil || result.Reply != c.want {
			t.Errorf("%s: %q, %v, want %q", c.user, result.Reply, err, c.want)
		}
	}
	for text, want := range map[string]string{
		"{{.qestion}}":   "the template uses {{.qestion}}, which is not wired",
		"{{.question":    "unclosed action",
		"{{frobnicate}}": `function "frobnicate" not defined`,
	} {
		_, err := Check("x.yaml", []byte("recipe: x\nsteps:\n  - {name: p, do: compose, from: {question: question}, "+
			"set: {user: '"+text+"'}}\n  - {name: a, do: generate, from: {prompt: p.prompt}}\nreply: a.text\n"))
		if err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%s: got %v", text, err)
		}
	}
}

func TestRewriteOnlyWhereThereIsSomethingBefore(t *testing.T) {
	const text = "steps:\n  - {name: m, do: recall}\n  - {name: r, do: rewrite, from: {question: question, past: " +
		"m.past}}\n  - {name: j, do: join, from: {a: r.question}}\nreply: j.text\n"
	f := &fakeModels{say: func([]prompt.Message) (string, error) { return `"How warm is a hive?"`, nil }}
	result, _, _, err := try(t, text, &RunContext{Models: f, Memory: memory.Limits{Turns: 9, Tokens: 900}},
		recipe.Values{"question": "How warm is it?"}, nil)
	if err != nil || result.Reply != "How warm is it?" || len(f.asked) != 0 {
		t.Errorf("%q, %v, asked %d times", result.Reply, err, len(f.asked))
	}
	past := []prompt.Exchange{{Question: prompt.Piece{Text: "What is a hive?"}, Reply: prompt.Piece{Text: "A box."}}}
	result, _, _, err = try(t, text, &RunContext{Models: f, Past: past, Memory: memory.Limits{Turns: 9, Tokens: 900}},
		recipe.Values{"question": "How warm is it?"}, nil)
	if err != nil || result.Reply != "How warm is a hive?" ||
		!strings.Contains(f.asked[0].Messages[1].Text, "User: What is a hive?\n\nAssistant: A box.\n\n"+
			"User: How warm is it?") {
		t.Errorf("%q, %v, %v", result.Reply, err, f.asked)
	}
}

const extracting = `steps:
  - {name: p, do: compose, from: {question: question}, set: {user: "{{.question}}"}}
  - {name: a, do: generate, from: {prompt: p.prompt}}
  - name: x
    do: extract
    from: {text: a.text, prompt: p.prompt}
    set: {again: 1, schema: {type: object, required: [jobs], properties: {jobs: {type: array, items: {type: string}}}}}
  - {name: e, do: compose, each: x.items, from: {job: item}, set: {user: "{{.job}}!"}}
  - {name: g, do: generate, each: e.prompt, from: {prompt: item}}
  - {name: j, do: join, from: {all: g.text}, set: {between: "|"}}
reply: j.text
`

func TestExtractAsksAgainWithTheErrors(t *testing.T) {
	answers := []string{"Here you are: {'jobs': 'feed'}", "```json\n{\"jobs\": [\"feed\", \"treat\",]}\n```"}
	f := &fakeModels{}
	f.say = func(m []prompt.Message) (string, error) {
		last := m[len(m)-1].Text
		if strings.HasSuffix(last, "!") {
			return last, nil
		}
		answer := answers[0]
		answers = answers[1:]
		return answer, nil
	}
	result, written, _, err := try(t, extracting, &RunContext{Models: f}, recipe.Values{"question": "jobs as JSON"},
		nil)
	if err != nil || result.Reply != "feed!|treat!" || written[0] != "feed!|treat!" {
		t.Fatalf("%q, %v, %v", result.Reply, written, err)
	}
	again := f.asked[1]
	if last := again.Messages[len(again.Messages)-1].Text; !strings.Contains(last, "jobs: ") ||
		!strings.Contains(last, "JSON Schema") || again.Schema == nil || len(again.Messages) != 3 {
		t.Errorf("asked again with %+v", again)
	}
	answers = []string{"no", "still no"}
	if _, _, _, err = try(t, extracting, &RunContext{Models: f}, recipe.Values{"question": "jobs as JSON"},
		nil); err == nil || !strings.Contains(err.Error(), "after asking 2 times") {
		t.Errorf("got %v", err)
	}
}

func TestGenerateSeveralAndAtLeast(t *testing.T) {
	var mu sync.Mutex
	n := 0
	f := &fakeModels{say: func(m []prompt.Message) (string, error) {
		mu.Lock()
		defer mu.Unlock()
		n++
		if n == 2 {
			return "", errors.New("broken")
		}
		return "two words", nil
	}}
	result, written, spans, err := try(t, "steps:\n  - {name: p, do: compose, from: {q: question}, set: {user: "+
		"'{{.q}}'}}\n  - {name: a, do: generate, from: {prompt: p.prompt}, set: {alternatives: 3, seed: 7}}\n"+
		"reply: a.texts\nshow: cards\n",
		&RunContext{Models: f}, recipe.Values{"question": "q"}, nil)
	failed := 0
	for i, l := range result.Lanes {
		if l.Failed {
			failed++
		} else if l.Text != "two words" || written[i] != l.Text {
			t.Errorf("lane %d: %+v, written %q", i, l, written[i])
		}
	}
	if err != nil || len(result.Lanes) != 3 || failed != 1 || len(spans[1].Notes) != 1 {
		t.Errorf("%+v, %v, %+v", result, err, spans[1])
	}
	seeds := map[int]bool{}
	for _, a := range f.asked {
		seeds[*a.Sampling.Seed] = true
	}
	if len(seeds) != 3 {
		t.Errorf("seeds %v", seeds)
	}
	f = &fakeModels{say: func(m []prompt.Message) (string, error) { return "two words", nil }}
	result, written, _, err = try(t, "steps:\n  - {name: p, do: compose, from: {q: question}, set: {user: "+
		"'{{.q}}'}}\n  - {name: a, do: generate, from: {prompt: p.prompt}, set: {least: 5}}\nreply: a.text\n",
		&RunContext{Models: f}, recipe.Values{"question": "q"}, nil)
	if err != nil || result.Reply != "two words two words two words" || written[0] != result.Reply ||
		len(f.asked) != 3 {
		t.Errorf("%q, written %q, %v, asked %d times", result.Reply, written[0], err, len(f.asked))
	}
}

func TestContrastAsksEveryVoice(t *testing.T) {
	src, _ := Source("contrast")
	f := &fakeModels{say: func(m []prompt.Message) (string, error) { return m[0].Text, nil }}
	voices := []any{recipe.Voice{Model: "a"}, recipe.Voice{Model: "nobody"},
		recipe.Voice{Model: "c", Temperature: new(0.1), Instruction: "In rhyme."}}
	result, written, spans, err := try(t, strings.TrimPrefix(string(src), "recipe: contrast\n"),
		&RunContext{Models: f, Brief: prompt.Piece{Text: "Brief.", Tokens: 2},
			Memory: memory.Limits{Turns: 1, Tokens: 10}},
		recipe.Values{"question": "q"}, recipe.Values{"voices": voices, "blind": true})
	if err != nil || !result.Blind || len(result.Lanes) != 3 || !result.Lanes[1].Failed ||
		result.Lanes[0].Text != "Brief." || result.Lanes[2].Text != "Brief.\n\nIn rhyme." ||
		written[2] != result.Lanes[2].Text {
		t.Fatalf("%+v, %v, %v", result, written, err)
	}
	lanes := map[int]string{}
	for _, s := range spans {
		for _, c := range s.Calls {
			lanes[c.Lane] = c.Model
		}
	}
	if lanes[1] != "shed/a" || lanes[3] != "shed/c" {
		t.Errorf("lanes %v", lanes)
	}
}

type fakePrograms struct{ name, input string }

func (p *fakePrograms) Run(_ context.Context, name string, arguments []string, input []byte) ([]byte, error) {
	p.name, p.input = name+" "+strings.Join(arguments, " "), string(input)
	return []byte(`the answer: {"rows": [1, 2]}`), nil
}

type fakeWeb struct{ call string }

func (w *fakeWeb) Call(_ context.Context, method, address string, headers map[string]string, body []byte) (int, []byte,
	error) {
	w.call = fmt.Sprintln(method, address, headers, string(body))
	if strings.Contains(address, "teapot") {
		return 418, []byte("short and stout"), nil
	}
	return 200, []byte("fine"), nil
}

func TestProgramsAndAddresses(t *testing.T) {
	p, w := &fakePrograms{}, &fakeWeb{}
	const text = `inputs:
  - {name: place, type: text}
steps:
  - {name: p, do: program, from: {where: place}, set: {program: weigh, arguments: [-x], gives: data}}
  - name: w
    do: address
    from: {place: place}
    set: {address: "https://weather.example.org/{{path .place}}?q={{query .place}}", headers: {X-Key: "env:KEY"}}
  - {name: j, do: join, from: {a: w.text}}
parts:
  - {title: Rows, from: p.data}
reply: j.text
`
	result, _, _, err := try(t, text, &RunContext{Programs: p, Web: w}, recipe.Values{"place": "a b"}, nil)
	if err != nil || result.Reply != "fine" || p.name != "weigh -x" || p.input != `{"where":"a b"}` ||
		!strings.Contains(w.call, "https://weather.example.org/a%20b?q=a+b map[X-Key:env:KEY]") ||
		len(result.Parts) != 1 {
		t.Errorf("%+v, %v; program %q %q, web %s", result, err, p.name, p.input, w.call)
	}
	if _, _, _, err = try(t, text, &RunContext{Programs: p, Web: w}, recipe.Values{"place": "teapot"},
		nil); err == nil ||
		!strings.Contains(err.Error(), "weather.example.org answered with status 418: short and stout") {
		t.Errorf("got %v", err)
	}
	for _, turn := range []*RunContext{{Web: w}, {Programs: p}} {
		if _, _, _, err := try(t, text, turn, recipe.Values{"place": "x"}, nil); err == nil ||
			!strings.Contains(err.Error(), "start with -") {
			t.Errorf("got %v", err)
		}
	}
}

func TestModelsOfARecipe(t *testing.T) {
	r, err := Check("x.yaml", []byte("recipe: x\nsettings:\n  - {name: v, type: list of voice}\n"+
		"steps:\n  - {name: p, do: compose, from: {q: question}, set: {user: '{{.q}}', model: one}}\n"+
		"  - {name: a, do: generate, each: settings.v, from: {prompt: p.prompt, voice: item}, set: {model: two}, "+
		"fallback: [{model: three}]}\nreply: a.text\n"))
	if err != nil {
		t.Fatal(err)
	}
	if got := ModelsOf(r, recipe.Values{"v": []any{recipe.Voice{Model: "four"}}}); !slices.Equal(got,
		[]string{"one", "two", "three", "four"}) {
		t.Errorf("got %v", got)
	}
	if Remembers(r) {
		t.Error("it does not recall anything")
	}
}
