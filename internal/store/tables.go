package store

import (
	"context"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

const tabledColumns = `t.document, t.key, t.tables, t.given, t.problem, t.taken_at, d.name, d.hash, d.looked_at
	from document_table t join document d on d.id = t.document and d.removed_at is null`

// Keep puts on record what was found out of a document's tables, in the place of what
// was.
func (s *Tables) Keep(ctx context.Context, t record.Tabled) error {
	given := append([]record.GivenKind{}, t.Given...)
	_, err := s.pool.Exec(ctx, `insert into document_table (document, key, tables, given, problem, taken_at)
		select $1, $2, $3, $4, $5, $6 where exists (select from document where id = $1)
		on conflict (document) do update set key = $2, tables = $3, given = $4, problem = $5, taken_at = $6`,
		t.Document, t.Key, t.Tables, given, t.Problem, t.TakenAt)
	return err
}

// Of returns what was found out of documents, in the order in which they were added.
func (s *Tables) Of(ctx context.Context, documents []int64) ([]record.Tabled, error) {
	return s.tabled(ctx, `where t.document = any($1) order by t.document`, documents)
}

// OnShelves returns what was found out of the documents of shelves.
func (s *Tables) OnShelves(ctx context.Context, slugs []string) ([]record.Tabled, error) {
	return s.tabled(ctx, `join shelf s on s.id = d.shelf and s.removed_at is null where s.slug = any($1) and t.key <> ''
		order by t.document`, slugs)
}

// Untabled lists documents that were read and of whose tables nothing is known: their names
// end in one of some endings.
func (s *Tables) Untabled(ctx context.Context, endings []string) ([]int64, error) {
	rows, err := s.pool.Query(ctx, `select d.id from document d where d.removed_at is null and d.state = 'ready'
		and lower(d.name) like any($1) and not exists (select from document_table where document = d.id) order by d.id`,
		endings)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}

// Queries returns the queries that were run for turns, by turn.
func (s *Tables) Queries(ctx context.Context, turns []uuid.UUID) (map[uuid.UUID]string, error) {
	rows, err := s.pool.Query(ctx, `select t.id, p->'value'->>'query' from turn t
		join lateral (select parts from attempt where turn = t.id and state = 'done' order by `+whichCounts+` limit 1) a
			on true
		join lateral jsonb_array_elements(a.parts) p on p->>'type' = 'result'
		where t.id = any($1)`, turns)
	if err != nil {
		return nil, err
	}
	found := map[uuid.UUID]string{}
	var id uuid.UUID
	var query string
	_, err = pgx.ForEachRow(rows, []any{&id, &query}, func() error { found[id] = query; return nil })
	return found, err
}

// ByKeys returns a document for each of some keys, in their order; those that no document
// has any more are left out.
func (s *Tables) ByKeys(ctx context.Context, keys []string) ([]record.Tabled, error) {
	return s.tabled(ctx, `join lateral (select min(number) number, min(o.document) document
			from unnest($1::text[]) with ordinality k (key, number) join document_table o on o.key = k.key
			join document od on od.id = o.document and od.removed_at is null
			where o.key = t.key) k on k.document = t.document
		order by k.number`, keys)
}

func (s *Tables) tabled(ctx context.Context, where string, a ...any) ([]record.Tabled, error) {
	rows, err := s.pool.Query(ctx, `select `+tabledColumns+` `+where, a...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByPos[record.Tabled])
}

// Unused returns those of some keys that no document has any more.
func (s *Tables) Unused(ctx context.Context, keys []string) ([]string, error) {
	rows, err := s.pool.Query(ctx, `select k from unnest($1::text[]) k where not exists (
		select from document_table t join document d on d.id = t.document and d.removed_at is null where t.key = k)`, keys)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[string])
}
