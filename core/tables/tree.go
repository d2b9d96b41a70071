package tables

import (
	"bytes"
	"encoding/json"
	"fmt"
)

// A query as the engine parsed it. A field that is not named here makes a tree unreadable:
// what is not known is not let pass.

// parsed is what the engine makes of a text.
type parsed struct {
	Error      bool        `json:"error"`
	Message    string      `json:"error_message"`
	ErrorType  string      `json:"error_type"`
	Subtype    string      `json:"error_subtype"`
	Position   any         `json:"position"`
	Statements []statement `json:"statements"`
}

type statement struct {
	Node       *node `json:"node"`
	Parameters []any `json:"named_param_map"`
}

// node is a SELECT, or several put together.
type node struct {
	Type      string     `json:"type"`
	Modifiers []modifier `json:"modifiers"`
	CTEs      struct {
		Map []cte `json:"map"`
	} `json:"cte_map"`

	Select   []expr `json:"select_list"`
	From     *from  `json:"from_table"`
	Where    *expr  `json:"where_clause"`
	Groups   []expr `json:"group_expressions"`
	Sets     any    `json:"group_sets"`
	Handling string `json:"aggregate_handling"`
	Having   *expr  `json:"having"`
	Qualify  *expr  `json:"qualify"`
	Sample   any    `json:"sample"`

	SetType  string `json:"setop_type"`
	All      bool   `json:"setop_all"`
	Left     *node  `json:"left"`
	Right    *node  `json:"right"`
	Children []node `json:"children"`
}

type cte struct {
	Key   string `json:"key"`
	Value struct {
		Query struct {
			Node       *node `json:"node"`
			Parameters []any `json:"named_param_map"`
		} `json:"query"`
		Aliases      []string `json:"aliases"`
		Keys         []any    `json:"key_targets"`
		Materialized string   `json:"materialized"`
	} `json:"value"`
}

// modifier is what is done with the rows that come out.
type modifier struct {
	Type       string  `json:"type"`
	Orders     []order `json:"orders"`
	Limit      *expr   `json:"limit"`
	Offset     *expr   `json:"offset"`
	DistinctOn []expr  `json:"distinct_on_targets"`
}

type order struct {
	Type       string `json:"type"`
	Nulls      string `json:"null_order"`
	Expression *expr  `json:"expression"`
}

// from is where rows come from.
type from struct {
	Type     string   `json:"type"`
	Alias    string   `json:"alias"`
	Location any      `json:"query_location"`
	Sample   any      `json:"sample"`
	At       any      `json:"at_clause"`
	Catalog  string   `json:"catalog_name"`
	Schema   string   `json:"schema_name"`
	Table    string   `json:"table_name"`
	Columns  []string `json:"column_name_alias"`

	Subquery *struct {
		Node       *node `json:"node"`
		Parameters []any `json:"named_param_map"`
	} `json:"subquery"`

	Left        *from    `json:"left"`
	Right       *from    `json:"right"`
	Condition   *expr    `json:"condition"`
	JoinType    string   `json:"join_type"`
	RefType     string   `json:"ref_type"`
	Using       []string `json:"using_columns"`
	Flipped     bool     `json:"delim_flipped"`
	Eliminated  []any    `json:"duplicate_eliminated_columns"`
	Names       []string `json:"expected_names"`
	Types       []typed  `json:"expected_types"`
	Values      [][]expr `json:"values"`
	Function    *expr    `json:"function"`
	Ordinality  any      `json:"with_ordinality"`
	ShowType    string   `json:"show_type"`
	ShowedQuery any      `json:"query"`
}

// typed is a type of the engine.
type typed struct {
	ID   string          `json:"id"`
	Info json.RawMessage `json:"type_info"`
}

// expr is an expression.
type expr struct {
	Class    string `json:"class"`
	Type     string `json:"type"`
	Alias    string `json:"alias"`
	Location any    `json:"query_location"`

	Names    []string `json:"column_names"`
	Function string   `json:"function_name"`
	Schema   string   `json:"schema"`
	Catalog  string   `json:"catalog"`
	Operator bool     `json:"is_operator"`
	Distinct bool     `json:"distinct"`
	Export   bool     `json:"export_state"`
	Filter   *expr    `json:"filter"`
	OrderBys *struct {
		Type   string  `json:"type"`
		Orders []order `json:"orders"`
	} `json:"order_bys"`
	Children []expr `json:"children"`

	Left  *expr `json:"left"`
	Right *expr `json:"right"`
	Input *expr `json:"input"`
	Lower *expr `json:"lower"`
	Upper *expr `json:"upper"`

	Value *constant `json:"value"`

	Child    *expr  `json:"child"`
	CastType *typed `json:"cast_type"`
	Try      bool   `json:"try_cast"`

	Cases []struct {
		When *expr `json:"when_expr"`
		Then *expr `json:"then_expr"`
	} `json:"case_checks"`
	Else *expr `json:"else_expr"`

	Subquery *struct {
		Node       *node `json:"node"`
		Parameters []any `json:"named_param_map"`
	} `json:"subquery"`
	SubqueryType string `json:"subquery_type"`
	Comparison   string `json:"comparison_type"`

	Partitions  []expr  `json:"partitions"`
	Orders      []order `json:"orders"`
	ArgOrders   []order `json:"arg_orders"`
	Start       string  `json:"start"`
	End         string  `json:"end"`
	StartExpr   *expr   `json:"start_expr"`
	EndExpr     *expr   `json:"end_expr"`
	OffsetExpr  *expr   `json:"offset_expr"`
	DefaultExpr *expr   `json:"default_expr"`
	FilterExpr  *expr   `json:"filter_expr"`
	IgnoreNulls bool    `json:"ignore_nulls"`
	Exclude     string  `json:"exclude_clause"`

	Relation string `json:"relation_name"`
	Excluded []any  `json:"exclude_list"`
	ExclQual []any  `json:"qualified_exclude_list"`
	Renamed  []any  `json:"rename_list"`
	Replaced []any  `json:"replace_list"`
	Columns  bool   `json:"columns"`
	Expr     *expr  `json:"expr"`
}

type constant struct {
	Type   typed `json:"type"`
	IsNull bool  `json:"is_null"`
	Value  any   `json:"value"`
}

// parse reads what the engine made of a text.
func parse(tree []byte) (parsed, error) {
	var p parsed
	d := json.NewDecoder(bytes.NewReader(tree))
	d.DisallowUnknownFields()
	d.UseNumber()
	if err := d.Decode(&p); err != nil {
		return p, fmt.Errorf("the query has something in it that is not known here: %w", err)
	}
	return p, nil
}
