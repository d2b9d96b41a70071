package tables

import (
	"fmt"
	"strings"
)

// compares are comparisons in words.
var compares = map[string]string{"COMPARE_EQUAL": "is", "COMPARE_NOTEQUAL": "is not",
	"COMPARE_LESSTHAN":    "is less than",
	"COMPARE_GREATERTHAN": "is more than", "COMPARE_LESSTHANOREQUALTO": "is at most",
	"COMPARE_GREATERTHANOREQUALTO": "is at least", "COMPARE_DISTINCT_FROM": "is not", "COMPARE_NOT_DISTINCT_FROM": "is"}

// parts of dates, in words.
var dateParts = map[string]string{"year": "the year of", "month": "the month of", "monthname": "the month of",
	"day": "the day of", "dayofmonth": "the day of the month of", "quarter": "the quarter of", "week": "the week of",
	"weekofyear": "the week of", "dayname": "the weekday of", "dayofweek": "the weekday of", "isodow": "the weekday of",
	"weekday": "the weekday of", "hour": "the hour of", "minute": "the minute of",
	"last_day":  "the last day of the month of",
	"dayofyear": "the day of the year of", "decade": "the decade of", "dow": "the weekday of"}

// same are functions that change how something is written and not what it says.
var same = set("lower upper lcase ucase trim ltrim rtrim round strip_accents")

// term says in words what an expression is; false where that would be hard to read.
func (q *Query) term(e *expr) (string, bool) {
	switch e.Class {
	case "COLUMN_REF":
		return q.titleOf(e.Names[len(e.Names)-1]), true
	case "CONSTANT":
		if e.Value == nil || e.Value.IsNull {
			return "nothing", true
		}
		if text, is := e.Value.Value.(string); is {
			return "“" + text + "”", true
		}
		return fmt.Sprint(e.Value.Value), true
	case "CAST":
		return q.term(e.Child)
	case "COMPARISON":
		return q.two(e.Left, compares[e.Type], e.Right)
	case "BETWEEN":
		of, ok1 := q.term(e.Input)
		low, ok2 := q.term(e.Lower)
		high, ok3 := q.term(e.Upper)
		return fmt.Sprintf("%s is from %s to %s", of, low, high), ok1 && ok2 && ok3
	case "CONJUNCTION":
		word := " and "
		if e.Type == "CONJUNCTION_OR" {
			word = " or "
		}
		return q.list(pointers(e.Children), word)
	case "OPERATOR":
		return q.operator(e)
	case "FUNCTION":
		return q.function(e)
	case "STAR":
		return "all columns", true
	}
	return "", false
}

func (q *Query) two(a *expr, word string, b *expr) (string, bool) {
	left, ok1 := q.term(a)
	right, ok2 := q.term(b)
	return left + " " + word + " " + right, ok1 && ok2 && word != ""
}

func (q *Query) list(all []*expr, word string) (string, bool) {
	said := make([]string, len(all))
	for i, e := range all {
		var ok bool
		if said[i], ok = q.term(e); !ok {
			return "", false
		}
	}
	return strings.Join(said, word), true
}

func (q *Query) operator(e *expr) (string, bool) {
	first, ok := q.term(&e.Children[0])
	if !ok {
		return "", false
	}
	switch e.Type {
	case "OPERATOR_IS_NULL":
		return first + " is missing", true
	case "OPERATOR_IS_NOT_NULL":
		return first + " is there", true
	case "OPERATOR_NOT":
		if inner := &e.Children[0]; inner.Class == "OPERATOR" && inner.Type == "OPERATOR_IS_NULL" {
			of, ok := q.term(&inner.Children[0])
			return of + " is there", ok
		}
		return "not (" + first + ")", true
	case "COMPARE_IN", "COMPARE_NOT_IN":
		rest, ok := q.list(pointers(e.Children[1:]), ", ")
		if e.Type == "COMPARE_IN" {
			return first + " is one of " + rest, ok
		}
		return first + " is none of " + rest, ok
	case "OPERATOR_COALESCE":
		return first, true
	}
	return "", false
}

func (q *Query) function(e *expr) (string, bool) {
	name := strings.ToLower(e.Function)
	args := pointers(e.Children)
	switch {
	case name == "count_star" || name == "count" && len(args) == 0:
		return "how many rows", e.Filter == nil
	case len(args) == 0:
		return "", false
	case name == "count":
		of, ok := q.term(args[0])
		if e.Distinct {
			return "how many different " + of, ok && e.Filter == nil
		}
		return "how many have " + of, ok && e.Filter == nil
	case aggregates[name] != "":
		of, ok := q.term(args[0])
		return aggregates[name] + " " + of, ok && e.Filter == nil
	case same[name]:
		return q.term(args[0])
	case dateParts[name] != "":
		of, ok := q.term(args[0])
		return dateParts[name] + " " + of, ok
	case (name == "date_part" || name == "date_trunc" || name == "datetrunc" || name == "datepart") && len(args) == 2:
		if args[0].Value == nil {
			return "", false
		}
		of, ok := q.term(args[1])
		word := dateParts[strings.ToLower(fmt.Sprint(args[0].Value.Value))]
		return word + " " + of, ok && word != ""
	case name == "strftime":
		return q.written(args)
	case len(args) == 2 && likes[name] != "":
		return q.like(args, likes[name])
	case len(args) == 2 && e.Operator && strings.Contains("+-*/", name):
		return q.two(args[0], map[string]string{"+": "+", "-": "−", "*": "×", "/": "÷"}[name], args[1])
	}
	return "", false
}

