package yamlfile

import (
	"encoding/json"
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"
)

type sample struct {
	Name   string        `yaml:"name" need:"yes" most:"10" pattern:"^[a-z]+$" patternhelp:"small letters only" about:"A name."`
	Kind   string        `yaml:"kind" choices:"round,square" about:"Its shape."`
	Size   int           `yaml:"size" least:"1" most:"9" about:"Its size."`
	Heat   *float64      `yaml:"heat" least:"0" most:"2"`
	Wait   time.Duration `yaml:"wait"`
	Fresh  bool          `yaml:"fresh"`
	List   []string      `yaml:"list" most:"2"`
	Nested []inner       `yaml:"nested"`
}

type inner struct {
	Label string `yaml:"label" need:"yes" about:"What it says."`
}

func TestDecodeReadsEveryKindOfValue(t *testing.T) {
	var s sample
	err := Decode("f.yaml", []byte("name: hive\nkind: square\nsize: 3\nheat: 1\nwait: 1m30s\nfresh: true\nlist:\n"+
		"  - a\n  - \"b: c\"\nnested:\n  - label: x\n  - {label: y}\n"), &s)
	if err != nil {
		t.Fatal(err)
	}
	if s.Name != "hive" || s.Kind != "square" || s.Size != 3 || *s.Heat != 1 || s.Wait != 90*time.Second || !s.Fresh ||
		strings.Join(s.List, "|") != "a|b: c" || len(s.Nested) != 2 || s.Nested[1].Label != "y" {
		t.Errorf("read %+v", s)
	}
}

func TestDecodeSaysWhatIsWrongAndWhere(t *testing.T) {
	for _, c := range []struct{ text, want string }{
		{"name: a\nknid: round", `f.yaml:2:1: unknown key "knid"; did you mean "kind"?`},
		{"name: a\nzzzzzz: 1", `f.yaml:2:1: unknown key "zzzzzz"; known: name, kind`},
		{"name: a\nkind: sqare", `f.yaml:2:7: kind: unknown value "sqare"; did you mean "square"?`},
		{"kind: round", `f.yaml:1:5: "name" is missing: A name.`},
		{"name: ''", "name: is empty"},
		{"name: Hive", `name: "Hive" does not fit: small letters only`},
		{"name: aaaaaaaaaaaa", "name: 12 characters; at most 10"},
		{"name: a\nsize: 10", "f.yaml:2:7: size: 10 is out of range; from 1 to 9"},
		{"name: a\nsize: many", "size: expected a whole number, found text"},
		{"name: a\nsize: 2.5", "size: expected a whole number, found a number"},
		{"name: a\nheat: 3", "heat: 3 is out of range"},
		{"name: a\nwait: soon", `wait: "soon" is not a length of time`},
		{"name: a\nwait: 5", "wait: expected a length of time like 30s, found a number"},
		{"name: a\nfresh: perhaps", "fresh: expected true or false, found text"},
		{"name: 5", "name: expected text (put quotes round it), found a number"},
		{"name: a\nlist: b", `list: expected a list (lines that begin with "- "), found text`},
		{"name: a\nlist: [a, b, c]", "list: 3 entries; at most 2"},
		{"name: a\nnested:\n  - lable: x", `f.yaml:3:5: unknown key "lable"; did you mean "label"?`},
		{"name: a\nname: b", "f.yaml:2:1:"},
		{"- a", "the file: expected keys with values"},
		{"", "f.yaml:1:1: the file is empty"},
		{"name: [a", "f.yaml:1:"},
		{"name: a\n---\nname: b", "a second document begins here"},
		{"name: &x a\nkind: *x", "references (*name) are not used here"},
		{"name: \xff", "not UTF-8"},
		{strings.Repeat("#", LargestFile+1), "the most that is read"},
	} {
		var s sample
		err := Decode("f.yaml", []byte(c.text), &s)
		if err == nil || !strings.Contains(err.Error(), c.want) {
			t.Errorf("%.40q: got %v, want %s", c.text, err, c.want)
		}
	}
}

