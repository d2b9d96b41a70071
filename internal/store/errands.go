package store

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

// Tray returns the shelf on which what visitors of a desk have brought is kept; with
// a visitor the one that is theirs alone. It is made if there is none.
func (s *Errands) Tray(ctx context.Context, desk int64, visitor *record.Visitor, slug string, settings json.RawMessage,
	at time.Time) (id int64, err error) {
	var who []byte
	if visitor != nil {
		who = visitor[:]
	}
	// Where two make it at once, the second finds the first one's.
	err = s.pool.QueryRow(ctx, `
		with made as (insert into shelf (slug, title, settings, made_by, made_at, desk, visitor, tray)
			select $3, '', $4, '', $5, $1, $2, true
			where not exists (select from shelf where tray and desk = $1 and coalesce(visitor,
				''::bytea) = coalesce($2::bytea, ''::bytea))
			on conflict do nothing returning id)
		select id from made union all
		select id from shelf where tray and desk = $1 and coalesce(visitor, ''::bytea) = coalesce($2::bytea, ''::bytea)
			and removed_at is null limit 1`, desk, who, slug, settings, at).Scan(&id)
	if known(err) == record.ErrNotFound {
		err = s.pool.QueryRow(ctx, `select id from shelf where tray and desk = $1
			and coalesce(visitor, ''::bytea) = coalesce($2::bytea, ''::bytea) and removed_at is null`, desk, who).Scan(&id)
	}
	return id, known(err)
}

// OwnTray returns the tray of a desk that is a visitor's own; ErrNotFound if there is
// none yet.
func (s *Errands) OwnTray(ctx context.Context, desk int64, visitor record.Visitor) (id int64, err error) {
	err = s.pool.QueryRow(ctx, `select id from shelf where tray and desk = $1 and visitor = $2 and removed_at is null`,
		desk, visitor[:]).Scan(&id)
	return id, known(err)
}

const workColumns = `id, shelf, address, kind, name, version, dated, bytes, fetched_at, checked_at`

// Work returns what is kept of an address on a tray, if its files are still there.
func (s *Errands) Work(ctx context.Context, tray int64, address string) (record.Work, error) {
	rows, err := s.pool.Query(ctx, `select `+workColumns+` from work w where shelf = $1 and address = $2
		and exists (select from document where work = w.id and removed_at is null and state <> 'failed')`, tray, address)
	if err != nil {
		return record.Work{}, err
	}
	w, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[record.Work])
	return w, known(err)
}

// Works returns works by their ids, in that order; those that are gone are left out.
func (s *Errands) Works(ctx context.Context, ids []int64) ([]record.Work, error) {
	rows, err := s.pool.Query(ctx, `select `+workColumns+` from unnest($1::bigint[]) with ordinality as n (number, place)
		join work w on w.id = number where exists (select from document where work = w.id and removed_at is null
			and state <> 'failed') order by place`, ids)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.Work])
}

// KeepWork puts a work on a tray with its files, whose content is there, in the place
// of its version before; conversations that rest on that one keep it. It returns
// the ids of the work and of its documents.
func (s *Errands) KeepWork(ctx context.Context, w record.Work, files []record.Document) (id int64, documents []int64,
	err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if err := tx.QueryRow(ctx, `insert into work (shelf, address, kind, name, version, dated, bytes, fetched_at,
				checked_at)
			values ($1, $2, $3, $4, $5, $6, $7, $8, $8) on conflict (shelf, address) do update set kind = $3, name = $4,
				version = $5, dated = $6, bytes = $7, fetched_at = $8, checked_at = $8 returning id`,
			w.Shelf, w.Address, w.Kind, w.Name, w.Version, w.Dated, w.Bytes, w.FetchedAt).Scan(&id); err != nil {
			return err
		}
		// A file that is as it was stays the document that it is, read and embedded.
		hashes := make([][]byte, len(files))
		for i, f := range files {
			hashes[i] = f.Hash
		}
		if _, err := tx.Exec(ctx, `update document set work = null where work = $1 and (not hash = any($2)
			or state = 'failed')`, id, hashes); err != nil {
			return err
		}
		for n, f := range files {
			var document int64
			err := tx.QueryRow(ctx, `select id from document where work = $1 and hash = $2 and removed_at is null limit 1`,
				id, f.Hash).Scan(&document)
			if known(err) == record.ErrNotFound {
				// The name stands for nothing on a tray but the kind of file; it is one's own.
				err = tx.QueryRow(ctx, `insert into document (shelf, name, source, hash, size, state, added_by, added_at, work)
					values ($1, $2, $3, $4, $5, 'waiting', 'visitor', $6, $7) returning id`, w.Shelf,
					fmt.Sprintf("%d-%d-%d/%s", id, w.FetchedAt.UnixMilli(), n, f.Name), f.Source, f.Hash, f.Size,
					w.FetchedAt,
					id).Scan(&document)
			}
			if err != nil {
				return err
			}
			documents = append(documents, document)
		}
		return nil
	})
	return id, documents, known(err)
}

