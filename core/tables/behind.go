package tables

import (
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
)

// RowsOf is the view of a table with the rows' numbers beside them, under a name that no
// query may say.
func RowsOf(table string) string { return "rows of " + table }

// Behind is the rows on which one row of a result rests.
type Behind struct {
	Tree []byte // of a query that selects all rows, beside what they are grouped by
	// Groups are the columns of the result by which rows are grouped; the tree's query has
	// them as g0, g1 and so on.
	Groups []int
	// Tables are those that are read; more than one are joined. The first one's rows have
	// their numbers beside them.
	Tables []*Table
}

// Column is the column that one of the rows' columns comes from: by its name, or, where
// several tables have the name, by what the engine adds to it; nil if it is none.
func (b *Behind) Column(name string) *Column {
	for _, t := range b.Tables {
		if c := t.Named(name); c != nil {
			return c
		}
	}
	if at := strings.LastIndexByte(name, '_'); at > 0 && len(b.Tables) > 1 {
		if nth, err := strconv.Atoi(name[at+1:]); err == nil {
			for _, t := range b.Tables {
				if c := t.Named(name[:at]); c != nil {
					if nth == 0 {
						return c
					}
					nth--
				}
			}
		}
	}
	return nil
}

// bases are the names of the tables that rows come from, in their order; false where it is
// not tables alone, joined or not.
func (f *from) bases() ([]string, bool) {
	switch {
	case f == nil:
		return nil, false
	case f.Type == "BASE_TABLE":
		return []string{f.Table}, true
	case f.Type == "JOIN":
		left, ok1 := f.Left.bases()
		right, ok2 := f.Right.bases()
		return append(left, right...), ok1 && ok2
	}
	return nil, false
}

// Behind tells how the rows behind a row of a result are selected; false where that cannot
// be told: the query has steps of its own, or groups are not in the result.
func (q *Query) Behind(tree []byte) (b Behind, ok bool) {
	n := q.node
	if n.Type != "SELECT_NODE" || len(n.CTEs.Map) > 0 || !n.grouped() {
		return b, false
	}
	names, ok := n.From.bases()
	for _, name := range names {
		for _, t := range q.known {
			if strings.EqualFold(t.Name, name) {
				b.Tables = append(b.Tables, t)
			}
		}
	}
	top, all, err := topOf(tree)
	if err != nil || !ok || len(b.Tables) != len(names) {
		return b, false
	}
	var chosen []map[string]json.RawMessage
	if err := json.Unmarshal(top["select_list"], &chosen); err != nil || len(chosen) != len(n.Select) {
		return b, false
	}
	var selected []any
	for i := range n.Groups {
		at := -1
		e := n.chosen(&n.Groups[i])
		for j := range n.Select {
			if e == &n.Select[j] || sameExpression(&n.Groups[i], &n.Select[j]) {
				at = j
			}
		}
		if at < 0 {
			return b, false
		}
		chosen[at]["alias"] = json.RawMessage(strconv.Quote(fmt.Sprint("g", i)))
		selected = append(selected, chosen[at])
		b.Groups = append(b.Groups, at)
	}
	list, err1 := json.Marshal(append(selected, json.RawMessage(star)))
	from, err2 := rowsFrom(top["from_table"], b.Tables[0].Name)
	if err1 != nil || err2 != nil {
		return b, false
	}
	for key, value := range bare {
		top[key] = json.RawMessage(value)
	}
	top["select_list"], top["from_table"] = list, from
	b.Tree, err = all(top)
	return b, err == nil
}

// sameExpression reports whether two expressions are the same column.
func sameExpression(a, b *expr) bool {
	return a.Class == "COLUMN_REF" && b.Class == "COLUMN_REF" && b.Alias == "" &&
		strings.EqualFold(a.Names[len(a.Names)-1], b.Names[len(b.Names)-1])
}

// rowsFrom reads the view with the rows' numbers in the place of the first of the tables.
func rowsFrom(from json.RawMessage, name string) (json.RawMessage, error) {
	var f map[string]json.RawMessage
	if err := json.Unmarshal(from, &f); err != nil {
		return nil, err
	}
	if left, joined := f["left"]; joined {
		numbered, err := rowsFrom(left, name)
		if err != nil {
			return nil, err
		}
		f["left"] = numbered
		return json.Marshal(f)
	}
	f["table_name"] = json.RawMessage(strconv.Quote(RowsOf(name)))
	if string(f["alias"]) == `""` {
		f["alias"] = json.RawMessage(strconv.Quote(name))
	}
	return json.Marshal(f)
}

// Measured is the column of the table that a column of the result is worked out of; nil if
// it is none.
func (q *Query) Measured(column int) *Column {
	if column < 0 || column >= len(q.node.Select) {
		return nil
	}
	e := &q.node.Select[column]
	for e.Class == "CAST" || e.Class == "FUNCTION" && len(e.Children) > 0 {
		if e.Class == "CAST" {
			e = e.Child
		} else {
			e = &e.Children[0]
		}
	}
	if e.Class != "COLUMN_REF" {
		return nil
	}
	return q.column(e.Names[len(e.Names)-1])
}

// bare is what a SELECT has that neither groups nor sorts.
var bare = map[string]string{"group_expressions": "[]", "group_sets": "[]", "having": "null", "modifiers": "[]",
	"qualify": "null", "aggregate_handling": `"STANDARD_HANDLING"`}

// star is all columns, as the engine's trees have it.
const star = `{"class":"STAR","type":"STAR","alias":"","query_location":0,"relation_name":"","exclude_list":[],` +
	`"replace_list":[],"columns":false,"expr":null,"qualified_exclude_list":[],"rename_list":[]}`

// topOf is the SELECT of a tree, and what makes a tree of it again.
func topOf(tree []byte) (top map[string]json.RawMessage, all func(map[string]json.RawMessage) ([]byte, error),
	err error) {
	var whole struct {
		Error      bool                         `json:"error"`
		Statements []map[string]json.RawMessage `json:"statements"`
	}
	if err := json.Unmarshal(tree, &whole); err != nil {
		return nil, nil, err
	}
	if len(whole.Statements) != 1 {
		return nil, nil, fmt.Errorf("%d statements", len(whole.Statements))
	}
	if err := json.Unmarshal(whole.Statements[0]["node"], &top); err != nil {
		return nil, nil, err
	}
	return top, func(top map[string]json.RawMessage) ([]byte, error) {
		text, err := json.Marshal(top)
		if err != nil {
			return nil, err
		}
		whole.Statements[0]["node"] = text
		return json.Marshal(whole)
	}, nil
}
