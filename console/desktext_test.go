package console_test

import (
	"strings"
	"testing"
)

const deskFile = `# The helper of the handbook.
slug: hive-helper
title: Hive helper # as visitors see it
model: shed/heather-2
openers:
  - What is a swarm?
  - When do I feed?
memory:
  turns: 6
`

// The form changes a desk file where it has to, and nowhere else.
func TestTheFormLeavesTheRestAlone(t *testing.T) {
	for _, c := range []struct {
		name       string
		path       []string
		value      any
		gone, want string // a line before and after; "" for none
	}{
		{"a plain value", []string{"model"}, "shed/thyme-mini", "model: shed/heather-2", "model: shed/thyme-mini"},
		{"a value with a comment", []string{"title"}, "Helper", "title: Hive helper # as visitors see it",
			"title: Helper # as visitors see it"},
		{"a value that needs quotes", []string{"title"}, "Bees: all of them", "title: Hive helper # as visitors see it",
			`title: "Bees: all of them" # as visitors see it`},
		{"a nested value", []string{"memory", "turns"}, 9, "  turns: 6", "  turns: 9"},
	} {
		got := eval[string](t, "return logic.deskText.set(a[0], a[1], a[2])", deskFile, c.path, c.value)
		if want := strings.Replace(deskFile, c.gone, c.want, 1); got != want {
			t.Errorf("%s:\n%s", c.name, got)
		}
	}
}

// A key that is new stands where the order of keys has it; one that goes takes
// its emptied parent along.
func TestTheFormPutsKeysInTheirPlace(t *testing.T) {
	got := eval[string](t, `return logic.deskText.set(a[0], ["purpose"], "Answers.")`, deskFile)
	if want := strings.Replace(deskFile, "visitors see it\n", "visitors see it\npurpose: Answers.\n", 1); got != want {
		t.Errorf("a new key:\n%s", got)
	}
	got = eval[string](t, `return logic.deskText.set(a[0], ["memory", "turns"], undefined)`, deskFile)
	if strings.Contains(got, "memory") || !strings.Contains(got, "# The helper") {
		t.Errorf("a key that goes:\n%s", got)
	}
	got = eval[string](t, `return logic.deskText.set(a[0], ["openers"], ["Why?", "a: b"])`, deskFile)
	if !strings.Contains(got, "openers:\n  - Why?\n  - \"a: b\"\n") &&
		!strings.Contains(got, "openers:\n  - Why?\n  - 'a: b'\n") {
		t.Errorf("a list:\n%s", got)
	}
}

// Whatever is set can be read back, also in a file of a rare shape; a file that
// is no YAML yet stays as it is.
func TestWhatIsSetCanBeReadBack(t *testing.T) {
	files := []string{deskFile, "", "{slug: a, memory: {turns: 2}}\n", "slug: a\r\ntitle: b\r\n"}
	for _, file := range files {
		for _, value := range []any{"plain", "two\nlines", "# no comment", "", true, 0.5, []string{"a", "- b"}} {
			back := eval[any](t, `const text = logic.deskText.set(a[0], ["brief"], a[1]);
				return logic.deskText.valueAt(logic.deskText.read(text), ["brief"])`, file, value)
			want := eval[any](t, "return a[0]", value)
			if !same(back, want) {
				t.Errorf("%q in %q comes back as %v", value, file, back)
			}
		}
	}
	const broken = "slug: [a\ntitle: b"
	if got := eval[string](t, `return logic.deskText.set(a[0], ["title"], "c")`, broken); got != broken {
		t.Errorf("a broken file became %q", got)
	}
	if got := eval[bool](t, "return logic.deskText.read(a[0]).readable", broken); got {
		t.Error("a broken file is readable")
	}
}