// likes are the ways to hold a text against a pattern.
var likes = map[string]string{"~~": "like", "~~*": "like", "!~~": "unlike", "!~~*": "unlike", "contains": "contains",
	"starts_with": "begins with", "prefix": "begins with", "ends_with": "ends with", "suffix": "ends with"}

// like says how a text is held against a pattern.
func (q *Query) like(args []*expr, word string) (string, bool) {
	of, ok := q.term(args[0])
	if args[1].Value == nil || !ok {
		return "", false
	}
	pattern := fmt.Sprint(args[1].Value.Value)
	if word != "like" && word != "unlike" {
		return of + " " + word + " “" + pattern + "”", true
	}
	inner := strings.Trim(pattern, "%")
	if strings.ContainsAny(inner, "%_") {
		return "", false
	}
	begins, ends := strings.HasSuffix(pattern, "%"), strings.HasPrefix(pattern, "%")
	said := map[bool]map[bool]string{
		true: {true: "contains", false: "begins with"}, false: {true: "ends with", false: "is"}}[begins][ends]
	if word == "unlike" {
		said = map[string]string{"contains": "does not contain", "begins with": "does not begin with",
			"ends with": "does not end with", "is": "is not"}[said]
	}
	return of + " " + said + " “" + inner + "”", true
}

// written says of a day in which parts it is written.
func (q *Query) written(args []*expr) (string, bool) {
	of, ok := q.term(args[0])
	if len(args) != 2 || args[1].Value == nil || !ok {
		return "", false
	}
	switch fmt.Sprint(args[1].Value.Value) {
	case "%Y":
		return "the year of " + of, true
	case "%Y-%m", "%m", "%B", "%b", "%B %Y", "%b %Y", "%m/%Y":
		return "the month of " + of, true
	case "%A", "%a", "%w", "%u":
		return "the weekday of " + of, true
	}
	return of, true
}

// titleOf is what people call a column.
func (q *Query) titleOf(name string) string {
	for _, t := range q.known {
		if c := t.Named(name); c != nil {
			return c.Title
		}
	}
	return strings.ReplaceAll(name, "_", " ")
}

// Title gives the columns of a query's result the titles and units that its tables have.
func (q *Query) Title(r *Result) {
	n := q.node
	for n.Type == "SET_OPERATION_NODE" && n.Left != nil {
		n = n.Left
	}
	plain := len(n.Select) == len(r.Columns) // no star stands for several
	for i := range r.Columns {
		h := &r.Columns[i]
		if c := q.column(h.Name); c != nil {
			h.take(c)
			h.Title = c.Title
			continue
		}
		h.Title = strings.ReplaceAll(h.Name, "_", " ")
		if !plain {
			continue
		}
		e := &n.Select[i]
		if e.Alias == "" || e.Alias == Identifier(e.Alias) && strings.Contains(e.Alias, "_") && e.aggregate() {
			if said, ok := q.term(e); ok {
				h.Title = strings.TrimPrefix(said, "the ")
			}
		}
		if c := q.measured(e); c != nil {
			h.take(c)
		}
	}
}

// take takes over what a column says of its numbers.
func (h *Head) take(c *Column) {
	if h.Kind.Number() && (c.Kind == Money || c.Kind == Percent) {
		h.Kind, h.Unit = c.Kind, c.Unit
	}
}

func (q *Query) column(name string) *Column {
	for _, t := range q.known {
		if c := t.Named(name); c != nil {
			return c
		}
	}
	return nil
}

// measured is the column whose unit an expression has: a sum, a mean, a least or a most
// of it, rounded or not.
func (q *Query) measured(e *expr) *Column {
	switch {
	case e.Class == "COLUMN_REF":
		return q.column(e.Names[len(e.Names)-1])
	case e.Class == "CAST":
		return q.measured(e.Child)
	case e.Class == "FUNCTION" && len(e.Children) > 0:
		switch strings.ToLower(e.Function) {
		case "sum", "avg", "mean", "min", "max", "median", "round", "first", "last", "any_value", "abs":
			return q.measured(&e.Children[0])
		}
	}
	return nil
}
