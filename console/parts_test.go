package console_test

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"
)

// same compares what JSON made of two values.
func same(a, b any) bool { return reflect.DeepEqual(a, b) }

// What was tried in the bench becomes a desk file that says the same, with its
// comments; a step's settings become the desk's own recipe.
func TestEditsBecomeAFile(t *testing.T) {
	const source = "recipe: own # ours\nsteps:\n  - {name: prompt, do: compose, set: {user: old}}\n" +
		"  - name: each\n    steps:\n      - {name: text, do: generate}\nreply: each.text\n"
	got := eval[string](t, `return logic.edits.applied(a[0], a[1], "own", a[2])`, deskFile, source, map[string]any{
		"brief": "Be kind.\nBe short.", "model": "shed/thyme-mini", "sampling": map[string]any{"temperature": 0.2},
		"set": map[string]any{"prompt": map[string]any{"user": "new"}, "each/text": map[string]any{"least": 80}},
	})
	for _, want := range []string{"# The helper of the handbook.", "model: shed/thyme-mini", "temperature: 0.2",
		"brief: |-\n  Be kind.\n  Be short.", "recipe: own.recipe.yaml", "own_recipe: |\n", "# ours", "user: new",
		"least: 80"} {
		if !strings.Contains(got, want) {
			t.Errorf("%q is missing in\n%s", want, got)
		}
	}
	for body, want := range map[string]bool{`{}`: true, `{inputs: {}}`: true, `{inputs: {text: {prompt: []}}}`: false} {
		if got := eval[bool](t, "return logic.edits.publishable("+body+")"); got != want {
			t.Errorf("%s publishable: %v", body, got)
		}
	}
}

type block struct {
	Key    int
	Kind   string
	Source string
	Whole  bool
}

// A reply that grows letter by letter ends as it would have read at once, and
// no block before the last is made anew.
func TestGrowingRepliesEndAsTheyWouldAtOnce(t *testing.T) {
	const text = "Some *words* first.\n\n- one\n- **two**\n\n```go\nx := `y`\n```\n\n| a | b |\n|---|---|\n" +
		"| 1 | 2 |\n\nEnd."
	type grown struct {
		Last, Whole []block
		Unsteady    int
	}
	got := eval[grown](t, `
		const b = new logic.blocks.Blocks(), whole = new logic.blocks.Blocks().update(a[0], false);
		let before = [], unsteady = 0, last;
		for (let n = 1; n <= a[0].length; n++) {
			last = b.update(a[0].slice(0, n), n < a[0].length);
			const kept = before.slice(0, Math.min(before.length, last.length) - 1);
			if (kept.some((k, i) => i < last.length - 1 && k !== last[i] && k.source !== last[i].source)) unsteady++;
			before = last;
		}
		return { last, whole, unsteady }`, text)
	if !same(got.Last, got.Whole) || got.Unsteady > 0 {
		t.Errorf("grown %+v\nat once %+v\n%d times a block was made anew", got.Last, got.Whole, got.Unsteady)
	}
	if len(got.Whole) != 5 || got.Whole[2].Kind != "code" || !got.Whole[2].Whole {
		t.Errorf("blocks %+v", got.Whole)
	}
}

// What is still being written shows no stray marks.
func TestOpenMarksAreClosed(t *testing.T) {
	for from, want := range map[string]string{
		"so **bo": "so **bo**", "so *it": "so *it*", "run `co": "run `co`", "a [link](http://x": "a ", "done.": "done.",
		"first\nthen **b": "first\nthen **b**", "- ": "- ", "x **": "x ",
	} {
		if got := eval[string](t, "return logic.blocks.closeInline(a[0])", from); got != want {
			t.Errorf("%q becomes %q, not %q", from, got, want)
		}
	}
}

