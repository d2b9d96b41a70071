// Command bench measures Juvalogos beside the model server itself and beside a
// plain reverse proxy, all in one run on one machine, and prints ratios.
package main

import (
	"flag"
	"fmt"
	"os"
	"slices"
)

func main() {
	if len(os.Args) == 4 && os.Args[1] == "proxy" {
		fmt.Fprintln(os.Stderr, runProxy(os.Args[2], os.Args[3]))
		os.Exit(1)
	}
	if len(os.Args) == 2 && os.Args[1] == answering {
		answerShort()
		return
	}
	if len(os.Args) == 3 && os.Args[1] == depicting {
		depictByHand(os.Args[2])
		return
	}
	write := flag.String("write", "", "write the tables to this Markdown file too")
	quick := flag.Bool("quick", false, "a short run, to see that it works; its figures mean little")
	service := flag.String("service", "bin/juvalogos", "the service that is measured; a build of an earlier state "+
		"can stand in")
	flag.Parse()
	if err := run(*service, *write, *quick, flag.Args()); err != nil {
		fmt.Fprintln(os.Stderr, "bench:", err)
		os.Exit(1)
	}
}

// sizes are how much is measured.
type sizes struct {
	questions          int // one at a time
	repetitions        int
	streams, tokens    int // as fast as possible
	many, manyTokens   int // at once
	gapMS, rampSeconds float64
}

var (
	full = sizes{questions: 200, repetitions: 5, streams: 64, tokens: 500, many: 2000, manyTokens: 40, gapMS: 200,
		rampSeconds: 4}
	short = sizes{questions: 20, repetitions: 1, streams: 16, tokens: 100, many: 100, manyTokens: 10, gapMS: 100,
		rampSeconds: 1}
)

// parts are what is measured, in order; arguments name those to measure alone.
var parts = []struct {
	name    string
	measure func(*setup, sizes, *report) error
}{
	{"reading", readingFiles},
	{"engine", engine}, {"program", program}, {"idle", idle}, {"one", oneAtATime}, {"fast", asFastAsPossible},
	{"many", manyAtOnce}, {"brought", brought}, {"pictured", pictured}, {"heard", heard}, {"remembering", remembering},
	{"keeping", keeping},
}

func run(service, write string, quick bool, only []string) error {
	z := full
	if quick {
		z = short
	}
	s, err := startSetup(service)
	if err != nil {
		return err
	}
	defer s.stop()
	tables := &report{}
	for _, part := range parts {
		if len(only) > 0 && !slices.Contains(only, part.name) {
			continue
		}
		if err := part.measure(s, z, tables); err != nil {
			return fmt.Errorf("%s: %w", part.name, err)
		}
	}
	fmt.Print(tables.text())
	if write == "" {
		return nil
	}
	return os.WriteFile(write, []byte(tables.document()), 0o644)
}
