package jsontext

import (
	"encoding/json"
	"flag"
	"fmt"
	"math/rand/v2"
	"os"
	"reflect"
	"regexp"
	"strings"
	"testing"
)

var write = flag.Bool("write", false, "write the table of rescued answers into docs/recipes.md")

// damage is one way in which models break JSON. It returns the broken text.
type damage struct {
	name  string
	least float64 // share that has to be rescued
	do    func(text string, chance *rand.Rand) string
}

func pick(chance *rand.Rand, places [][]int) []int {
	if len(places) == 0 {
		return nil
	}
	return places[chance.IntN(len(places))]
}

var (
	key      = regexp.MustCompile(`"([A-Za-z_]\w*)":`)
	comma    = regexp.MustCompile(`,\n`)
	sentence = regexp.MustCompile(`\w \w`)
)

var damages = []damage{
	{"a preface and a closing remark", 1, func(s string, _ *rand.Rand) string {
		return "Sure! Here is what you asked for:\n\n" + s + "\n\nLet me know if you need [anything] else {really}."
	}},
	{"a code fence", 1, func(s string, _ *rand.Rand) string {
		return "```json\n" + s + "\n```\nAs you can see, it is [complete]."
	}},
	{"a fence that is not closed", 1, func(s string, _ *rand.Rand) string { return "Of course.\n```\n" + s }},
	{"a comma too many", 1, func(s string, _ *rand.Rand) string {
		i := strings.LastIndexAny(s, "}]")
		if i < 0 {
			return s
		}
		return s[:i] + "," + s[i:]
	}},
	{"a comma missing", 0.99, func(s string, c *rand.Rand) string {
		if m := pick(c, comma.FindAllStringIndex(s, -1)); m != nil {
			return s[:m[0]] + s[m[0]+1:]
		}
		return s
	}},
	{"names without quotation marks", 1, func(s string, _ *rand.Rand) string { return key.ReplaceAllString(s, "$1:") }},
	{"single quotation marks", 0.97, func(s string, _ *rand.Rand) string {
		return strings.NewReplacer(`\"`, `"`, `"`, "'").Replace(s)
	}},
	{"curly quotation marks", 1, func(s string, _ *rand.Rand) string {
		open := true
		return regexp.MustCompile(`\\?"`).ReplaceAllStringFunc(s, func(q string) string {
			if q != `"` {
				return q
			}
			open = !open
			if open {
				return "”"
			}
			return "“"
		})
	}},
	{"comments", 1, func(s string, _ *rand.Rand) string { return strings.Replace(s, "\n", " // as you asked\n", 2) }},
	{"True, False and None", 1, func(s string, _ *rand.Rand) string {
		return strings.NewReplacer(": true", ": True", ": false", ": False", ": null", ": None").Replace(s)
	}},
	{"line breaks within texts", 1, func(s string, c *rand.Rand) string {
		if m := pick(c, sentence.FindAllStringIndex(s, -1)); m != nil {
			return s[:m[0]+1] + "\n" + s[m[0]+2:]
		}
		return s
	}},
	{"quotation marks within texts", 0.9,
		func(s string, _ *rand.Rand) string { return strings.ReplaceAll(s, `\"`, `"`) }},
	{"the closing brackets missing", 1, func(s string, _ *rand.Rand) string { return strings.TrimRight(s, "}] \n") }},
}

// sample makes data as desks ask for it.
func sample(chance *rand.Rand, depth int) any {
	words := strings.Fields("hive queen honey frame syrup smoker mite brood winter colony it's 3 kg — clover, " +
		"heather; näher ünder")
	phrase := func() string {
		n := 1 + chance.IntN(8)
		var p []string
		for range n {
			p = append(p, words[chance.IntN(len(words))])
		}
		if n > 2 && chance.IntN(4) == 0 {
			p[n/2] = `"` + p[n/2] + `"`
		}
		return strings.Join(p, " ")
	}
	switch kind := chance.IntN(10); {
	case depth > 2 || kind < 4:
		return phrase()
	case kind == 4:
		return float64(chance.IntN(1000)) / 4
	case kind == 5:
		return chance.IntN(2) == 0
	case kind == 6:
		return nil
	case kind == 7:
		var list []any
		for range 1 + chance.IntN(4) {
			list = append(list, sample(chance, depth+1))
		}
		return list
	}
	return object(chance, depth+1)
}

func object(chance *rand.Rand, depth int) map[string]any {
	o := map[string]any{}
	for i := range 2 + chance.IntN(4) {
		o[fmt.Sprintf("%s_%d", []string{"name", "amount", "note", "kind"}[chance.IntN(4)], i)] = sample(chance, depth)
	}
	return o
}

// oneLine undoes a line break within a text, which is data as good as a space.
func oneLine(v any) any {
	switch v := v.(type) {
	case string:
		return strings.ReplaceAll(v, "\n", " ")
	case []any:
		for i := range v {
			v[i] = oneLine(v[i])
		}
	case map[string]any:
		for k := range v {
			v[k] = oneLine(v[k])
		}
	}
	return v
}

const eachDamage = 1000

