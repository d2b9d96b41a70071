package yamlfile

import (
	"bytes"
	"fmt"
	"strconv"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
)

// Position is a place in a file; both count from 1.
type Position struct{ Line, Column int }

// Locate finds the value at a path like model or choices.models.0.title. If it
// is not there, it is the place of what is nearest above it.
func Locate(src []byte, path string) Position { return Places(src)(path) }

// Places is Locate for many paths of one file, which is read only once.
func Places(src []byte) func(path string) Position {
	d := &decoder{}
	root := d.parse(src)
	return func(path string) Position { return locate(root, path) }
}

func locate(at ast.Node, path string) Position {
	found := Position{1, 1}
	for _, key := range strings.Split(path, ".") {
		next := child(at, key)
		if next == nil {
			break
		}
		at = next
		if tk := at.GetToken(); tk != nil && tk.Position != nil {
			found = Position{tk.Position.Line, tk.Position.Column}
		}
		if m, ok := at.(*ast.MappingValueNode); ok {
			found = Position{m.Key.GetToken().Position.Line, m.Key.GetToken().Position.Column}
		}
	}
	return found
}

func child(node ast.Node, key string) ast.Node {
	switch n := node.(type) {
	case *ast.MappingNode:
		for _, pair := range n.Values {
			if pair.Key.GetToken().Value == key {
				return pair.Value
			}
		}
	case *ast.MappingValueNode:
		if n.Key.GetToken().Value == key {
			return n.Value
		}
	case *ast.SequenceNode:
		if i, err := strconv.Atoi(key); err == nil && i >= 0 && i < len(n.Values) {
			return n.Values[i]
		}
	}
	return nil
}

// Set gives a top-level key that holds a text on its own line another text;
// everything else in the file stays as it is. A key that is not there is added
// at the end. A file that is not YAML yet is changed all the same. It fails on
// a value that YAML cannot hold.
func Set(src []byte, key, value string) ([]byte, error) {
	before := &decoder{}
	before.parse(src)
	text, err := yaml.Marshal(value)
	if err != nil {
		return nil, err
	}
	line := []byte(fmt.Sprintf("%s: %s", key, bytes.TrimSpace(text)))
	lines := bytes.Split(src, []byte("\n"))
	for i, old := range lines {
		if !bytes.HasPrefix(old, []byte(key+":")) {
			continue
		}
		if at := bytes.Index(old, []byte(" #")); at >= 0 {
			line = append(append(line, ' '), bytes.TrimLeft(old[at:], " ")...)
		}
		lines[i] = line
		changed := bytes.Join(lines, []byte("\n"))
		if len(before.problems) == 0 && !says(changed, key, value) {
			return nil, fmt.Errorf("%s: cannot be changed in this file, because its value goes over several lines", key)
		}
		return changed, nil
	}
	return append(append(bytes.TrimRight(src, "\n"), '\n'), append(line, '\n')...), nil
}

// says reports whether a file's top-level key has a value.
func says(src []byte, key, value string) bool {
	d := &decoder{}
	body := d.parse(src)
	if len(d.problems) > 0 {
		return false
	}
	var got string
	node := child(body, key)
	return node != nil && yaml.NodeToValue(node, &got) == nil && got == value
}
