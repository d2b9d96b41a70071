package recipe

import (
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"juvalogos/core/yamlfile"
)

type madeSet struct {
	Size int `yaml:"size" json:"size" need:"yes" least:"1" most:"9" about:"A number."`
}

// testKinds are kinds for tests: they turn texts into texts, or need settings.
func testKinds() StepKinds {
	return StepKinds{
		"make": {Name: "make", Variadic: &Port{Type: Anything},
			Out: []Port{{Name: "text", Type: Text}, {Name: "texts", Type: ListOf(Text)}, {Name: "number", Type: Number},
				{Name: "is", Type: Truth}}},
		"strict": {Name: "strict", In: []Port{{Name: "text", Type: Text, Need: true}},
			Out: []Port{{Name: "prompt", Type: Prompt}, {Name: "text", Type: Text}},
			Set: func() any { return &madeSet{} }, Uncacheable: true},
		"choose": {Name: "choose", Variadic: &Port{Type: Anything, Need: true},
			Shape: func(_ any, in []Port) ([]Port, error) {
				return []Port{{Name: "chosen", Type: in[0].Type}}, nil
			}},
	}
}

const head = "recipe: x\n"

func TestCheckNamesEveryMistakeAndWhatWouldFit(t *testing.T) {
	for _, c := range []struct{ name, text, want string }{
		{"unknown kind", "steps:\n  - {name: a, do: mak}\nreply: a.text\n",
			`x.yaml:3:19: step "a": do: unknown kind "mak"; did you mean "make"?`},
		{"unknown name", "steps:\n  - {name: a, do: make, from: {x: qestion}}\nreply: a.text\n",
			`unknown name "qestion"; did you mean "question"?`},
		{"output nobody makes", "steps:\n  - {name: a, do: make}\n  - {name: b, do: make, from: {x: a.txt}}\n" +
			"reply: b.text\n", `step "b": x: nobody makes "a.txt"; "a" gives a.text, a.texts, a.number, a.is`},
		{"step without output", "steps:\n  - {name: a, do: make}\nreply: a\n",
			`reply: say which of what "a" gives: a.text`},
		{"type does not fit", "steps:\n  - {name: a, do: make}\n" +
			"  - {name: b, do: strict, from: {text: a.number}, set: {size: 1}}\nreply: b.text\n",
			`step "b": text: a.number is a number, and text is needed; would fit: question, a.text`},
		{"loop", "steps:\n  - {name: a, do: make, from: {x: b.text}}\n  - {name: b, do: make, from: {x: a.text}}\n" +
			"reply: a.text\n", `step "a": it needs its own result: a → b → a`},
		{"needless", "steps:\n  - {name: a, do: make}\n  - {name: b, do: make}\nreply: a.text\n",
			`x.yaml:4:1: step "b": nobody needs it`},
		{"name taken", "steps:\n  - {name: a, do: make}\n  - {name: a, do: make}\nreply: a.text\n",
			`step "a": the name is taken`},
		{"not wired", "steps:\n  - {name: a, do: strict, set: {size: 1}}\nreply: a.text\n",
			`its input "text" (text) is not wired; would fit: question`},
		{"unknown input", "steps:\n  - {name: a, do: strict, from: {txt: question, text: question}, set: {size: 1}}\n" +
			"reply: a.text\n", `unknown input of strict "txt"; did you mean "text"?`},
		{"setting missing", "steps:\n  - {name: a, do: strict, from: {text: question}}\nreply: a.text\n",
			`step "a": set: "size" is missing`},
		{"setting wrong", "steps:\n  - {name: a, do: strict, from: {text: question}, set: {size: 10}}\nreply: a.text\n",
			`x.yaml:3:63: size: 10 is out of range; from 1 to 9`},
		{"keep what cannot be", "steps:\n  - {name: a, do: strict, keep: 1h, from: {text: question}, set: {size: " +
			"1}}\nreply: a.text\n", `keep: what strict gives is not the same every time`},
		{"each of no list", "steps:\n  - {name: a, do: make}\n" +
			"  - {name: b, do: make, each: a.text, from: {x: item}}\nreply: b.text\n",
			`each: a.text is text, and a list is needed; would fit: pictures, a.texts`},
		{"reply no text", "steps:\n  - {name: a, do: make}\nreply: a.number\n",
			`reply: a.number is a number, and a text or a list of text is needed; would fit: a.text, a.texts`},
		{"reply may be missing", "steps:\n  - {name: c, do: make}\n  - {name: a, do: make, if: c.is}\nreply: a.text\n",
			`"a" may be skipped or fail, and then there would be no reply`},
		{"unknown type", "inputs:\n  - {name: q, type: txt}\nsteps:\n  - {name: a, do: make, from: {x: q}}\n" +
			"reply: a.text\n", `unknown type "txt"; did you mean "text"?`},
		{"choice without choices", "inputs:\n  - {name: q, type: choice}\nsteps:\n" +
			"  - {name: a, do: make, from: {x: q}}\nreply: a.text\n", `a choice needs choices`},
		{"default of another type", "inputs:\n  - {name: q, type: number, default: three}\nsteps:\n" +
			"  - {name: a, do: make, from: {x: q}}\nreply: a.text\n", `q: expected number, found text`},
		{"condition on a list compared", "steps:\n  - {name: c, do: make}\n" +
			"  - {name: a, do: make, if: c.texts is x}\n  - {name: d, do: choose, from: {a: a.text, c: c.text}}\n" +
			"reply: d.chosen\n", `which cannot be compared with "x"`},
		{"group without gives", "steps:\n  - {name: a, do: group, steps: [{name: b, do: make}]}\nreply: a.text\n",
			`a group says under gives what it gives`},
		{"wrong within a group", "steps:\n  - name: a\n    do: group\n    steps:\n" +
			"      - {name: b, do: make, from: {x: questin}}\n    gives: {out: b.text}\nreply: a.out\n",
			`x.yaml:6:36: step "b": x: unknown name "questin"; did you mean "question"?`},
		{"needless within a group", "steps:\n  - name: a\n    do: group\n    steps:\n      - {name: b, do: make}\n" +
			"      - {name: c, do: make}\n    gives: {out: b.text}\nreply: a.out\n", `step "c": nobody needs it`},
		{"blind without lanes", "settings:\n  - {name: b, type: truth}\nsteps:\n  - {name: a, do: make}\n" +
			"reply: a.text\nblind: settings.b\n", `only a reply of several texts can be blind`},
		{"part that cannot be shown", "steps:\n  - {name: a, do: strict, from: {text: question}, set: {size: 1}}\n" +
			"parts:\n  - {title: P, from: a.prompt}\nreply: a.text\n",
			`parts: P: a.prompt is a prompt, and text, data, pictures or a list of text is needed`},
	} {
		_, err := Check("x.yaml", []byte(head+c.text), testKinds())
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%s: got %v\nwant %s", c.name, err, c.want)
		}
	}
}

