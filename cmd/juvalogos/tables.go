package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/term"

	"juvalogos/core/evidence"
	"juvalogos/core/quiz"
	"juvalogos/core/recipe"
	"juvalogos/core/steps"
	"juvalogos/core/tables"
	"juvalogos/internal/engine"
	"juvalogos/internal/terminal"
)

// localTables are files on this machine that a recipe asks; a steps.Tables.
type localTables struct {
	engine  *engine.Engine
	session *engine.Session
	folder  string
	all     []*tables.Table
}

// openTables has files read by the engine. Close the tables.
func openTables(ctx context.Context, files []string) (*localTables, error) {
	t := &localTables{engine: engine.New()}
	var err error
	if t.folder, err = os.MkdirTemp("", "juvalogos-tables-"); err != nil {
		return nil, err
	}
	var sources []engine.Source
	for i, name := range files {
		if _, err := os.Stat(name); err != nil {
			t.Close()
			return nil, err
		}
		folder := filepath.Join(t.folder, fmt.Sprint(i))
		var file *os.File
		found, err := t.engine.Take(ctx, engine.File{Name: filepath.Base(name), Open: func() io.Reader {
			if file != nil {
				file.Close()
			}
			if file, err = os.Open(name); err != nil {
				return failing{err}
			}
			return file
		}}, folder)
		if file != nil {
			file.Close()
		}
		if err != nil {
			t.Close()
			return nil, fmt.Errorf("%s: %w", name, err)
		}
		for j := range found {
			for _, other := range t.all {
				if other.Name == found[j].Name {
					found[j].Own, found[j].Name = found[j].Name, fmt.Sprintf("%s_%d", found[j].Name, i+1)
				}
			}
			t.all = append(t.all, &found[j])
		}
		sources = append(sources, engine.Source{Folder: folder, Tables: found})
	}
	t.session = t.engine.Session(sources)
	return t, nil
}

// failing is a reader that says why there is none.
type failing struct{ error }

func (f failing) Read([]byte) (int, error) { return 0, f.error }

// Close ends the engine and deletes what it made.
func (t *localTables) Close() {
	if t.session != nil {
		t.session.Close()
	}
	t.engine.Close()
	_ = os.RemoveAll(t.folder)
}

func (t *localTables) All(context.Context) ([]*tables.Table, error)     { return t.all, nil }
func (t *localTables) Earlier(context.Context) ([]steps.Queried, error) { return nil, nil }

func (t *localTables) Ask(ctx context.Context, query string, most int) (tables.Result, error) {
	r, err := t.session.Ask(ctx, query, 0, most)
	if err != nil {
		return tables.Result{}, err
	}
	return *r, nil
}

// mostShown is how many rows of a table are printed.
const mostShown = 20

// partText is a part of a reply for the terminal; "" for one that is shown otherwise.
func partText(p recipe.MadePart) string {
	switch v := p.Value.(type) {
	case evidence.Outline:
		return outlineText(v)
	case quiz.Quiz:
		return quizText(v)
	case tables.Result:
		return v.InColumns(terminalWidth(), mostShown) + "\nHow this was computed:\n" + v.How()
	case tables.Chart:
		for _, f := range v.Forms {
			if drawn := f.Characters(terminalWidth()); drawn != "" {
				return v.Title + "\n\n" + drawn
			}
		}
		return ""
	case tables.Figures:
		if v.Loose == 0 {
			return ""
		}
		return fmt.Sprintf("%d of the numbers above neither stand in the table nor follow from it; do not rely on "+
			"them.\n",
			v.Loose)
	}
	return ""
}

// quizText is a quiz with its right options marked.
func quizText(q quiz.Quiz) string {
	var b strings.Builder
	for i, one := range q.Questions {
		fmt.Fprintf(&b, "\n%d. %s\n", i+1, one.Text)
		for j, o := range one.Options {
			mark := " "
			if o.Right {
				mark = "*"
			}
			fmt.Fprintf(&b, "   %s %c) %s\n", mark, 'a'+j, o.Text)
		}
		if one.Quote != "" {
			place := ""
			if one.Source != nil {
				place = strings.TrimSuffix(one.Source.Passage.Title+", "+one.Source.Place, ", ") + ": "
			}
			fmt.Fprintf(&b, "     %s“%s”\n", place, one.Quote)
		}
	}
	for _, d := range q.Dropped {
		fmt.Fprintf(&b, "\nLeft out: %s (%s)\n", d.Question, d.Why)
	}
	return b.String()
}

// outlineText is a text section by section.
func outlineText(o evidence.Outline) string {
	var b strings.Builder
	b.WriteString("Section by section:\n")
	for _, s := range o.Sections {
		heading := cmp.Or(strings.Join(s.Passage.Path, ", "), s.Passage.Title)
		if s.Passage.Place != "" {
			heading += ", " + s.Passage.Place
		}
		fmt.Fprintf(&b, "\n[%d] %s\n", s.Passage.Number, heading)
		if s.Text != "" {
			b.WriteString(strings.TrimSpace(s.Text) + "\n")
		}
	}
	return b.String()
}

// partsText are the parts of a reply that are tables, charts and numbers.
func partsText(parts []recipe.MadePart) string {
	var b strings.Builder
	for _, p := range parts {
		if text := partText(p); text != "" {
			b.WriteString("\n" + text)
		}
	}
	return terminal.Harmless(b.String())
}

// terminalWidth is how many characters a line has.
func terminalWidth() int {
	if w, _, err := term.GetSize(int(os.Stdout.Fd())); err == nil && w > 20 {
		return w
	}
	return 100
}

var errTableNeeded = errors.New("the recipe asks tables; name a file of one with -table")