// Checked notes that a work is still as it is kept.
func (s *Errands) Checked(ctx context.Context, work int64, at time.Time) error {
	return s.one(ctx, `update work set checked_at = $2 where id = $1`, work, at)
}

// WorkDocuments are the files of a work as it is now.
func (s *Errands) WorkDocuments(ctx context.Context, work int64) (ids []int64, err error) {
	rows, err := s.pool.Query(ctx, `select id from document where work = $1 and removed_at is null order by id`, work)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}

// LedTo returns what a wish led to.
func (s *Errands) LedTo(ctx context.Context, tray int64, wish string) (l record.LedTo, err error) {
	err = s.pool.QueryRow(ctx, `select works, nearest, left_out, looked_at from led_to where shelf = $1 and wish = $2`,
		tray, wish).Scan(&l.Works, &l.Nearest, &l.LeftOut, &l.LookedAt)
	return l, known(err)
}

// KeepLedTo puts it on record.
func (s *Errands) KeepLedTo(ctx context.Context, tray int64, wish string, l record.LedTo) error {
	_, err := s.pool.Exec(ctx, `insert into led_to (shelf, wish, works, nearest, left_out, looked_at)
		values ($1, $2, $3, $4, $5, $6)
		on conflict (shelf, wish) do update set works = $3, nearest = $4, left_out = $5, looked_at = $6`, tray, wish,
		l.Works, l.Nearest, l.LeftOut, l.LookedAt)
	return err
}

// Begin puts an errand on record that an instance runs.
func (s *Errands) Begin(ctx context.Context, e record.Errand, instance int32) error {
	_, err := s.pool.Exec(ctx, `insert into errand (id, conversation, visitor, desk, kind, source, wanted, most, private,
			state, runner, made_at, put_away_at)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, 'running', $10, $11, $12)`, e.ID, e.Conversation, e.Visitor[:], e.DeskID,
		e.Kind, e.Source, e.Wanted, e.Most, e.Private, instance, e.MadeAt, e.PutAwayAt)
	return known(err)
}

// Again has an errand run once more, with other words.
func (s *Errands) Again(ctx context.Context, id uuid.UUID, wanted string, instance int32) error {
	return s.one(ctx, `update errand set state = 'running', wanted = $2, runner = $3, problem = '{}', meanings = '[]',
		nearest = false, failed = '[]', total = 0, brought = 0, ended_at = null
		where id = $1 and state <> 'running'`, id, wanted, instance)
}

// Claim has an instance run an errand whose instance is no more.
func (s *Errands) Claim(ctx context.Context, id uuid.UUID, instance int32) (bool, error) {
	tag, err := s.pool.Exec(ctx, `update errand set runner = $3 where id = $2 and state = 'running'
		and not `+lives("$1", "errand.runner"), lockSpace, id, instance)
	return tag.RowsAffected() == 1, err
}

// Orphans are errands whose instance is no more.
func (s *Errands) Orphans(ctx context.Context) ([]record.Errand, error) {
	return s.errands(ctx, `where state = 'running' and not `+lives("$1", "errand.runner"), lockSpace)
}

// Progress puts on record how far an errand is. It reports false if the visitor
// stopped it or put it away, or it is run elsewhere.
func (s *Errands) Progress(ctx context.Context, e record.Errand, instance int32) (bool, error) {
	tag, err := s.pool.Exec(ctx, `update errand set state = $3, problem = $4, meanings = $5, nearest = $6, left_out = $7,
			total = $8, brought = $9, kept = $10, failed = $11, bytes = $12, seconds = $13, tokens = $14, cost = $15,
			ended_at = $16, wanted = $17, private = $18
		where id = $1 and runner = $2 and (state = 'running' or state = $3)`, e.ID, instance, e.State, e.Problem,
		append([]record.Meaning{}, e.Meanings...), e.Nearest, e.LeftOut, e.Total, e.Brought, e.Kept,
		append([]record.NotBrought{}, e.Failed...), e.Bytes, e.Seconds, e.Tokens, e.Cost, e.EndedAt, e.Wanted,
		e.Private)
	return tag.RowsAffected() == 1, err
}

