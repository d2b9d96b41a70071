package tables

import (
	"encoding/json"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"juvalogos/core/phrase"
)

// Tables are those that a query reads, by their names, in the order in which it names
// them.
func (q *Query) Tables() (names []string) {
	var walkNode func(n *node)
	var walkFrom func(f *from)
	walkFrom = func(f *from) {
		if f == nil {
			return
		}
		if f.Type == "BASE_TABLE" {
			name := strings.ToLower(f.Table)
			if slices.ContainsFunc(q.known, func(t *Table) bool { return t.Name == name }) &&
				!slices.Contains(names, name) {
				names = append(names, name)
			}
		}
		if f.Subquery != nil {
			walkNode(f.Subquery.Node)
		}
		walkFrom(f.Left)
		walkFrom(f.Right)
	}
	walkNode = func(n *node) {
		if n == nil {
			return
		}
		for _, w := range n.CTEs.Map {
			walkNode(w.Value.Query.Node)
		}
		walkFrom(n.From)
		walkNode(n.Left)
		walkNode(n.Right)
		for i := range n.Children {
			walkNode(&n.Children[i])
		}
		for _, e := range []*expr{n.Where, n.Having, n.Qualify} {
			eachSubquery(e, walkNode)
		}
		for i := range n.Select {
			eachSubquery(&n.Select[i], walkNode)
		}
	}
	walkNode(q.node)
	return names
}

// eachSubquery hands over the queries within an expression.
func eachSubquery(e *expr, do func(*node)) {
	if e == nil {
		return
	}
	if e.Subquery != nil {
		do(e.Subquery.Node)
	}
	for _, inner := range e.parts() {
		eachSubquery(inner, do)
	}
}

// parts are the expressions that an expression is made of.
func (e *expr) parts() (all []*expr) {
	for _, p := range []*expr{e.Left, e.Right, e.Input, e.Lower, e.Upper, e.Child, e.Else, e.Filter, e.FilterExpr} {
		if p != nil {
			all = append(all, p)
		}
	}
	for _, one := range e.Cases {
		all = append(all, one.When, one.Then)
	}
	return append(all, append(pointers(e.Children), pointers(e.Partitions)...)...)
}

// aggregates are the functions that make one value of many rows, with what they say.
var aggregates = map[string]string{"count": "how many", "count_star": "how many", "sum": "the sum of",
	"avg":  "the mean of",
	"mean": "the mean of", "min": "the lowest", "max": "the highest", "median": "the median of",
	"mode":   "the most frequent",
	"stddev": "the standard deviation of", "stddev_samp": "the standard deviation of",
	"stddev_pop": "the standard deviation of", "variance": "the variance of", "var_samp": "the variance of",
	"corr": "the correlation of", "quantile_cont": "a quantile of", "quantile_disc": "a quantile of",
	"first": "the first", "last": "the last", "any_value": "some", "arg_max": "where it is most:",
	"arg_min": "where it is least:", "max_by": "where it is most:", "min_by": "where it is least:",
	"bool_and": "whether all are", "bool_or": "whether any is", "count_if": "how many are",
	"approx_count_distinct": "about how many different", "string_agg": "all of", "listagg": "all of",
	"group_concat": "all of", "regr_slope": "the slope of", "var_pop": "the variance of", "fsum": "the sum of"}

// aggregate reports whether an expression makes one value of many rows.
func (e *expr) aggregate() bool {
	if e == nil || e.Class == "WINDOW" || e.Class == "SUBQUERY" {
		return false
	}
	if e.Class == "FUNCTION" && aggregates[strings.ToLower(e.Function)] != "" {
		return true
	}
	return slices.ContainsFunc(e.parts(), (*expr).aggregate)
}

// grouped reports whether a node makes groups of rows, or one value of all.
func (n *node) grouped() bool {
	return len(n.Groups) > 0 || n.Handling == "FORCE_AGGREGATES" ||
		slices.ContainsFunc(pointers(n.Select), (*expr).aggregate)
}

