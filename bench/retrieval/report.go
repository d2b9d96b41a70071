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
	beginMark   = "<!-- measured -->\n"
	naturalMark = "<!-- asked by documents -->\n"
	endMark     = "<!-- end -->\n"
)

// into puts the report behind a mark of a file, in the place of what stands there up
// to the next end.
func (r *report) into(file, mark string) error {
	text, err := os.ReadFile(file)
	if err != nil {
		return err
	}
	before, rest, ok := strings.Cut(string(text), mark)
	_, after, also := strings.Cut(rest, endMark)
	if !ok || !also {
		return fmt.Errorf("%s has not the lines %q and %q", file, strings.TrimSpace(mark),
			strings.TrimSpace(endMark))
	}
	return os.WriteFile(file, []byte(before+mark+"\n"+r.String()+endMark+after), 0o644)
}