func TestSettingsOfTheDeskFile(t *testing.T) {
	r, err := Check("x.yaml", []byte(head+`settings:
  - {name: voices, type: list of voice, need: true}
  - {name: tone, type: choice, choices: [dry, warm], default: dry}
steps:
  - {name: a, do: make, from: {v: settings.voices, t: settings.tone}}
reply: a.text
`), testKinds())
	if err != nil {
		t.Fatal(err)
	}
	settle := func(text string) (Values, error) {
		var f struct {
			S yamlfile.Later `yaml:"s"`
		}
		if err := yamlfile.Decode("d.yaml", []byte(text), &f); err != nil {
			t.Fatal(err)
		}
		return r.Settle("d.yaml", "recipe_settings", f.S)
	}
	got, err := settle("s:\n  voices:\n    - {model: m, temperature: 0.5}\n    - {title: T}\n")
	if err != nil || got["tone"] != "dry" || len(r.Voices(got)) != 2 || *r.Voices(got)[0].Temperature != 0.5 {
		t.Errorf("%v, %v", got, err)
	}
	for text, want := range map[string]string{
		"s: {}\n":                       `"voices" is missing`,
		"s: {voices: []}\n":             "",
		"s:\n  voices: [{modl: x}]\n":   `d.yaml:2:13: unknown key "modl"; did you mean "model"?`,
		"s: {voices: [], tone: grey}\n": `tone: unknown choice "grey"; known: dry, warm`,
		"s: {voics: []}\n":              `unknown setting of the recipe x "voics"; did you mean "voices"?`,
		"s: {voices: x}\n":              `voices: expected a list of voice`,
	} {
		_, err := settle(text)
		if want == "" && err != nil || want != "" && (err == nil || !strings.Contains(err.Error(), want)) {
			t.Errorf("%q: got %v, want %s", text, err, want)
		}
	}
}

