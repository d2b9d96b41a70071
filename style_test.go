package juvalogos_test

import (
	"bufio"
	"bytes"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"
)

const (
	longestLine     = 120 // characters, a tab counting four
	longestFunction = 80  // lines
)

// written is the files of the tree that people write, by their endings.
func written(t *testing.T, endings ...string) (files []string) {
	t.Helper()
	err := filepath.WalkDir(".", func(f string, d fs.DirEntry, err error) error {
		switch name := d.Name(); {
		case err != nil:
			return err
		case d.IsDir() && (name == "node_modules" || name == "dist" || f != "." && name[0] == '.'):
			return filepath.SkipDir
		case strings.Contains(f, ".gen.") || name == "schema.d.ts":
			return nil
		}
		if !d.IsDir() && slices.Contains(endings, filepath.Ext(f)) {
			files = append(files, f)
		}
		return nil
	})
	if err != nil {
		t.Fatal(err)
	}
	if len(files) < 20 {
		t.Fatalf("%d files found", len(files))
	}
	return files
}

// Lines end at 120 characters. What cannot be broken without changing what it
// says may be longer: the tag of a field, a literal in backquotes, a string of
// a template.
func TestLinesEnd(t *testing.T) {
	for _, f := range written(t, ".go", ".ts", ".js", ".svelte") {
		body, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		literal := linesOfLiterals(t, f, body)
		lines := bufio.NewScanner(bytes.NewReader(body))
		lines.Buffer(nil, 1<<20)
		for n := 1; lines.Scan(); n++ {
			line := lines.Text()
			width := utf8.RuneCountInString(line) + 3*strings.Count(line, "\t")
			if width > longestLine && !literal[n] && !strings.Contains(line, "`") {
				t.Errorf("%s:%d has %d characters", f, n, width)
			}
		}
	}
}

// linesOfLiterals is the numbers of the lines on which a literal in
// backquotes stands, of a Go file.
func linesOfLiterals(t *testing.T, name string, body []byte) map[int]bool {
	lines := map[int]bool{}
	if filepath.Ext(name) != ".go" {
		return lines
	}
	set := token.NewFileSet()
	file, err := parser.ParseFile(set, name, body, 0)
	if err != nil {
		t.Fatal(err)
	}
	ast.Inspect(file, func(n ast.Node) bool {
		if l, ok := n.(*ast.BasicLit); ok && strings.HasPrefix(l.Value, "`") {
			for i := set.Position(l.Pos()).Line; i <= set.Position(l.End()).Line; i++ {
				lines[i] = true
			}
		}
		return true
	})
	return lines
}

// A function is a list of steps; one that does not fit on a screen has steps
// of its own.
func TestFunctionsAreShort(t *testing.T) {
	for _, f := range written(t, ".go") {
		set := token.NewFileSet()
		file, err := parser.ParseFile(set, f, nil, 0)
		if err != nil {
			t.Fatal(err)
		}
		for _, d := range file.Decls {
			if fn, ok := d.(*ast.FuncDecl); ok {
				lines := set.Position(fn.End()).Line - set.Position(fn.Pos()).Line + 1
				if lines > longestFunction && !strings.HasSuffix(f, "_test.go") {
					t.Errorf("%s: %s has %d lines", f, fn.Name.Name, lines)
				}
			}
		}
	}
}

// Every package says what it is for before its first line of code.
func TestPackagesAreDocumented(t *testing.T) {
	least := map[bool]int{true: 400, false: 60} // characters, of a core package and of others
	docs := map[string]int{}
	for _, f := range written(t, ".go") {
		if strings.HasSuffix(f, "_test.go") {
			continue
		}
		file, err := parser.ParseFile(token.NewFileSet(), f, nil, parser.ParseComments|parser.PackageClauseOnly)
		if err != nil {
			t.Fatal(err)
		}
		docs[filepath.Dir(f)] = max(docs[filepath.Dir(f)], len(file.Doc.Text()))
	}
	for dir, n := range docs {
		core := strings.HasPrefix(dir, "core/") || dir == "internal/client"
		if n < least[core] {
			t.Errorf("%s says in %d characters what it is for; say it in %d", dir, n, least[core])
		}
	}
}

