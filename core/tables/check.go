package tables

import (
	"fmt"
	"slices"
	"strings"

	"juvalogos/core/phrase"
)

// Refused says what about a query is not allowed, to whoever wrote it.
type Refused struct {
	What string
	// TooMuch is set where nothing is wrong with the query but how much it takes: a sentence
	// to whoever asked.
	TooMuch phrase.Phrase
}

func (r *Refused) Error() string { return r.What }

func refuse(form string, values ...any) error { return &Refused{What: fmt.Sprintf(form, values...)} }

// Query is a query that was checked: one statement that reads tables that it may read.
type Query struct {
	node  *node
	known []*Table
}

// Check looks at a query as the engine parsed it. What passes is one statement that only
// reads, only from the tables that are known, with nothing but functions that only
// compute. The error is a *Refused.
func Check(tree []byte, known []*Table) (*Query, error) {
	p, err := parse(tree)
	if err != nil {
		return nil, refuse("%v", err)
	}
	switch {
	case p.Error && p.Subtype == "SYNTAX_ERROR":
		return nil, refuse("%s", p.Message)
	case p.Error:
		return nil, refuse("only one SELECT can be run: nothing can be changed, made or set here")
	case len(p.Statements) != 1:
		return nil, refuse("there are %d statements; write one SELECT", len(p.Statements))
	}
	c := &checker{known: known}
	if err := c.statement(p.Statements[0].Node, p.Statements[0].Parameters); err != nil {
		return nil, err
	}
	return &Query{node: p.Statements[0].Node, known: known}, nil
}

// checker walks over a tree.
type checker struct {
	known []*Table
	ctes  []string // that are in reach
	deep  int
}

// mostDeep is how deep expressions and queries may nest.
const mostDeep = 60

func (c *checker) statement(n *node, parameters []any) error {
	if len(parameters) > 0 {
		return refuse("write values in the place of parameters")
	}
	return c.node(n)
}

func (c *checker) down() (up func(), err error) {
	if c.deep++; c.deep > mostDeep {
		err = refuse("the query nests too deep")
	}
	return func() { c.deep-- }, err
}

func (c *checker) node(n *node) error {
	up, err := c.down()
	defer up()
	if n == nil || err != nil {
		return err
	}
	outer := len(c.ctes)
	defer func() { c.ctes = c.ctes[:outer] }()
	for _, w := range n.CTEs.Map {
		if w.Value.Query.Node != nil && w.Value.Query.Node.Type == "RECURSIVE_CTE_NODE" {
			return refuse("a query cannot refer to itself (WITH RECURSIVE)")
		}
		if err := c.statement(w.Value.Query.Node, w.Value.Query.Parameters); err != nil {
			return err
		}
		c.ctes = append(c.ctes, strings.ToLower(w.Key))
	}
	switch n.Type {
	case "SELECT_NODE":
		err = c.selects(n)
	case "SET_OPERATION_NODE":
		for _, part := range append([]*node{n.Left, n.Right}, pointers(n.Children)...) {
			if err == nil {
				err = c.node(part)
			}
		}
	default:
		return refuse("%s cannot be used", n.Type)
	}
	for _, m := range n.Modifiers {
		if err == nil {
			err = c.modifier(m)
		}
	}
	return err
}

func pointers[T any](all []T) (out []*T) {
	for i := range all {
		out = append(out, &all[i])
	}
	return out
}

func (c *checker) selects(n *node) error {
	if n.Sample != nil {
		return refuse("a sample gives another answer every time; read all rows")
	}
	if err := c.from(n.From); err != nil {
		return err
	}
	for _, list := range [][]expr{n.Select, n.Groups} {
		if err := c.all(list); err != nil {
			return err
		}
	}
	return c.each(n.Where, n.Having, n.Qualify)
}

func (c *checker) modifier(m modifier) error {
	switch m.Type {
	case "ORDER_MODIFIER", "LIMIT_MODIFIER", "DISTINCT_MODIFIER":
	default:
		return refuse("%s cannot be used", m.Type)
	}
	if err := c.orders(m.Orders); err != nil {
		return err
	}
	if err := c.all(m.DistinctOn); err != nil {
		return err
	}
	return c.each(m.Limit, m.Offset)
}

func (c *checker) orders(all []order) error {
	for _, o := range all {
		if err := c.expr(o.Expression); err != nil {
			return err
		}
	}
	return nil
}

func (c *checker) from(f *from) error {
	up, err := c.down()
	defer up()
	if f == nil || err != nil {
		return err
	}
	if f.Sample != nil || f.At != nil {
		return refuse("a sample or an earlier state of a table cannot be read")
	}
	switch f.Type {
	case "EMPTY":
		return nil
	case "BASE_TABLE":
		return c.table(f)
	case "SUBQUERY":
		return c.statement(f.Subquery.Node, f.Subquery.Parameters)
	case "JOIN":
		if f.RefType == "POSITIONAL" {
			return refuse("tables cannot be joined by the order of their rows")
		}
		if err := c.from(f.Left); err != nil {
			return err
		}
		if err := c.from(f.Right); err != nil {
			return err
		}
		return c.each(f.Condition)
	case "EXPRESSION_LIST":
		for _, row := range f.Values {
			if err := c.all(row); err != nil {
				return err
			}
		}
		return nil
	case "TABLE_FUNCTION":
		if f.Function == nil || !slices.Contains(series, strings.ToLower(f.Function.Function)) {
			return refuse("a table cannot be made by a function; these tables are there: %s", c.names())
		}
		return c.all(f.Function.Children)
	}
	return refuse("%s cannot be read from", f.Type)
}

// series are the functions that give rows and read nothing.
var series = []string{"range", "generate_series", "unnest"}

