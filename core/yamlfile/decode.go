package yamlfile

import (
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
)

// LargestFile is the size in bytes above which a file is refused unread.
const LargestFile = 256 << 10

// longestShown is how many letters of a word that is not known are shown.
const longestShown = 80

// mostProblems is how many are told of one file; of the rest, how many there are.
const mostProblems = 100

// Decode reads the one YAML document in src into the struct that into points
// to. name is the file's name as it appears in problems. The error is of type
// Problems and holds everything that is wrong; into is then incomplete.
func Decode(name string, src []byte, into any) error {
	d := &decoder{file: name}
	if len(src) > LargestFile {
		d.say(0, 0, "the file has %d bytes; the most that is read is %d", len(src), LargestFile)
		return d.problems
	}
	if !utf8.Valid(src) {
		d.say(0, 0, "the file is not UTF-8 text; save it as UTF-8")
		return d.problems
	}
	body := d.parse(src)
	if len(d.problems) == 0 {
		d.value(body, reflect.ValueOf(into).Elem(), field{key: "the file"})
	}
	if len(d.problems) > 0 {
		slices.SortStableFunc(d.problems, func(a, b Problem) int { return a.Line - b.Line })
		if d.untold > 0 {
			last := d.problems[len(d.problems)-1]
			last.Message = fmt.Sprintf("there are %d more; mend these first", d.untold)
			d.problems = append(d.problems, last)
		}
		return d.problems
	}
	return nil
}

type decoder struct {
	file     string
	problems Problems
	untold   int  // beyond mostProblems
	partial  bool // keys that are needed may be missing
}

func (d *decoder) say(line, column int, format string, args ...any) {
	if len(d.problems) >= mostProblems {
		d.untold++
		return
	}
	d.problems = append(d.problems, Problem{File: d.file, Line: line, Column: column,
		Message: fmt.Sprintf(format, args...)})
}

func (d *decoder) sayAt(n ast.Node, format string, args ...any) {
	line, column := 1, 1
	if n != nil {
		if tk := n.GetToken(); tk != nil && tk.Position != nil {
			line, column = tk.Position.Line, tk.Position.Column
		}
	}
	d.say(line, column, format, args...)
}

// parse turns the text into a tree. The parser of the YAML library is not
// trusted with foreign bytes: a panic becomes a problem.
func (d *decoder) parse(src []byte) (body ast.Node) {
	defer func() {
		if r := recover(); r != nil {
			d.say(1, 1, "this is not YAML that can be read")
		}
	}()
	tree, err := parser.ParseBytes(src, 0)
	if err != nil {
		var syntax *yaml.SyntaxError
		if errors.As(err, &syntax) && syntax.Token != nil {
			d.say(syntax.Token.Position.Line, syntax.Token.Position.Column, "not YAML: %s", syntax.Message)
		} else {
			d.say(1, 1, "not YAML: %v", err)
		}
		return nil
	}
	var docs []ast.Node
	for _, doc := range tree.Docs {
		if doc.Body != nil {
			docs = append(docs, doc.Body)
		}
	}
	switch len(docs) {
	case 0:
		d.say(1, 1, "the file is empty")
		return nil
	case 1:
		return docs[0]
	}
	d.sayAt(docs[1], "a second document begins here; one file holds one")
	return nil
}

// value reads node into v and checks it against what f says.
func (d *decoder) value(node ast.Node, v reflect.Value, f field) {
	for {
		switch n := node.(type) {
		case *ast.TagNode:
			node = n.Value
			continue
		case *ast.AnchorNode:
			node = n.Value
			continue
		case *ast.AliasNode:
			d.sayAt(node, "%s: references (*name) are not used here; write the value out", f.key)
			return
		}
		break
	}
	if v.Kind() == reflect.Pointer {
		v.Set(reflect.New(v.Type().Elem()))
		v = v.Elem()
	}
	switch {
	case v.Type() == laterType:
		v.Set(reflect.ValueOf(Later{node}))
	case v.Type() == pairsType:
		d.pairs(node, v, f)
	case v.Type() == textsType:
		d.texts(node, v, f)
	case v.Type() == objectType:
		d.object(node, v, f)
	case v.Kind() == reflect.Struct:
		d.mapping(node, v, f)
	case v.Kind() == reflect.Slice:
		d.list(node, v, f)
	default:
		d.scalar(node, v, f)
	}
}

func (d *decoder) mapping(node ast.Node, v reflect.Value, f field) {
	pairs, ok := pairsOf(node)
	if !ok {
		d.sayAt(node, "%s: expected keys with values (key: value), found %s", f.key, kindOf(node))
		return
	}
	known := fieldsOf(v.Type())
	names := make(map[string]bool, len(pairs))
	for _, pair := range pairs {
		names[pair.Key.GetToken().Value] = true
	}
	seen := map[string]bool{} // or meant, but misspelt
	for _, pair := range pairs {
		key := pair.Key.GetToken().Value
		i := slices.IndexFunc(known, func(k field) bool { return k.key == key })
		switch {
		case i < 0 && len(d.problems) >= mostProblems:
			d.untold++
		case i < 0:
			d.sayAt(pair.Key, "%s", unknown("key", key, keys(known)))
			if meant := Nearest(key, keys(known)); !names[meant] {
				seen[meant] = true // one mistake, one problem
			}
		case seen[key]:
			d.sayAt(pair.Key, "%q is given twice", key)
		default:
			seen[key] = true
			d.value(pair.Value, v.Field(known[i].index), known[i])
		}
	}
	for _, k := range known {
		if k.need && !seen[k.key] && !d.partial {
			d.sayAt(node, "%q is missing: %s", k.key, k.about)
		}
	}
}

