package store

import (
	"context"
	"fmt"
	"strings"

	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

// usageBy are what usage can be added up by, each with the column that it
// means.
var usageBy = map[string]string{
	"day":     `to_char(m.at at time zone 'UTC', 'YYYY-MM-DD')`,
	"desk":    `coalesce(d.slug, '-')`,
	"model":   `m.model`,
	"step":    `m.step`,
	"visitor": `encode(substr(m.visitor, 1, 4), 'hex')`,
	"turn":    `m.turn::text`,
	"kind":    `m.kind`,
}

// UsageKeys lists what usage can be added up by.
func UsageKeys() []string {
	return []string{"day", "desk", "model", "step", "visitor", "turn", "kind"}
}

// Usage adds up what models were asked for. Rows come by day where that is
// asked for, else the costliest and longest first.
func (s *Traces) Usage(ctx context.Context, f record.UsageFilter) ([]record.UsageRow, error) {
	columns := make([]string, len(f.By))
	for i, key := range f.By {
		column, ok := usageBy[key]
		if !ok {
			return nil, fmt.Errorf("usage cannot be added up by %q", key)
		}
		columns[i] = column
	}
	group, order := "", `7 desc, 5 desc`
	if len(columns) > 0 {
		group = ` group by array[` + strings.Join(columns, ", ") + `]`
		if f.By[0] == "day" {
			order = `1`
		}
	} else {
		columns = []string{`''`}
	}
	rows, err := s.pool.Query(ctx, `
		select array[`+strings.Join(columns, ", ")+`]::text[] as keys, count(distinct m.turn) as turns, count(*)
			as calls,
			count(*) filter (where m.counted) as counted, sum(m.prompt_tokens) as prompt_tokens, sum(m.reply_tokens)
				as reply_tokens, sum(m.cost) as cost, sum(m.pictures) as pictures,
			sum(m.sound_seconds) as sound
		from model_call m left join desk d on d.id = m.desk
		where m.at >= $1 and m.at < $2 and ($3 = '' or coalesce(d.slug,
			'-') = $3) and ($4 = '' or m.model = $4) and ($5 = ''
			or m.step = $5)
			and ($6 = '' or encode(substr(m.visitor, 1, 4), 'hex') = $6)`+group+`
		having count(*) > 0 order by `+order+` limit $7`, f.From, f.To, f.Desk, f.Model, f.Step, f.Visitor, f.Limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.UsageRow])
}