func (c *checker) table(f *from) error {
	if f.Schema != "" || f.Catalog != "" {
		return refuse("there is no table %s.%s; these are there: %s", f.Catalog+f.Schema, f.Table, c.names())
	}
	name := strings.ToLower(f.Table)
	if slices.Contains(c.ctes, name) || slices.ContainsFunc(c.known, func(t *Table) bool { return t.Name == name }) {
		return nil
	}
	return refuse("there is no table %s; these are there: %s", f.Table, c.names())
}

func (c *checker) names() string {
	var all []string
	for _, t := range c.known {
		all = append(all, t.Name)
	}
	return strings.Join(all, ", ")
}

func (c *checker) all(list []expr) error { return c.each(pointers(list)...) }

func (c *checker) each(list ...*expr) error {
	for _, e := range list {
		if err := c.expr(e); err != nil {
			return err
		}
	}
	return nil
}

// classes are the classes of expressions, with their types where not all are let pass.
var classes = map[string][]string{
	"CONSTANT": nil, "COLUMN_REF": nil, "FUNCTION": nil, "COMPARISON": nil, "CONJUNCTION": nil, "CAST": nil,
	"CASE":    nil,
	"BETWEEN": nil, "SUBQUERY": nil, "WINDOW": nil, "STAR": nil,
	"OPERATOR": {"COMPARE_IN", "COMPARE_NOT_IN", "OPERATOR_IS_NULL", "OPERATOR_IS_NOT_NULL", "OPERATOR_NOT",
		"OPERATOR_COALESCE", "OPERATOR_NULLIF", "GROUPING_FUNCTION"},
}

func (c *checker) expr(e *expr) error {
	up, err := c.down()
	defer up()
	if e == nil || err != nil {
		return err
	}
	types, let := classes[e.Class]
	if !let || types != nil && !slices.Contains(types, e.Type) {
		return refuse("%s cannot be used here", strings.ToLower(e.Type))
	}
	switch e.Class {
	case "FUNCTION", "WINDOW":
		if name := strings.ToLower(e.Function); !functions[name] || e.Catalog != "" || e.Schema != "" &&
			e.Schema != "main" {
			return refuse("the function %s cannot be used", e.Function)
		}
	case "CAST":
		if !castable[e.CastType.ID] {
			return refuse("nothing can be made a %s", e.CastType.ID)
		}
	case "COLUMN_REF":
		if slices.ContainsFunc(e.Names, func(n string) bool { return strings.EqualFold(n, "rowid") }) {
			return refuse("rows are not numbered that way; leave rowid out")
		}
	case "STAR":
		if e.Columns || e.Expr != nil || len(e.Replaced)+len(e.Renamed) > 0 {
			return refuse("name the columns one by one")
		}
	case "SUBQUERY":
		if err := c.statement(e.Subquery.Node, e.Subquery.Parameters); err != nil {
			return err
		}
	}
	return c.within(e)
}

// within looks at what an expression is made of.
func (c *checker) within(e *expr) error {
	for _, list := range [][]expr{e.Children, e.Partitions} {
		if err := c.all(list); err != nil {
			return err
		}
	}
	for _, list := range [][]order{e.Orders, e.ArgOrders} {
		if err := c.orders(list); err != nil {
			return err
		}
	}
	if e.OrderBys != nil {
		if err := c.orders(e.OrderBys.Orders); err != nil {
			return err
		}
	}
	for _, one := range e.Cases {
		if err := c.each(one.When, one.Then); err != nil {
			return err
		}
	}
	return c.each(e.Left, e.Right, e.Input, e.Lower, e.Upper, e.Child, e.Else, e.Filter, e.StartExpr, e.EndExpr,
		e.OffsetExpr, e.DefaultExpr, e.FilterExpr)
}

// castable are the types that a value may be made.
var castable = set(`VARCHAR BOOLEAN TINYINT SMALLINT INTEGER BIGINT HUGEINT FLOAT DOUBLE DECIMAL DATE TIMESTAMP TIME
	INTERVAL`)

// functions are those that only compute, and whose results do not grow beyond what goes
// into them.
var functions = set(`+ - * / // % ^ ** || ~~ !~~ ~~* !~~* like_escape not_like_escape ilike_escape not_ilike_escape
	count count_star sum avg mean min max median mode stddev stddev_samp stddev_pop variance var_samp var_pop
	quantile quantile_cont quantile_disc corr covar_pop covar_samp regr_slope regr_intercept regr_r2 first last
	any_value arg_max arg_min max_by min_by bool_and bool_or count_if countif approx_count_distinct skewness kurtosis
	string_agg group_concat listagg fsum sum_no_overflow favg
	row_number rank dense_rank percent_rank cume_dist ntile lag lead first_value last_value nth_value
	abs round floor ceil ceiling trunc sqrt cbrt ln log log2 log10 exp pow power sign greatest least mod fmod ifnull nullif
	is_nan isnan isfinite
	lower upper lcase ucase trim ltrim rtrim length len strlen substr substring left right replace split_part strpos
	position instr contains starts_with ends_with prefix suffix regexp_matches regexp_full_match regexp_extract
	concat concat_ws reverse strip_accents jaro_winkler_similarity levenshtein
	strftime strptime try_strptime date_part date_trunc datetrunc datepart date_diff datediff date_sub datesub date_add
	year month day quarter week weekofyear yearweek isodow dayofweek weekday dayofmonth dayofyear monthname dayname hour
	minute second last_day make_date make_timestamp age epoch decade century isoyear era
	to_years to_months to_weeks to_days to_hours to_minutes to_seconds to_quarters
	range generate_series unnest list_value`)

func set(words string) map[string]bool {
	m := map[string]bool{}
	for w := range strings.FieldsSeq(words) {
		m[w] = true
	}
	return m
}