func TestDecodeReportsEverythingAtOnceInOrder(t *testing.T) {
	var s sample
	err := Decode("f.yaml", []byte("siez: 3\nname: HIVE\nsize: 0\n"), &s)
	ps, ok := err.(Problems)
	if !ok || len(ps) != 3 || ps[0].Line != 1 || ps[1].Line != 2 || ps[2].Line != 3 {
		t.Errorf("got %v", err)
	}
}

func TestSchemaSaysWhatTheTagsSay(t *testing.T) {
	text, err := json.Marshal(Schema("Sample", sample{}))
	if err != nil {
		t.Fatal(err)
	}
	for _, want := range []string{
		`"additionalProperties":false`, `"required":["name"]`, `"enum":["round","square"]`, `"maximum":9`,
		`"pattern":"^[a-z]+$"`, `"maxItems":2`, `"description":"Its shape."`, `"title":"Sample"`,
	} {
		if !strings.Contains(string(text), want) {
			t.Errorf("schema lacks %s: %s", want, text)
		}
	}
}

func TestNearest(t *testing.T) {
	known := []string{"title", "purpose", "model", "memory"}
	for word, want := range map[string]string{"titel": "title", "Modle": "model", "memroy": "memory", "x": "",
		"porpose": "purpose", "banana": ""} {
		if got := Nearest(word, known); got != want {
			t.Errorf("Nearest(%q) = %q, want %q", word, got, want)
		}
	}
}

func TestDescribeSetsWhatItDescribes(t *testing.T) {
	v := struct {
		Place string        `yaml:"place" about:"Where."`
		Wait  time.Duration `yaml:"wait"`
		Kind  string        `yaml:"kind" choices:"a,b"`
		Open  bool          `yaml:"open"`
	}{Place: "here"}
	all := Describe(&v)
	if len(all) != 4 || all[0].Key != "place" || all[0].Value != "here" || all[1].Value != "" {
		t.Fatalf("described %+v", all)
	}
	if err := all[1].Set("5s"); err != nil || v.Wait != 5*time.Second {
		t.Errorf("wait is %v, %v", v.Wait, err)
	}
	if err := all[3].Set("true"); err != nil || !v.Open {
		t.Errorf("open is %v, %v", v.Open, err)
	}
	for i, bad := range map[int]string{1: "-1s", 2: "c", 3: "perhaps"} {
		if all[i].Set(bad) == nil {
			t.Errorf("%s took %q", all[i].Key, bad)
		}
	}
}

func FuzzDecode(f *testing.F) {
	f.Add("name: a\nlist: [x]\nnested: [{label: y}]")
	f.Add("? {a: b}\n: c")
	f.Add("name: !!str |\n  x\n *a : &a {}")
	f.Fuzz(func(t *testing.T, text string) {
		var s sample
		if err := Decode("f", []byte(text), &s); err == nil && s.Name == "" {
			t.Errorf("accepted a file without a name: %q", text)
		}
	})
}

// However many mistakes a file has, reading it takes work in proportion to its
// size, and what is told is no more than somebody reads.
func TestManyMistakes(t *testing.T) {
	type file struct {
		Slug  string   `yaml:"slug" about:"x"`
		Title string   `yaml:"title" about:"x"`
		List  []string `yaml:"list" about:"x"`
	}
	var keys, entries strings.Builder
	keys.WriteString("slug: x\n")
	for i := range 15_000 {
		fmt.Fprintf(&keys, "key_%d: 1\n", i)
	}
	entries.WriteString("list:\n")
	for range 40_000 {
		entries.WriteString("- {}\n")
	}
	for name, c := range map[string]struct {
		text  string
		least int
	}{
		"keys": {keys.String(), 15_000}, "entries": {entries.String(), 40_000},
		"a long key": {strings.Repeat("k", 200_000) + ": 1\n", 1},
	} {
		var f file
		var problems Problems
		if err := Decode("x.yaml", []byte(c.text), &f); !errors.As(err, &problems) {
			t.Fatalf("%s: %v", name, err)
		}
		more := 0
		if n := len(problems); n == mostProblems+1 {
			_, _ = fmt.Sscanf(problems[n-1].Message, "there are %d more", &more)
			more--
		} else if n > mostProblems {
			t.Errorf("%s: %d are told", name, n)
		}
		if len(problems)+more != c.least {
			t.Errorf("%s: %d and %d more, want %d", name, len(problems), more, c.least)
		}
	}
}