func TestWhatVisitorsGiveIsRead(t *testing.T) {
	for _, c := range []struct {
		in   Input
		text string
		want string // of the value, or of the error
	}{
		{Input{Name: "n", Type: Number}, " 2.5 ", "2.5"},
		{Input{Name: "n", Type: Number}, "two", `"two" is not a number`},
		{Input{Name: "c", Type: Choice, Choices: []string{"dry"}}, "drey", `did you mean "dry"?`},
		{Input{Name: "a", Type: Address}, "ftp://x", "begins with http"},
		{Input{Name: "l", Type: ListOf(Text)}, "a\nb\n", "[a b]"},
		{Input{Name: "t", Type: Truth}, "true", "true"},
		{Input{Name: "p", Type: Picture}, "data:image/png;name=a%20b.png;base64,aGVsbG8=",
			"{ a b.png image/png 0 0  [104 101 108 108 111]}"},
		{Input{Name: "p", Type: Picture}, "data:text/plain;name=a.txt;base64,aGVsbG8=", "a.txt is no picture"},
		{Input{Name: "d", Type: Document}, "data:text/plain;name=a.txt;base64,aGVs",
			"{ a.txt text/plain 0 0  [104 101 108]}"},
		{Input{Name: "d", Type: Document}, "data:text/plain;base64,a", "did not arrive whole"},
		{Input{Name: "d", Type: Document}, "hello", "a document is given as a file"},
	} {
		v, err := c.in.Parse(c.text)
		got := fmt.Sprint(v)
		if err != nil {
			got = err.Error()
		}
		if !strings.Contains(got, c.want) {
			t.Errorf("%s %q: got %s", c.in.Type, c.text, got)
		}
	}
}

func TestTypesFit(t *testing.T) {
	for _, c := range []struct {
		to, from Type
		want     bool
	}{
		{Text, Choice, true}, {Text, Address, true}, {Choice, Text, false}, {Text, Number, false},
		{Anything, Prompt, true},
		{ListOf(Text), ListOf(Choice), true}, {ListOf(Text), Text, false}, {Data, ListOf(Number), true},
		{Data, Prompt, false}, {Data, ListOf(Prompt), false},
	} {
		if got := c.to.Takes(c.from); got != c.want {
			t.Errorf("%s takes %s: %v", c.to, c.from, got)
		}
	}
}

func TestTheSchemaKnowsTheKinds(t *testing.T) {
	text, err := json.Marshal(Schema(testKinds()))
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{`"$ref":"#/$defs/StepFile"`, `"const":"strict"`, `"size"`,
		`"enum":["choose","make","strict","group"]`} {
		if !strings.Contains(string(text), want) {
			t.Errorf("%s is not in %s", want, text)
		}
	}
}

func FuzzCheck(f *testing.F) {
	f.Add(head + "steps:\n  - {name: a, do: make, each: c.texts, if: not c.is, from: {x: item}}\n" +
		"  - {name: c, do: make}\nreply: a.text\n")
	f.Add(head + "steps:\n  - name: a\n    do: group\n    each: settings.l\n    steps:\n" +
		"      - {name: b, do: strict, from: {text: item}, set: {size: 2}}\n    gives: {out: b.text}\nsettings:\n" +
		"  - {name: l, type: list of text, default: [x]}\nreply: a.out\n")
	f.Fuzz(func(t *testing.T, text string) {
		r, err := Check("x.yaml", []byte(text), testKinds())
		if err != nil {
			return
		}
		if r.Reply.Step == nil || len(r.Steps) == 0 {
			t.Errorf("accepted %q", text)
		}
	})
}
