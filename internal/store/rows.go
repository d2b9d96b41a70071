package store

import (
	"fmt"

	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

// columns says where what a row holds goes, by the names of its columns.
type columns map[string]any

// collect reads rows, each into a T. Columns and targets have to be the same,
// by name: one too many on either side is an error.
func collect[T any](rows pgx.Rows, into func(*T) columns) (all []T, err error) {
	var v, zero T
	err = each(rows, into(&v), func() error {
		all = append(all, v)
		v = zero // nothing of one row stays for the next
		return nil
	})
	return all, err
}

// each reads every row into the same targets and calls do.
func each(rows pgx.Rows, into columns, do func() error) (err error) {
	defer rows.Close()
	var targets []any
	for rows.Next() {
		if targets == nil {
			if targets, err = inOrder(rows, into); err != nil {
				return err
			}
		}
		if err := rows.Scan(targets...); err != nil {
			return err
		}
		if err := do(); err != nil {
			return err
		}
	}
	return rows.Err()
}

// only reads the only row; ErrNotFound if there is none.
func only[T any](rows pgx.Rows, into func(*T) columns) (T, error) {
	all, err := collect(rows, into)
	if err == nil && len(all) == 0 {
		err = record.ErrNotFound
	}
	if err != nil {
		var none T
		return none, known(err)
	}
	return all[0], nil
}

func inOrder(rows pgx.Rows, into columns) ([]any, error) {
	fields := rows.FieldDescriptions()
	targets := make([]any, len(fields))
	for i, f := range fields {
		target, ok := into[f.Name]
		if !ok {
			return nil, fmt.Errorf("a query gives %q, which nothing takes", f.Name)
		}
		targets[i] = target
	}
	if len(into) != len(fields) {
		return nil, fmt.Errorf("a query gives %d columns where %d are taken", len(fields), len(into))
	}
	return targets, nil
}