// pairsOf returns the keys with values that node holds.
func pairsOf(node ast.Node) ([]*ast.MappingValueNode, bool) {
	switch n := node.(type) {
	case *ast.MappingNode:
		return n.Values, true
	case *ast.MappingValueNode:
		return []*ast.MappingValueNode{n}, true
	}
	return nil, false
}

func (d *decoder) list(node ast.Node, v reflect.Value, f field) {
	if _, ok := node.(*ast.NullNode); ok {
		if f.least != nil {
			d.sayAt(node, "%s: 0 entries; at least %d", f.key, int(*f.least))
		}
		return
	}
	seq, ok := node.(*ast.SequenceNode)
	if !ok {
		d.sayAt(node, "%s: expected a list (lines that begin with \"- \"), found %s", f.key, kindOf(node))
		return
	}
	if f.most != nil && len(seq.Values) > int(*f.most) {
		d.sayAt(node, "%s: %d entries; at most %d", f.key, len(seq.Values), int(*f.most))
	}
	if f.least != nil && len(seq.Values) < int(*f.least) {
		d.sayAt(node, "%s: %d entries; at least %d", f.key, len(seq.Values), int(*f.least))
	}
	out := reflect.MakeSlice(v.Type(), len(seq.Values), len(seq.Values))
	for i, entry := range seq.Values {
		d.value(entry, out.Index(i), field{key: f.key, kind: v.Type().Elem(), choices: f.choices, need: true})
	}
	v.Set(out)
}

func (d *decoder) scalar(node ast.Node, v reflect.Value, f field) {
	want := wantOf(v)
	var read any
	ok := false
	switch node.(type) {
	case *ast.StringNode, *ast.LiteralNode:
		ok = v.Kind() == reflect.String || v.Type() == durationType
	case *ast.IntegerNode:
		ok = v.Kind() == reflect.Int || v.Kind() == reflect.Float64
	case *ast.FloatNode:
		ok = v.Kind() == reflect.Float64
	case *ast.BoolNode:
		ok = v.Kind() == reflect.Bool
	}
	if !ok {
		d.sayAt(node, "%s: expected %s, found %s", f.key, want, kindOf(node))
		return
	}
	if err := yaml.NodeToValue(node, &read); err != nil {
		d.sayAt(node, "%s: expected %s: %v", f.key, want, err)
		return
	}
	if v.Type() == durationType {
		span, err := time.ParseDuration(read.(string))
		if err != nil || span < 0 {
			d.sayAt(node, "%s: %q is not a length of time; write it like 30s, 5m or 1h", f.key, read)
			return
		}
		v.SetInt(int64(span))
		return
	}
	target := reflect.New(v.Type())
	if err := yaml.NodeToValue(node, target.Interface()); err != nil {
		d.sayAt(node, "%s: expected %s", f.key, want)
		return
	}
	v.Set(target.Elem())
	d.bounds(node, v, f)
}

func (d *decoder) bounds(node ast.Node, v reflect.Value, f field) {
	switch v.Kind() {
	case reflect.String:
		s := v.String()
		length := utf8.RuneCountInString(s)
		switch {
		case f.need && strings.TrimSpace(s) == "":
			d.sayAt(node, "%s: is empty", f.key)
		case len(f.choices) > 0 && !slices.Contains(f.choices, s):
			d.sayAt(node, "%s: %s", f.key, unknown("value", s, f.choices))
		case f.pattern != nil && !f.pattern.MatchString(s):
			d.sayAt(node, "%s: %q does not fit: %s", f.key, s, f.patternHelp)
		case f.most != nil && length > int(*f.most):
			d.sayAt(node, "%s: %d characters; at most %d", f.key, length, int(*f.most))
		}
	case reflect.Int, reflect.Float64:
		x := v.Convert(reflect.TypeFor[float64]()).Float()
		if f.least != nil && x < *f.least || f.most != nil && x > *f.most {
			d.sayAt(node, "%s: %v is out of range; %s", f.key, v.Interface(), rangeOf(f))
		}
	}
}

func rangeOf(f field) string {
	switch {
	case f.most == nil:
		return fmt.Sprintf("at least %v", *f.least)
	case f.least == nil:
		return fmt.Sprintf("at most %v", *f.most)
	}
	return fmt.Sprintf("from %v to %v", *f.least, *f.most)
}

func unknown(what, word string, candidates []string) string {
	if letters := []rune(word); len(letters) > longestShown {
		word = string(letters[:longestShown]) + "…"
	}
	if n := Nearest(word, candidates); n != "" {
		return fmt.Sprintf("unknown %s %q; did you mean %q?", what, word, n)
	}
	return fmt.Sprintf("unknown %s %q; known: %s", what, word, strings.Join(candidates, ", "))
}

func wantOf(v reflect.Value) string {
	switch {
	case v.Type() == durationType:
		return "a length of time like 30s"
	case v.Kind() == reflect.String:
		return "text (put quotes round it)"
	case v.Kind() == reflect.Int:
		return "a whole number"
	case v.Kind() == reflect.Float64:
		return "a number"
	}
	return "true or false"
}

func kindOf(n ast.Node) string {
	switch n.(type) {
	case nil, *ast.NullNode:
		return "nothing"
	case *ast.MappingNode, *ast.MappingValueNode:
		return "keys with values"
	case *ast.SequenceNode:
		return "a list"
	case *ast.IntegerNode, *ast.FloatNode:
		return "a number"
	case *ast.BoolNode:
		return "true or false"
	case *ast.StringNode, *ast.LiteralNode:
		return "text"
	}
	return "something else"
}