// Rest lets the errand's conversation rest on documents, and tells every instance.
func (s *Errands) Rest(ctx context.Context, errand uuid.UUID, documents []int64, from int) error {
	_, err := s.pool.Exec(ctx, `with added as (insert into errand_document (errand, document, position)
			select $1, number, $3 + place from unnest($2::bigint[]) with ordinality as n (number, place)
			on conflict do nothing returning document)
		select pg_notify('`+shelfChannel+`', format('%s %s', d.shelf, d.id)) from added join document d on d.id = document`,
		errand, documents, from)
	return err
}

// Unrest takes documents out of what an errand brought, and tells every instance.
func (s *Errands) Unrest(ctx context.Context, errand uuid.UUID, documents []int64) error {
	_, err := s.pool.Exec(ctx, `with gone as (delete from errand_document where errand = $1 and document = any($2)
			returning document)
		select pg_notify('`+shelfChannel+`', format('%s %s', d.shelf, d.id)) from gone join document d on d.id = document`,
		errand, documents)
	return err
}

// Embedded adds what a model embedded for an errand, and what that cost.
func (s *Errands) Embedded(ctx context.Context, errand uuid.UUID, tokens int, cost float64) error {
	return s.one(ctx, `update errand set tokens = tokens + $2, cost = cost + $3 where id = $1`, errand, tokens, cost)
}

// Stop ends an errand of a visitor that runs; what came stays. It does nothing if it
// does not run.
func (s *Errands) Stop(ctx context.Context, id uuid.UUID, visitor record.Visitor, at time.Time) error {
	return s.one(ctx, `update errand set state = case when state = 'running' then 'stopped' else state end,
		ended_at = coalesce(ended_at, $3) where id = $1 and visitor = $2`, id, visitor[:], at)
}

