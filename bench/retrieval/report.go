package main

import (
	"fmt"
	"os"
	"strings"
)

// report gathers Markdown.
type report struct{ strings.Builder }

func (r *report) line(format string, a ...any) { fmt.Fprintf(r, format+"\n\n", a...) }

func (r *report) begin(name string) {
	fmt.Fprintf(r, "## %s\n\n| way | nDCG@10 | recall@5 | MRR | questions a second |\n|---|---|---|---|---|\n",
		strings.ToUpper(name[:1])+name[1:])
}

func (r *report) row(name string, f figures, rate float64) {
	fmt.Fprintf(r, "| %s | %.3f | %.3f | %.3f | %.0f |\n", name, f.ndcg, f.recall, f.mrr, rate)
}

const (
	beginMark = "<!-- measured -->\n"
	endMark   = "<!-- end -->\n"
)

// into puts the report between the marks of a file.
func (r *report) into(file string) error {
	text, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	before, rest, ok := strings.Cut(string(text), beginMark)
	_, after, also := strings.Cut(rest, endMark)
	if !ok || !also {
		return fmt.Errorf("%s has not the lines %q and %q", file, strings.TrimSpace(beginMark),
			strings.TrimSpace(endMark))
	}
	return os.WriteFile(file, []byte(before+beginMark+"\n"+r.String()+endMark+after), 0o644)
}