// NeedsOrder reports whether the order of a query's rows would be another each time: it
// makes groups, and does not say how they are sorted.
func (q *Query) NeedsOrder() bool {
	for _, m := range q.node.Modifiers {
		if m.Type == "ORDER_MODIFIER" || m.Type == "LIMIT_MODIFIER" {
			return false
		}
	}
	distinct := slices.ContainsFunc(q.node.Modifiers, func(m modifier) bool { return m.Type == "DISTINCT_MODIFIER" })
	if q.node.Type == "SET_OPERATION_NODE" && q.node.All {
		return false
	}
	return q.node.Type != "SELECT_NODE" || len(q.node.Groups) > 0 || q.node.grouped() || distinct
}

// Says tells in plain words what a query does, step by step.
func (q *Query) Says() (all []phrase.Phrase) {
	n := q.node
	if n.Type != "SELECT_NODE" {
		return []phrase.Phrase{phrase.Of("the rows of several queries are put together")}
	}
	var titles []string
	for _, name := range q.Tables() {
		for _, t := range q.known {
			if t.Name == name {
				titles = append(titles, t.Title)
			}
		}
	}
	switch len(titles) {
	case 0:
		all = append(all, phrase.Of("no table was read"))
	case 1:
		all = append(all, phrase.Of("from %s", titles[0]))
	default:
		all = append(all, phrase.Of("%s were put together", strings.Join(titles, ", ")))
	}
	if len(n.CTEs.Map) > 0 || n.From != nil && n.From.Type == "SUBQUERY" {
		all = append(all, phrase.Of("in several steps, which the query says"))
	}
	for _, c := range conjuncts(n.Where) {
		all = append(all, q.condition(c))
	}
	all = append(all, q.grouping(n)...)
	for _, c := range conjuncts(n.Having) {
		if said, ok := q.term(c); ok {
			all = append(all, phrase.Of("only groups where %s", said))
		} else {
			all = append(all, phrase.Of("only some groups, as the query says"))
		}
	}
	return append(all, q.modifiers(n)...)
}

func (q *Query) grouping(n *node) (all []phrase.Phrase) {
	var by, made []string
	for i := range n.Groups {
		if said, ok := q.term(n.chosen(&n.Groups[i])); ok {
			by = append(by, said)
		} else {
			by = append(by, "something the query says")
		}
	}
	if len(by) > 0 {
		all = append(all, phrase.Of("grouped by %s", strings.Join(by, ", ")))
	}
	for i := range n.Select {
		if e := &n.Select[i]; e.aggregate() {
			if said, ok := q.term(e); ok {
				made = append(made, said)
			}
		}
	}
	if len(made) > 0 {
		all = append(all, phrase.Of("worked out: %s", strings.Join(made, ", ")))
	}
	return all
}

func (q *Query) modifiers(n *node) (all []phrase.Phrase) {
	for _, m := range n.Modifiers {
		switch m.Type {
		case "ORDER_MODIFIER":
			for _, o := range m.Orders {
				said, ok := q.term(n.chosen(o.Expression))
				switch {
				case !ok:
				case o.Type == "DESCENDING":
					all = append(all, phrase.Of("sorted by %s, the highest first", said))
				default:
					all = append(all, phrase.Of("sorted by %s", said))
				}
			}
		case "LIMIT_MODIFIER":
			if m.Limit != nil && m.Limit.Value != nil {
				all = append(all, phrase.Of("the first %s", fmt.Sprint(m.Limit.Value.Value)))
			}
		case "DISTINCT_MODIFIER":
			all = append(all, phrase.Of("each only once"))
		}
	}
	return all
}

// chosen is the expression that a number or an alias stands for, in a list of groups or an
// order.
func (n *node) chosen(e *expr) *expr {
	if e.Class == "CONSTANT" && e.Value != nil {
		if i, err := strconv.Atoi(fmt.Sprint(e.Value.Value)); err == nil && i >= 1 && i <= len(n.Select) {
			return &n.Select[i-1]
		}
	}
	if e.Class == "COLUMN_REF" && len(e.Names) == 1 {
		for i := range n.Select {
			if strings.EqualFold(n.Select[i].Alias, e.Names[0]) {
				return &n.Select[i]
			}
		}
	}
	return e
}

