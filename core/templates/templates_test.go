package templates

import (
	"context"
	"errors"
	"runtime"
	"strings"
	"testing"

	"juvalogos/core/prompt"
)

func filled(t *testing.T, ctx context.Context, text string, data map[string]any) (string, error) {
	t.Helper()
	s, err := Parse("user", text, nil)
	if err != nil {
		return "", err
	}
	return Fill(ctx, s, data, prompt.Estimate{})
}

// What a template builds on its way is bounded, and how often it loops, so none
// takes the service with it, whatever comes out in the end.
func TestTemplatesAreBounded(t *testing.T) {
	deep := any("x")
	for range 5000 {
		deep = []any{deep}
	}
	data := map[string]any{"text": strings.Repeat("wax ", 1<<18), "deep": deep,
		"list": []any{"a", "b", strings.Repeat("c", 1<<20)}}
	double := func(how string) string {
		return `{{$s := .text}}{{range 40}}{{$s = ` + how + `}}{{end}}`
	}
	for name, text := range map[string]string{
		"doubled by printf":     double(`printf "%s%s" $s $s`),
		"doubled by print":      double(`print $s $s`),
		"doubled by println":    double(`println $s $s`),
		"quoted again":          double(`printf "%q" $s`),
		"in hexadecimal":        double(`printf "%x" $s`),
		"escaped again":         double(`html (print $s "<")`),
		"escaped for scripts":   double(`js (print $s "<")`),
		"escaped for addresses": double(`urlquery $s`),
		"as data again":         double(`json $s`),
		"a long separator":      `{{range 1000}}{{$x := join $.text $.list}}{{end}}`,
		"deep data":             `{{range 1000}}{{$x := json $.deep}}{{end}}`,
		"a wide number":         `{{printf "%1000000000d" 1}}`,
		"a wide number within":  `{{printf "%0900d%0999.999f%2000s" 1 1.0 "x"}}`,
		"a width from outside":  `{{printf "%*d" 1000000000 1}}`,
		"an indexed width":      `{{printf "%[2]*[1]d" 1 1000000000}}`,
		"an empty loop":         `{{range 1000000000000}}{{end}}`,
		"loops in loops":        `{{range 10000}}{{range 10000}}{{range 10000}}{{end}}{{end}}{{end}}`,
		"an empty loop in else": `{{with .nothing}}{{else}}{{range 1000000000000}}{{end}}{{end}}`,
		"calls in calls": `{{define "a"}}{{template "b"}}{{template "b"}}{{end}}{{define "b"}}{{template "c"}}` +
			`{{template "c"}}{{end}}{{define "c"}}{{range 1000000}}{{end}}{{end}}{{template "a"}}`,
		"itself": `{{define "a"}}{{template "a"}}{{template "a"}}{{end}}{{template "a"}}`,
		"much":   `{{range 1000000}}{{.}} words and words{{end}}`,
	} {
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		out, err := filled(t, t.Context(), text, data)
		runtime.ReadMemStats(&after)
		if err == nil {
			t.Errorf("%s: %d bytes came out", name, len(out))
		}
		if took := (after.TotalAlloc - before.TotalAlloc) >> 20; took > 700 {
			t.Errorf("%s: %d MB were taken", name, took)
		}
	}
}

// A loop that writes nothing ends with its context.
func TestTemplatesEndWithTheirContext(t *testing.T) {
	ctx, cancel := context.WithCancelCause(t.Context())
	gone := errors.New("the visitor is gone")
	cancel(gone)
	for _, text := range []string{`{{range 100000}}{{end}}`, `{{print "x"}}`} {
		if _, err := filled(t, ctx, text, nil); !errors.Is(err, gone) {
			t.Errorf("%s: %v", text, err)
		}
	}
}

// Within their bounds templates do what they did.
func TestTemplatesDoTheirWork(t *testing.T) {
	data := map[string]any{"question": "How?", "list": []any{"a", "b"}, "n": 3, "x": 0.5,
		"passages": []any{map[string]any{"title": "Wax", "n": 1}, map[string]any{"title": "Honey", "n": 2}}}
	for text, want := range map[string]string{
		`{{.question}}`: "How?",
		`Q: {{.question}}{{if .list}} yes{{end}}`:                                                 "Q: How? yes",
		`{{range $i, $p := .passages}}[{{plus $i 1}}] {{$p.title}} {{end}}`:                       "[1] Wax [2] Honey ",
		`{{join ", " .list}} {{upper "é"}} {{lower "Ä"}} {{trim " x "}}`:                          "a, b É ä x",
		`{{printf "%05.2f|%-6s|%q|%d%%" .x "ab" "c\"" .n}}`:                                       `00.50|ab    |"c\""|3%`,
		`{{print "a" 1 2 "b"}} {{len .list}} {{index .list 1}} {{html "<a>"}} {{urlquery "a b"}}`: "a1 2b 2 b &lt;a&gt; a+b",
		`{{define "one"}}<{{.}}>{{end}}{{range .list}}{{template "one" .}}{{else}}none{{end}}`:    "<a><b>",
		`{{json .list}}`:                                  "[\n  \"a\",\n  \"b\"\n]",
		`{{cut 1 "a b c d e f g h"}}`:                     prompt.Cut(prompt.Estimate{}, "a b c d e f g h", 1),
		`{{tokens "some words"}}`:                         "4",
		`{{range 3}}{{.}}{{end}}{{and .n .x}}{{eq .n 3}}`: "0120.5true",
	} {
		if got, err := filled(t, t.Context(), text, data); err != nil || got != want {
			t.Errorf("%s: %q, %v; want %q", text, got, err, want)
		}
	}
}

// What only writes its inputs is run as it is; all else is watched.
func TestPlainTemplates(t *testing.T) {
	for text, plain := range map[string]bool{
		`{{.brief}}`: true, `a {{.b}} {{if .c}}{{.d}}{{else}}{{.e}}{{end}} {{with .f}}{{.}}{{end}}`: true,
		`{{$x := .a}}{{$x}}`:  true,
		`{{range .a}}{{end}}`: false, `{{print .a}}`: false, `{{if eq .a 1}}{{end}}`: false,
		`{{with (len .a)}}{{end}}`:              false,
		`{{define "x"}}{{end}}{{template "x"}}`: false, `{{.a | printf "%s"}}`: false,
	} {
		s, err := Parse("user", text, nil)
		if err != nil || s.plain != plain {
			t.Errorf("%s: plain is %v, %v", text, s.plain, err)
		}
	}
}