// What a newcomer would paste stands beside each package of core, and runs.
func TestPackagesHaveExamples(t *testing.T) {
	has := map[string]bool{"internal/client": false}
	for _, f := range written(t, ".go") {
		dir := filepath.Dir(f)
		if _, wanted := has[dir]; !wanted && strings.HasPrefix(dir, "core/") {
			has[dir] = false
		}
		if _, wanted := has[dir]; !wanted || !strings.HasSuffix(f, "_test.go") {
			continue
		}
		body, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		example := bytes.Contains(body, []byte("\nfunc Example")) && bytes.Contains(body, []byte("// Output:"))
		has[dir] = has[dir] || example
	}
	for dir, does := range has {
		if !does {
			t.Errorf("%s has no example", dir)
		}
	}
}

// An exported call that can fail says how, or the type that it belongs to, or
// its package, says it for all.
func TestFailuresAreDocumented(t *testing.T) {
	says := regexp.MustCompile(`(?i)\berrors?\b|\bfails?\b|\bErr[A-Z]|Problem`)
	packages := map[string]bool{}
	types := map[string]bool{}
	type call struct{ dir, file, receiver, name string }
	var silent []call
	for _, f := range written(t, ".go") {
		dir := filepath.Dir(f)
		if strings.HasSuffix(f, "_test.go") || !strings.HasPrefix(dir, "internal") && !strings.HasPrefix(dir, "core") ||
			strings.HasSuffix(dir, "storetest") || dir == "internal/testbed" || dir == "internal/browser" {
			continue
		}
		file, err := parser.ParseFile(token.NewFileSet(), f, nil, parser.ParseComments)
		if err != nil {
			t.Fatal(err)
		}
		packages[dir] = packages[dir] || says.MatchString(file.Doc.Text())
		for _, d := range file.Decls {
			switch d := d.(type) {
			case *ast.GenDecl:
				for _, s := range d.Specs {
					if s, is := s.(*ast.TypeSpec); is && says.MatchString(d.Doc.Text()+s.Doc.Text()) {
						types[dir+"."+s.Name.Name] = true
					}
				}
			case *ast.FuncDecl:
				receiver, exported := receiverOf(d)
				if exported && canFail(d) && !says.MatchString(d.Doc.Text()) {
					silent = append(silent, call{dir, f, receiver, d.Name.Name})
				}
			}
		}
	}
	for _, c := range silent {
		if !packages[c.dir] && !types[c.dir+"."+c.receiver] {
			t.Errorf("%s: %s.%s does not say how it fails", c.file, c.receiver, c.name)
		}
	}
}

// receiverOf is the type that a function belongs to, "" if to none; exported
// says that both can be named from outside.
func receiverOf(d *ast.FuncDecl) (name string, exported bool) {
	if d.Recv == nil {
		return "", d.Name.IsExported()
	}
	e := d.Recv.List[0].Type
	if star, is := e.(*ast.StarExpr); is {
		e = star.X
	}
	id, is := e.(*ast.Ident)
	return id.Name, is && id.IsExported() && d.Name.IsExported()
}

func canFail(d *ast.FuncDecl) bool {
	if d.Type.Results == nil {
		return false
	}
	for _, r := range d.Type.Results.List {
		if id, is := r.Type.(*ast.Ident); is && id.Name == "error" {
			return !slices.Contains([]string{"MarshalJSON", "MarshalText", "UnmarshalJSON", "UnmarshalYAML", "Read",
				"Write", "Close",
				"Scan", "Value", "Unwrap"}, d.Name.Name)
		}
	}
	return false
}