// PutAway takes an errand of a visitor out of its conversation, or brings it back,
// and tells every instance.
func (s *Errands) PutAway(ctx context.Context, id uuid.UUID, visitor record.Visitor, at *time.Time) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update errand set put_away_at = $3,
				state = case when state = 'running' and $3::timestamptz is not null then 'stopped' else state end
			where id = $1 and visitor = $2`, id, visitor[:], at)
		if err == nil && tag.RowsAffected() == 0 {
			return record.ErrNotFound
		}
		if err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `select pg_notify('`+shelfChannel+`', format('%s %s', d.shelf, d.id))
			from errand_document e join document d on d.id = e.document where e.errand = $1`, id)
		return err
	})
}

// Errand returns one of a visitor's.
func (s *Errands) Errand(ctx context.Context, id uuid.UUID, visitor record.Visitor) (record.Errand, error) {
	all, err := s.errands(ctx, `where id = $1 and visitor = $2`, id, visitor[:])
	if err == nil && len(all) == 0 {
		err = record.ErrNotFound
	}
	if err != nil {
		return record.Errand{}, err
	}
	return all[0], nil
}

// InConversation are the errands of a visitor's conversation that were not put away,
// in their order.
func (s *Errands) InConversation(ctx context.Context, conversation uuid.UUID,
	visitor record.Visitor) ([]record.Errand, error) {
	return s.errands(ctx, `where conversation = $1 and visitor = $2 and put_away_at is null
		and not exists (select from conversation c where c.id = $1 and c.removed_at is not null)
		order by made_at, id`, conversation, visitor[:])
}

func (s *Errands) errands(ctx context.Context, where string, a ...any) ([]record.Errand, error) {
	rows, err := s.pool.Query(ctx, `select id, conversation, visitor, desk, kind, source, wanted, most, private, state,
		problem, meanings, nearest, left_out, total, brought, kept, failed, bytes, seconds, tokens, cost, made_at,
		ended_at, put_away_at from errand `+where, a...)
	if err != nil {
		return nil, err
	}
	all, err := collect(rows, func(e *record.Errand) columns {
		return columns{"id": &e.ID, "conversation": &e.Conversation, "visitor": (*visitorScan)(&e.Visitor),
			"desk": &e.DeskID, "kind": &e.Kind, "source": &e.Source, "wanted": &e.Wanted, "most": &e.Most,
			"private": &e.Private, "state": &e.State, "problem": &e.Problem, "meanings": &e.Meanings,
			"nearest": &e.Nearest, "left_out": &e.LeftOut, "total": &e.Total, "brought": &e.Brought, "kept": &e.Kept,
			"failed": &e.Failed, "bytes": &e.Bytes, "seconds": &e.Seconds, "tokens": &e.Tokens, "cost": &e.Cost,
			"made_at": &e.MadeAt, "ended_at": &e.EndedAt, "put_away_at": &e.PutAwayAt}
	})
	if err != nil || len(all) == 0 {
		return all, err
	}
	return all, s.addDocuments(ctx, all)
}

// addDocuments reads what errands brought.
func (s *Errands) addDocuments(ctx context.Context, all []record.Errand) error {
	ids, at := make([]uuid.UUID, len(all)), map[uuid.UUID]int{}
	for i, e := range all {
		ids[i], at[e.ID] = e.ID, i
	}
	rows, err := s.pool.Query(ctx, `select e.errand, d.id, d.shelf, d.name, d.source, d.hash, d.size, d.state, d.problem,
			d.title, d.format, d.language, d.pages, d.words, d.original, d.left_out, d.passages, d.beginning,
				d.headings, s.slug,
			coalesce(w.kind, '') as kind, coalesce(w.name, '') as work_name, w.dated
		from errand_document e join document d on d.id = e.document join shelf s on s.id = d.shelf
		left join work w on w.id = d.work
		where e.errand = any($1) and d.removed_at is null and s.removed_at is null order by e.position, d.id`, ids)
	if err != nil {
		return err
	}
	var errand uuid.UUID
	var d, none record.BroughtDocument
	return each(rows, columns{"errand": &errand, "id": &d.ID, "shelf": &d.Shelf, "name": &d.Name, "source": &d.Source,
		"hash": &d.Hash, "size": &d.Size, "state": &d.State, "problem": &d.Problem, "title": &d.Title,
		"format": &d.Format, "language": &d.Language, "pages": &d.Pages, "words": &d.Words, "original": &d.Original,
		"left_out": &d.LeftOut, "passages": &d.Passages, "beginning": &d.Beginning, "headings": &d.Headings,
		"slug": &d.ShelfSlug, "kind": &d.Kind,
		"work_name": &d.WorkName, "dated": &d.Dated}, func() error {
		if _, name, own := strings.Cut(d.Name, "/"); own && d.Kind != "" {
			d.Name = name
		}
		e := &all[at[errand]]
		e.Documents = append(e.Documents, d)
		d = none
		return nil
	})
}

// MayRead reports whether a document was brought into a conversation of a visitor's.
func (s *Errands) MayRead(ctx context.Context, document int64, visitor record.Visitor) (yes bool, err error) {
	err = s.pool.QueryRow(ctx, `select exists (select from errand_document d join errand e on e.id = d.errand
		where d.document = $1 and e.visitor = $2)`, document, visitor[:]).Scan(&yes)
	return yes, err
}

// RestingOn are the shelves of the conversations that rest on a document, or did.
func (s *Errands) RestingOn(ctx context.Context, document int64) (shelves []int64, err error) {
	rows, err := s.pool.Query(ctx, `select distinct f.id from errand_document d join errand e on e.id = d.errand
		join shelf f on f.conversation = e.conversation where d.document = $1`, document)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[int64])
}

// IsTray reports whether a shelf is a tray.
func (s *Errands) IsTray(ctx context.Context, shelf int64) (yes bool, err error) {
	err = s.pool.QueryRow(ctx, `select tray from shelf where id = $1`, shelf).Scan(&yes)
	return yes, known(err)
}

// BroughtFor returns who had a document on a tray brought first, and whether it is
// on one.
func (s *Errands) BroughtFor(ctx context.Context, document int64) (who record.Visitor, err error) {
	err = s.pool.QueryRow(ctx, `select e.visitor from errand_document d join errand e on e.id = d.errand
		join document o on o.id = d.document join shelf f on f.id = o.shelf
		where d.document = $1 and f.tray order by e.made_at limit 1`, document).Scan((*visitorScan)(&who))
	return who, known(err)
}

// Count adds an errand that is over to what was wanted at its desk.
func (s *Errands) Count(ctx context.Context, e record.Errand, name, address string) error {
	_, err := s.pool.Exec(ctx, `insert into wanted (desk, day, kind, source, name, address, found, times, fetched, bytes,
			seconds, tokens, cost)
		values ($1, $2, $3, $4, $5, $6, $7, 1, $8, $9, $10, $11, $12)
		on conflict (desk, day, kind, source, name, found) do update set times = wanted.times + 1,
			fetched = wanted.fetched + excluded.fetched, bytes = wanted.bytes + excluded.bytes,
			seconds = wanted.seconds + excluded.seconds, tokens = wanted.tokens + excluded.tokens,
			cost = wanted.cost + excluded.cost, address = excluded.address`,
		e.DeskID, e.MadeAt.UTC(), e.Kind, e.Source, name, address, e.Brought > 0, e.Brought-e.Kept, e.Bytes, e.Seconds,
		e.Tokens, e.Cost)
	return err
}

// Wanted are what was wanted at a desk since a day, the most wanted first.
func (s *Errands) Wanted(ctx context.Context, desk int64, since time.Time, limit int) ([]record.Wanted, error) {
	rows, err := s.pool.Query(ctx, `select kind, source, name, max(address) as address, found, sum(times)::int as times,
			sum(fetched)::int as fetched, sum(bytes)::bigint as bytes, sum(seconds) as seconds,
			sum(tokens)::bigint as tokens, sum(cost) as cost, max(day)::timestamptz as last
		from wanted where desk = $1 and day >= $2 group by kind, source, name, found
		order by sum(times) desc, name limit $3`, desk, since, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.Wanted])
}

// errandBy are what errands can be added up by, each with the column that it means.
var errandBy = map[string]string{
	"day":          `to_char(e.made_at at time zone 'UTC', 'YYYY-MM-DD')`,
	"desk":         `coalesce(d.slug, '-')`,
	"visitor":      `encode(substr(e.visitor, 1, 4), 'hex')`,
	"conversation": `e.conversation::text`,
	"kind":         `e.kind`,
}

// ErrandKeys lists what errands can be added up by.
func ErrandKeys() []string { return []string{"day", "desk", "visitor", "conversation", "kind"} }

// Sums adds up errands by some keys, of one desk if its slug is not empty.
func (s *Errands) Sums(ctx context.Context, by []string, from, to time.Time, desk string,
	limit int) ([]record.ErrandSum, error) {
	parts := make([]string, len(by))
	for i, key := range by {
		column, ok := errandBy[key]
		if !ok {
			return nil, fmt.Errorf("errands cannot be added up by %q", key)
		}
		parts[i] = column
	}
	keys := `array[` + strings.Join(parts, ", ") + `]::text[]`
	rows, err := s.pool.Query(ctx, `select `+keys+` as keys, count(*)::int as errands, sum(e.brought)::int as works,
			sum(e.kept)::int as kept, sum(jsonb_array_length(e.failed)
				+ (e.state = 'failed' and e.total = 0)::int)::int as failed, sum(e.bytes)::bigint as bytes,
			sum(e.seconds) as seconds, sum(e.tokens)::bigint as tokens, sum(e.cost) as cost
		from errand e left join desk d on d.id = e.desk
		where e.made_at >= $1 and e.made_at < $2 and ($3 = '' or d.slug = $3) group by 1 order by 1 limit $4`,
		from, to, desk, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.ErrandSum])
}

// Purge takes off the trays what no conversation rests on: versions that are not the
// newest, and works that nobody asked for since a time. It returns how many
// documents went.
func (s *Errands) Purge(ctx context.Context, before time.Time) (int64, error) {
	var gone int64
	err := pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `delete from errand e where e.made_at < $1
			and not exists (select from conversation where id = e.conversation)`, before); err != nil {
			return err
		}
		rows, err := tx.Query(ctx, `delete from document d using shelf f where f.id = d.shelf and f.tray
			and not exists (select from errand_document where document = d.id)
			and (d.work is null or exists (select from work w where w.id = d.work and w.checked_at < $1))
			returning d.hash`, before)
		if err != nil {
			return err
		}
		hashes, err := pgx.CollectRows(rows, pgx.RowTo[[]byte])
		if err != nil {
			return err
		}
		gone = int64(len(hashes))
		if _, err := tx.Exec(ctx, `select content_goes($1)`, hashes); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `delete from work w where not exists (select from document where work = w.id)`); err != nil {
			return err
		}
		if _, err := tx.Exec(ctx, `delete from wanted where day < $1::timestamptz - interval '1 year'`, before); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `delete from led_to where looked_at < $1`, before)
		return err
	})
	return gone, err
}