func conjuncts(e *expr) []*expr {
	if e == nil {
		return nil
	}
	if e.Class == "CONJUNCTION" && e.Type == "CONJUNCTION_AND" {
		var all []*expr
		for _, c := range pointers(e.Children) {
			all = append(all, conjuncts(c)...)
		}
		return all
	}
	return []*expr{e}
}

func (q *Query) condition(e *expr) phrase.Phrase {
	if said, ok := q.term(e); ok {
		return phrase.Of("only rows where %s", said)
	}
	return phrase.Of("only some rows, as the query says")
}

// Counting is the tree of a query that counts the rows on which another one's result
// rests; false where that cannot be told.
func (q *Query) Counting(tree []byte) (counting []byte, ok bool) {
	n := q.node
	if n.Type != "SELECT_NODE" || len(n.CTEs.Map) > 0 || n.From == nil || n.From.Type != "BASE_TABLE" {
		return nil, false
	}
	top, all, err := topOf(tree)
	if err != nil {
		return nil, false
	}
	for key, value := range bare {
		top[key] = json.RawMessage(value)
	}
	top["select_list"] = json.RawMessage(countAll)
	counting, err = all(top)
	return counting, err == nil
}

// ReadsAll reports whether a query reads every row of the one table that it names.
func (q *Query) ReadsAll() bool {
	n := q.node
	return n.Type == "SELECT_NODE" && len(n.CTEs.Map) == 0 && n.From != nil && n.From.Type == "BASE_TABLE" &&
		n.Where == nil && n.Sample == nil
}

// Beside is the tree of the same query with a column more, the last, that says in every row
// on how many rows the whole result rests: so they need not be counted again. It is false
// where this would change what comes out.
func (q *Query) Beside(tree []byte) (beside []byte, ok bool) {
	n := q.node
	sets, _ := n.Sets.([]any)
	if n.Type != "SELECT_NODE" || len(n.CTEs.Map) > 0 || n.From == nil || n.From.Type != "BASE_TABLE" ||
		n.Having != nil || n.Qualify != nil || n.Handling == "FORCE_AGGREGATES" || len(sets) > 1 || !n.grouped() {
		return nil, false
	}
	for _, m := range n.Modifiers {
		if m.Type == "DISTINCT_MODIFIER" {
			return nil, false
		}
	}
	top, all, err := topOf(tree)
	if err != nil {
		return nil, false
	}
	var chosen []json.RawMessage
	if err := json.Unmarshal(top["select_list"], &chosen); err != nil {
		return nil, false
	}
	if top["select_list"], err = json.Marshal(append(chosen, json.RawMessage(countAllGroups))); err != nil {
		return nil, false
	}
	beside, err = all(top)
	return beside, err == nil
}

// countAll is count(*), as the engine's trees have it, and countAllGroups the sum of it over
// all groups.
const (
	countAll       = "[" + countStar + "]"
	countAllGroups = `{"class":"CAST","type":"OPERATOR_CAST","alias":"` + ReadColumn + `","query_location":0,` +
		`"child":{"class":"WINDOW","type":"WINDOW_AGGREGATE","alias":"","query_location":0,"function_name":"sum",` +
		`"schema":"","catalog":"","children":[` + countStar + `],"partitions":[],"orders":[],` +
		`"start":"UNBOUNDED_PRECEDING","end":"CURRENT_ROW_RANGE","start_expr":null,"end_expr":null,` +
		`"offset_expr":null,"default_expr":null,"ignore_nulls":false,"filter_expr":null,` +
		`"exclude_clause":"NO_OTHER","distinct":false,"arg_orders":[]},` +
		`"cast_type":{"id":"BIGINT","type_info":null},"try_cast":false}`
	countStar = `{"class":"FUNCTION","type":"FUNCTION","alias":"","query_location":0,"function_name":"count_star",` +
		`"schema":"","catalog":"","children":[],"filter":null,"order_bys":{"type":"ORDER_MODIFIER","orders":[]},` +
		`"distinct":false,"is_operator":false,"export_state":false}`
)

// ReadColumn is what the column is called that Beside adds.
const ReadColumn = "_read"
