package main

import (
	"bytes"
	"context"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/net/html"

	"juvalogos/core/reading"
	"juvalogos/internal/pdfium"
)

// readingFiles measures how quickly files are read: PDFs beside pdftotext, pages
// of the web beside a plain parser that takes all their text. All take turns.
func readingFiles(s *setup, z sizes, r *report) error {
	folder := filepath.Join(os.TempDir(), "juvalogos-reading")
	if err := runProgram("go", "run", "./bench/reading", "-fetch", "-folder", folder); err != nil {
		return err
	}
	pdfs, err := filesOf(folder, ".pdf", "/share/doc/")
	if err != nil {
		return err
	}
	engine := pdfium.New(filepath.Join(folder, "engine"))
	defer engine.Close()
	if err := engine.Warm(); err != nil {
		return err
	}
	pages := 0
	ours := func(f string) error {
		body, err := os.ReadFile(f)
		if err != nil {
			return err
		}
		d, err := reading.Read(context.Background(), f, body, engine, reading.DefaultLimits)
		pages += d.Pages
		return err
	}
	theirs := func(f string) error { return exec.Command("pdftotext", "-layout", f, os.DevNull).Run() }
	rounds := max(3, z.repetitions)
	r.begin("Reading files beside a plain program, in turns; medians of whole rounds", "what", "ours", "the other",
		"ours : other", "aim, at most")
	mine, other, err := inTurns(rounds, func() error { return each(pdfs, 1, ours) },
		func() error { return each(pdfs, 1, theirs) })
	if err != nil {
		return err
	}
	r.row(fmt.Sprintf("%d PDFs with %d pages, one after the other; pdftotext -layout", len(pdfs), pages/(rounds+1)),
		seconds(mine), seconds(other), fmt.Sprintf("%.2f", mine/other), "2")
	mine, other, err = inTurns(rounds, func() error { return each(pdfs, 2, ours) },
		func() error { return each(pdfs, 2, theirs) })
	if err != nil {
		return err
	}
	r.row("the same, two at once", seconds(mine), seconds(other), fmt.Sprintf("%.2f", mine/other), "2")
	web, err := filesOf("/usr/share/doc/", ".html", "/python3")
	if err != nil {
		return err
	}
	web = web[:min(len(web), 300)]
	mine, other, err = inTurns(rounds, func() error {
		return each(web, 1, func(f string) error {
			body, err := os.ReadFile(f)
			if err == nil {
				_, err = reading.Read(context.Background(), f, body, nil, reading.DefaultLimits)
			}
			return err
		})
	}, func() error { return each(web, 1, plainText) })
	if err != nil {
		return err
	}
	r.row(fmt.Sprintf("%d pages of the web; parsed, and all text taken", len(web)), seconds(mine), seconds(other),
		fmt.Sprintf("%.2f", mine/other), "-")
	return nil
}

func seconds(s float64) string { return fmt.Sprintf("%.2f s", s) }

// plainText parses a page and takes all of its text.
func plainText(f string) error {
	body, err := os.ReadFile(f)
	if err != nil {
		return err
	}
	root, err := html.Parse(bytes.NewReader(body))
	if err != nil {
		return err
	}
	var text strings.Builder
	for n := range root.Descendants() {
		if n.Type == html.TextNode {
			text.WriteString(n.Data)
		}
	}
	return nil
}

func runProgram(name string, arguments ...string) error {
	if said, err := exec.Command(name, arguments...).CombinedOutput(); err != nil {
		return fmt.Errorf("%s: %w: %.300s", name, err, said)
	}
	return nil
}

// filesOf are the files below a folder with some ending, whose path has a part in
// it if one is given.
func filesOf(folder, ending string, with ...string) (all []string, err error) {
	err = filepath.WalkDir(folder, func(path string, d fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if d.Type().IsRegular() && filepath.Ext(path) == ending &&
			!slices.ContainsFunc(with, func(p string) bool { return !strings.Contains(path, p) }) {
			if info, err := d.Info(); err == nil && info.Size() > 2000 && info.Size() < 1_500_000 {
				all = append(all, path)
			}
		}
		return nil
	})
	return all, err
}

// each does something with all files, so many at once.
func each(files []string, atOnce int, do func(string) error) (failed error) {
	room := make(chan struct{}, atOnce)
	var mu sync.Mutex
	var all sync.WaitGroup
	for _, f := range files {
		room <- struct{}{}
		all.Go(func() {
			defer func() { <-room }()
			if err := do(f); err != nil {
				mu.Lock()
				failed = fmt.Errorf("%s: %w", f, err)
				mu.Unlock()
			}
		})
	}
	all.Wait()
	return failed
}

// inTurns measures two things in turn, after one round that does not count, and
// returns the median seconds of each.
func inTurns(rounds int, one, two func() error) (first, second float64, err error) {
	var a, b []float64
	for n := range rounds + 1 {
		for i, do := range []func() error{one, two} {
			began := time.Now()
			if err := do(); err != nil {
				return 0, 0, err
			}
			took := time.Since(began).Seconds()
			if n == 0 {
				continue
			}
			if i == 0 {
				a = append(a, took)
			} else {
				b = append(b, took)
			}
		}
	}
	slices.Sort(a)
	slices.Sort(b)
	return a[len(a)/2], b[len(b)/2], nil
}
