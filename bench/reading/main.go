// Command reading holds what is read of files that others made against what
// other programs find in them.
//
//	go run ./bench/reading -fetch            brings the files
//	go run ./bench/reading -testify          has the witnesses count their words
//	go run ./bench/reading [-show PART]      reads them and says what is missing
//
// The files are Debian's and npm's packages' and are not kept here; what the
// witnesses counted is, in testimonies.jsonl, for the test.
package main

import (
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"

	"juvalogos/core/reading"
	"juvalogos/internal/pdfium"
)

func main() {
	folder := flag.String("folder", filepath.Join(os.TempDir(), "juvalogos-reading"), "where the files lie")
	fetching := flag.Bool("fetch", false, "only bring the files")
	testifying := flag.Bool("testify", false, "have the witnesses count; needs pandoc, pdftotext and LibreOffice")
	show := flag.String("show", "", "show what is missing of the files whose names have this in them")
	flag.Parse()
	if err := run(*folder, *fetching, *testifying, *show); err != nil {
		fmt.Fprintln(os.Stderr, "reading:", err)
		os.Exit(1)
	}
}

func run(folder string, fetching, testifying bool, show string) error {
	files, err := fetch(folder)
	if err != nil || fetching {
		fmt.Println(len(files), "files")
		return err
	}
	if testifying {
		return countAll(files)
	}
	results, err := readAll(folder, files)
	if err != nil {
		return err
	}
	for _, r := range results {
		if show == "" && r.share() >= 0.995 || !strings.Contains(r.File, show) {
			continue
		}
		fmt.Printf("%5.1f %% of %5d words by %s: %s\n", 100*r.share(), r.Words, r.Witness, r.File)
		if show != "" {
			r.explain(files)
		}
	}
	fmt.Print(table(results))
	return nil
}

// countAll writes what the witnesses say of every file.
func countAll(files []file) error {
	var all []testimony
	for _, f := range files {
		for _, w := range witnesses[f.Format] {
			t, err := testify(f, w)
			if err != nil {
				fmt.Fprintf(os.Stderr, "%s could not read %s: %v\n", w, f.name(), err)
				continue
			}
			if t.Words > 0 {
				all = append(all, t)
			}
		}
	}
	out, err := os.Create("bench/reading/testimonies.jsonl")
	if err != nil {
		return err
	}
	e := json.NewEncoder(out)
	for _, t := range all {
		if err := e.Encode(t); err != nil {
			return err
		}
	}
	fmt.Println(len(all), "testimonies of", len(files), "files")
	return out.Close()
}

// result is how a file was read beside what a witness says of it.
type result struct {
	testimony
	document reading.Document
	problem  error
	found    int // of the sampled words in the blocks or told as left out
	sampled  int
}

func (r result) share() float64 { return float64(r.found) / float64(max(1, r.sampled)) }

// readAll reads the files of which there are testimonies, several at once.
func readAll(folder string, files []file) ([]result, error) {
	testimonies, err := heardOf("bench/reading/testimonies.jsonl")
	if err != nil {
		return nil, err
	}
	engine := pdfium.New(filepath.Join(folder, "engine"))
	defer engine.Close()
	var all sync.WaitGroup
	room := make(chan struct{}, 2)
	perFile := make([][]result, len(files))
	for i, f := range files {
		of := testimonies[f.name()]
		if hash, err := f.hash(); err != nil || len(of) == 0 || of[0].Hash != hash[:32] {
			continue // another edition of the package
		}
		room <- struct{}{}
		all.Go(func() {
			defer func() { <-room }()
			perFile[i] = held(f, of, engine)
		})
	}
	all.Wait()
	return slices.Concat(perFile...), nil
}

// held reads one file and holds it against its testimonies.
func held(f file, of []testimony, engine reading.Engine) (results []result) {
	body, err := os.ReadFile(f.at)
	var d reading.Document
	if err == nil {
		d, err = reading.Read(context.Background(), filepath.Base(f.at), body, engine, reading.DefaultLimits)
	}
	counts := countWords(textOf(d))
	for _, t := range of {
		r := result{testimony: t, document: d, problem: err}
		var wrong error
		if r.found, r.sampled, wrong = t.heard(counts); wrong != nil && err == nil {
			r.problem = wrong
		}
		results = append(results, r)
	}
	return results
}

// textOf is what was read, and what was left out and told.
func textOf(d reading.Document) string {
	parts := []string{d.Title}
	for _, b := range d.Blocks {
		parts = append(parts, b.Text)
	}
	for _, o := range d.Left {
		parts = append(parts, o.All...)
	}
	return strings.Join(parts, "\n")
}

// heardOf reads testimonies by their file.
func heardOf(path string) (map[string][]testimony, error) {
	text, err := os.ReadFile(path)
	if err != nil {
		return nil, err
	}
	all := map[string][]testimony{}
	for line := range strings.Lines(string(text)) {
		var t testimony
		if err := json.Unmarshal([]byte(line), &t); err != nil {
			return nil, err
		}
		all[t.File] = append(all[t.File], t)
	}
	return all, nil
}

// explain shows the words of a witness that are missing.
func (r result) explain(files []file) {
	i := slices.IndexFunc(files, func(f file) bool { return f.name() == r.File })
	text, err := textBy(files[i], r.Witness)
	if err != nil || r.problem != nil {
		fmt.Println("   ", r.problem, err)
		return
	}
	there := map[string]int{}
	reading.EachWord(textOf(r.document), func(w string) { there[w]++ })
	var missing []string
	reading.EachWord(text, func(w string) {
		if there[w]--; there[w] < 0 && strings.Trim(w, "0123456789") != "" {
			missing = append(missing, w)
		}
	})
	fmt.Printf("    %d missing: %s\n", len(missing), strings.Join(missing[:min(60, len(missing))], " "))
	for _, o := range r.document.Left {
		fmt.Printf("    left out: %s, %d words, %d: %s\n", o.Why, o.Words, o.Count, o.Sample)
	}
}

// table is the shares by format and witness, and by format and maker, in
// Markdown.
func table(results []result) string {
	all := tableBy(results, "witness", func(r result) string { return r.Witness })
	maker := func(r result) string {
		name, _, _ := strings.Cut(r.File, "/")
		return name + " (" + r.Witness + ")"
	}
	return all + "\n<details><summary>By maker</summary>\n\n" + tableBy(results, "package (witness)", maker) +
		"\n</details>\n"
}

type key struct{ format, of string }

type sums struct{ files, words, found, sampled, out, missed, low int }

func tableBy(results []result, title string, of func(result) string) string {
	by := map[key]*sums{}
	var keys []key
	for _, r := range results {
		k := key{r.Format, of(r)}
		if by[k] == nil {
			by[k] = &sums{}
			keys = append(keys, k)
		}
		s := by[k]
		s.files++
		s.words += r.Words
		s.found += r.found
		s.sampled += r.sampled
		for _, o := range r.document.Left {
			s.out += o.Words
			if o.Missed() {
				s.missed += o.Words
			}
		}
		if r.share() < 0.995 {
			s.low++
		}
	}
	var b strings.Builder
	b.WriteString("| format | " + title + " | files | its words | of them read or told | told as left out | of that " +
		"missed | " +
		"files below 99.5 % |\n|---|---|---|---|---|---|---|---|\n")
	for _, k := range keys {
		s := by[k]
		fmt.Fprintf(&b, "| %s | %s | %d | %d | %.2f %% | %d | %d | %d |\n", k.format, k.of, s.files, s.words,
			100*float64(s.found)/float64(max(1, s.sampled)), s.out, s.missed, s.low)
	}
	return b.String()
}