// Events arrive whole however the network cuts them, with either kind of line
// end, and a cut one is not told.
func TestEvents(t *testing.T) {
	for name, stream := range map[string]string{
		"line feeds": "event: begin\nid: 1\ndata: {\"turn\":\"t\"}\n\n: still here\n\nevent: text\nid: 2\n" +
			"data: {\"text\":\"Bienenstöcke 🐝\"}\n\nevent: text\ndata: {\"te",
		"both": "event: begin\r\nid: 1\r\ndata: {\"turn\":\"t\"}\r\n\r\n: still here\r\n\r\nevent: text\r\nid: 2\r\n" +
			"data: {\"text\":\"Bienenstöcke 🐝\"}\r\n\r\nevent: text\r\ndata: {\"te",
	} {
		for _, size := range []int{1, 2, 3, 7, 1000} {
			got := eval[json.RawMessage](t, `
				const bytes = new TextEncoder().encode(a[0]);
				const body = new ReadableStream({ start(c) {
					for (let i = 0; i < bytes.length; i += a[1]) c.enqueue(bytes.slice(i, i + a[1]));
					c.close();
				} });
				const all = [];
				for await (const e of logic.readEvents(new Response(body))) all.push(e);
				return all`, stream, size)
			const want = `[{"name":"begin","id":"1","data":{"turn":"t"}},` +
				`{"name":"text","id":"2","data":{"text":"Bienenstöcke 🐝"}}]`
			if string(got) != want {
				t.Errorf("%s in pieces of %d: %s", name, size, got)
			}
		}
	}
}

// The arrows go along the wires of a recipe's graph, and every box is reached.
func TestTheGraphIsWalked(t *testing.T) {
	box := func(name string, x, y int) map[string]any {
		return map[string]any{"name": name, "x": x, "y": y, "w": 100, "h": 40}
	}
	drawing := map[string]any{
		"boxes": []any{box("inputs", 60, 0), box("a", 0, 80), box("b", 120, 80), box("reply", 60, 160)},
		"wires": []any{
			map[string]any{"from": "inputs", "to": "a"}, map[string]any{"from": "inputs", "to": "b"},
			map[string]any{"from": "a", "to": "reply"}, map[string]any{"from": "b", "to": "reply"},
		},
	}
	for _, c := range [][3]string{
		{"inputs", "ArrowDown", "a"}, {"a", "ArrowRight", "b"}, {"b", "ArrowLeft", "a"}, {"b", "ArrowDown", "reply"},
		{"reply", "ArrowUp", "a"}, {"a", "ArrowUp", "inputs"}, {"a", "End", "reply"}, {"reply", "Home", "inputs"},
		{"reply", "ArrowDown", ""}, {"a", "ArrowLeft", ""}, {"a", "x", ""}, {"gone", "ArrowDown", ""},
	} {
		if got := eval[string](t, `return logic.graph.nextBox(...a) ?? ""`, drawing, c[0], c[1]); got != c[2] {
			t.Errorf("%s from %s leads to %q, not %q", c[1], c[0], got, c[2])
		}
	}
}

// Words by number, numbers and dates are written as the language has them.
func TestForms(t *testing.T) {
	for body, want := range map[string]string{
		`logic.en.attachments.pages(1)`:    "1 page",
		`logic.en.attachments.pages(1200)`: "1,200 pages",
		`logic.en.general.duration(1)`:     "1 second",
		`logic.en.general.duration(125)`:   "2 minutes",
		`logic.en.notices.inLine(1, 0)`:    "You are next in line …",
		`logic.en.notices.inLine(2, 40)`: "There is one before you in line; about 40 " +
			"seconds to go …",
		`logic.en.notices.inLine(5, 0)`: "There are 4 before you in line …",
		`logic.en.desk.mayChoose(["model", "language"])`: "You may choose who writes the replies and " +
			"their language, below the question box.",
		`logic.en.contents.day(new Date(2026, 4, 4))`:                  "May 4, 2026",
		`logic.formsOf("de").number(1234.5, 1)`:                        "1.234,5",
		`logic.formsOf("en").smallMoney(0.05)`:                         "$0.05",
		`logic.formsOf("en").smallMoney(0.6)`:                          "$0.60",
		`logic.formsOf("en").smallMoney(0.0000051)`:                    "$0.0000051",
		`logic.formsOf("en").smallMoney(1234.5)`:                       "$1,234.50",
		`logic.formsOf("en").smallMoney(0)`:                            "$0.00",
		`logic.formsOf("en").money(0.0000051, (s) => "under " + s)`:    "under $0.01",
		`logic.formsOf("en").money(0.01, (s) => "under " + s)`:         "$0.01",
		`logic.formsOf("pl").counted(3, { few: "ule", other: "uli" })`: "3 ule",
		`logic.formsOf("pl").counted(5, { few: "ule", other: "uli" })`: "5 uli",
	} {
		if got := eval[string](t, "return "+body); got != want {
			t.Errorf("%s is %q, not %q", body, got, want)
		}
	}
}
