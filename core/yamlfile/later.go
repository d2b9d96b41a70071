package yamlfile

import (
	"encoding/json"
	"reflect"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
)

// Later is a value that is read once something else has told what it is to
// be, like the settings of a step whose kind is looked up first. The zero Later
// is a value that is not there.
type Later struct{ node ast.Node }

// Pair is one key with its text.
type Pair struct {
	Key, Value string
	At         Position // of the key
}

// Pairs are keys with texts, in their order.
type Pairs []Pair

var (
	laterType = reflect.TypeFor[Later]()
	pairsType = reflect.TypeFor[Pairs]()
)

// Texts are keys with texts, in no order.
type Texts map[string]string

// Object is what JSON would hold, by key.
type Object map[string]any

var (
	textsType  = reflect.TypeFor[Texts]()
	objectType = reflect.TypeFor[Object]()
)

func (d *decoder) texts(node ast.Node, v reflect.Value, f field) {
	var pairs Pairs
	before := len(d.problems)
	d.pairs(node, reflect.ValueOf(&pairs).Elem(), f)
	if len(d.problems) > before {
		return
	}
	texts := Texts{}
	for _, p := range pairs {
		texts[p.Key] = p.Value
	}
	v.Set(reflect.ValueOf(texts))
}

func (d *decoder) object(node ast.Node, v reflect.Value, f field) {
	if _, ok := pairsOf(node); !ok {
		d.sayAt(node, "%s: expected keys with values (key: value), found %s", f.key, kindOf(node))
		return
	}
	value, err := Later{node}.Value()
	object, ok := value.(map[string]any)
	if err != nil || !ok {
		d.sayAt(node, "%s: this cannot be written as JSON", f.key)
		return
	}
	v.Set(reflect.ValueOf(Object(object)))
}

// Given reports whether there is a value.
func (l Later) Given() bool { return l.node != nil }

// At is where the value stands in its file.
func (l Later) At() Position {
	if l.node == nil || l.node.GetToken() == nil || l.node.GetToken().Position == nil {
		return Position{1, 1}
	}
	p := l.node.GetToken().Position
	if pairs, ok := pairsOf(l.node); ok && len(pairs) > 0 {
		p = pairs[0].Key.GetToken().Position
	}
	return Position{p.Line, p.Column}
}

// Decode reads the value into what into points to, as Decode reads a file.
// name is the file's, key what the value is called. What is not there leaves
// into as it is, but for the keys that it needs.
func (l Later) Decode(name, key string, into any) Problems { return l.decode(name, key, into, false) }

// DecodeOver is Decode for a value that only changes some of what into holds.
func (l Later) DecodeOver(name, key string, into any) Problems {
	return l.decode(name, key, into, true)
}

func (l Later) decode(name, key string, into any, partial bool) Problems {
	d := &decoder{file: name, partial: partial}
	v := reflect.ValueOf(into).Elem()
	if l.node == nil {
		if v.Kind() != reflect.Struct {
			return nil
		}
		for _, k := range fieldsOf(v.Type()) {
			if k.need && !partial {
				d.say(0, 0, "%s: %q is missing: %s", key, k.key, k.about)
			}
		}
		return d.problems
	}
	d.value(l.node, v, field{key: key})
	return d.problems
}

// Value returns the value as JSON would hold it: text, float64, bool, nil,
// []any or map[string]any.
func (l Later) Value() (any, error) {
	if l.node == nil {
		return nil, nil
	}
	var v any
	if err := yaml.NodeToValue(l.node, &v); err != nil {
		return nil, err
	}
	text, err := json.Marshal(v)
	if err != nil {
		return nil, err
	}
	var plain any
	err = json.Unmarshal(text, &plain)
	return plain, err
}

func (d *decoder) pairs(node ast.Node, v reflect.Value, f field) {
	entries, ok := pairsOf(node)
	if !ok {
		d.sayAt(node, "%s: expected keys with values (key: value), found %s", f.key, kindOf(node))
		return
	}
	var pairs Pairs
	seen := map[string]bool{}
	for _, e := range entries {
		at := e.Key.GetToken().Position
		key := e.Key.GetToken().Value
		var text string
		if kindOf(e.Value) != "text" || yaml.NodeToValue(e.Value, &text) != nil {
			d.sayAt(e.Value, "%s: %s: expected text, found %s", f.key, key, kindOf(e.Value))
			continue
		}
		if seen[key] {
			d.sayAt(e.Key, "%s: %q is given twice", f.key, key)
		}
		seen[key] = true
		pairs = append(pairs, Pair{key, text, Position{at.Line, at.Column}})
	}
	v.Set(reflect.ValueOf(pairs))
}

// Entry is one key with a value to be read later.
type Entry struct {
	Key   string
	At    Position // of the key
	Value Later
}

// Entries returns the keys that the value holds.
func (l Later) Entries(name, key string) ([]Entry, Problems) {
	if _, null := l.node.(*ast.NullNode); l.node == nil || null {
		return nil, nil
	}
	d := &decoder{file: name}
	pairs, ok := pairsOf(l.node)
	if !ok {
		d.sayAt(l.node, "%s: expected keys with values (key: value), found %s", key, kindOf(l.node))
		return nil, d.problems
	}
	var entries []Entry
	for _, p := range pairs {
		at := p.Key.GetToken().Position
		entries = append(entries, Entry{p.Key.GetToken().Value, Position{at.Line, at.Column}, Later{p.Value}})
	}
	return entries, nil
}

// List returns the entries of a list, or false if the value is none.
func (l Later) List() ([]Later, bool) {
	seq, ok := l.node.(*ast.SequenceNode)
	if !ok {
		return nil, false
	}
	list := make([]Later, len(seq.Values))
	for i, v := range seq.Values {
		list[i] = Later{v}
	}
	return list, true
}

// Problem is a problem at the value's place.
func (l Later) Problem(file, message string) Problem {
	at := l.At()
	return Problem{File: file, Line: at.Line, Column: at.Column, Message: message}
}

// Unknown says that a word is not among the candidates, and which was meant.
func Unknown(what, word string, candidates []string) string { return unknown(what, word, candidates) }
