package main

import (
	"fmt"
	"os"
	"runtime"
	"slices"
	"strings"
	"time"
	"unicode/utf8"
)

// report gathers tables.
type report struct{ tables []table }

type table struct {
	title string
	rows  [][]string // the first are the headings
}

func (r *report) begin(title string, headings ...string) {
	fmt.Fprintln(os.Stderr, "measured:", title)
	r.tables = append(r.tables, table{title, [][]string{headings}})
}

func (r *report) row(cells ...string) {
	t := &r.tables[len(r.tables)-1]
	t.rows = append(t.rows, cells)
}

func (r *report) text() string {
	var b strings.Builder
	for _, t := range r.tables {
		fmt.Fprintf(&b, "\n## %s\n\n", t.title)
		widths := make([]int, len(t.rows[0]))
		for _, row := range t.rows {
			for i, cell := range row {
				widths[i] = max(widths[i], utf8.RuneCountInString(cell))
			}
		}
		for n, row := range t.rows {
			for i, cell := range row {
				fmt.Fprintf(&b, "| %-*s ", widths[i], cell)
			}
			b.WriteString("|\n")
			if n == 0 {
				for _, w := range widths {
					fmt.Fprintf(&b, "|%s", strings.Repeat("-", w+2))
				}
				b.WriteString("|\n")
			}
		}
	}
	return b.String()
}

func (r *report) document() string {
	return fmt.Sprintf("# Benchmarks\n\nMade by `make bench` on %s: %d cores, %s, %s. The model is simulated; it, "+
		"the\nproxy, the service with its database and the readers share the machine. Ratios\n"+
		"within one table count, absolute figures only for this machine.\n%s",
		time.Now().Format(time.DateOnly), runtime.NumCPU(), processor(), runtime.Version(), r.text())
}

func processor() string {
	text, _ := os.ReadFile("/proc/cpuinfo")
	for _, line := range strings.Split(string(text), "\n") {
		if name, ok := strings.CutPrefix(line, "model name"); ok {
			return strings.Trim(name, "\t: ")
		}
	}
	return runtime.GOARCH
}

// quantile is the value below which a share q of v lies (nearest rank).
func quantile(v []float64, q float64) float64 {
	sorted := slices.Sorted(slices.Values(v))
	return sorted[min(len(sorted)-1, int(q*float64(len(sorted))))]
}