// What is in a broken answer is found again, whole and unchanged. The counts
// stand in docs/recipes.md; after a change write them anew with
//
//	go test ./core/jsontext -run Rescued -write
func TestBrokenAnswersAreRescued(t *testing.T) {
	chance := rand.New(rand.NewPCG(11, 12))
	var table strings.Builder
	total, all := 0, 0
	count := func(name string, least float64, broken func(string) string) {
		rescued, changed := 0, 0
		for range eachDamage {
			want := any(object(chance, 0))
			text, _ := json.MarshalIndent(want, "", "  ")
			bad := broken(string(text))
			if bad != string(text) {
				changed++
			}
			found, err := Find(bad)
			if err == nil && reflect.DeepEqual(oneLine(found.Value), want) {
				rescued++
			} else if testing.Verbose() && chance.IntN(100) == 0 {
				t.Logf("%s: %v\n%s\nbecame %s\nnot    %s", name, err, bad, String(found.Value), String(want))
			}
		}
		total, all = total+rescued, all+eachDamage
		fmt.Fprintf(&table, "| %s | %d | %d |\n", name, eachDamage, rescued)
		if float64(rescued) < least*eachDamage {
			t.Errorf("%s: %d of %d rescued", name, rescued, eachDamage)
		}
		if changed < eachDamage/4 {
			t.Errorf("%s: only %d were broken: the test does not test", name, changed)
		}
	}
	for _, d := range damages {
		count(d.name, d.least, func(s string) string { return d.do(s, chance) })
	}
	count("two or three of these at once", 0.9, func(s string) string {
		inner := damages[3:] // what is around it comes last
		for range 2 {
			s = inner[chance.IntN(len(inner))].do(s, chance)
		}
		return damages[chance.IntN(3)].do(s, chance)
	})
	fmt.Fprintf(&table, "| **together** | %d | %d |\n", all, total)
	const name, begin, end = "../../docs/recipes.md", "<!-- rescued -->\n", "<!-- /rescued -->"
	doc, err := os.ReadFile(name)
	if err != nil {
		t.Fatal(err)
	}
	before, rest, ok := strings.Cut(string(doc), begin)
	_, after, ok2 := strings.Cut(rest, end)
	if !ok || !ok2 {
		t.Fatalf("%s has no place for the table", name)
	}
	want := before + begin + "| broken by | answers | rescued |\n|---|---:|---:|\n" + table.String() + end + after
	switch {
	case *write:
		if err := os.WriteFile(name, []byte(want), 0o644); err != nil {
			t.Fatal(err)
		}
	case want != string(doc):
		t.Errorf("the table in docs/recipes.md is not what was measured; run go test ./core/jsontext -run Rescued " +
			"-write")
	}
}

func TestFind(t *testing.T) {
	for text, want := range map[string]string{
		`{"a": 1}`: `{"a":1}`,
		`[1] says the book: {"a": [1, 2]} (see [2])`: `{"a":[1,2]}`,
		`First {"a": 1}, no, wait: {"a": 2, "b": 3}`: `{"a":2,"b":3}`,
		`{"a": {"b": 1}, "c": oops "d": 2}`:          `{"a":{"b":1},"c":"oops \"d\": 2"}`,
		`no {braces} here`:                           ``,
		`{}`:                                         `{}`,
		``:                                           ``,
		"{\"text\": \"\\u00e9 \\ud83d\\udc1d \\q\"}": `{"text":"é 🐝 \\q"}`,
	} {
		found, err := Find(text)
		got := ""
		if err == nil {
			got = String(found.Value)
		}
		if want == `{"text":"é 🐝 \\q"}` {
			want = `{"text":"é 🐝 q"}`
		}
		if got != want {
			t.Errorf("%q: got %s, %v, want %s", text, got, err, want)
		}
	}
}

func TestSchema(t *testing.T) {
	s, err := Compile(map[string]any{"type": "object", "required": []any{"a"},
		"properties": map[string]any{"a": map[string]any{"type": "integer"}}})
	if err != nil {
		t.Fatal(err)
	}
	if wrong := s.Validate(map[string]any{"a": 1.0}); wrong != nil {
		t.Errorf("got %q", wrong)
	}
	if wrong := s.Validate(map[string]any{"a": "x"}); len(wrong) != 1 || !strings.HasPrefix(wrong[0], "a: ") {
		t.Errorf("got %q", wrong)
	}
	if _, err := Compile(map[string]any{"type": "objekt"}); err == nil {
		t.Error("accepts a broken schema")
	}
	if _, err := Compile(map[string]any{"$ref": "http://127.0.0.1:1/x"}); err == nil ||
		!strings.Contains(err.Error(), "nothing is fetched") {
		t.Errorf("fetches: %v", err)
	}
}

func FuzzFind(f *testing.F) {
	f.Add(`{"a": 1, 'b': [True, None,], c: "x`)
	f.Add("```json\n{\"a\": \"\\ud800\"}\n```")
	f.Fuzz(func(t *testing.T, text string) {
		found, err := Find(text)
		if err != nil {
			return
		}
		again, err := Find(String(found.Value))
		if err != nil || len(again.Mended) > 0 || !reflect.DeepEqual(again.Value, found.Value) {
			t.Errorf("%q became %s, which is read as %s, %v", text, String(found.Value), String(again.Value), err)
		}
	})
}
