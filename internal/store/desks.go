package store

import (
	"context"
	"crypto/sha256"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

// Publish makes file the published revision of the desk slug and creates the
// desk if need be. A file equal to the published one makes no new revision:
// fresh is then false.
//
// A draft that says the same is done with; another one, which somebody may be
// working on, stays.
func (s *Desks) Publish(ctx context.Context, slug, file, note, by string) (r record.Revision, fresh bool, err error) {
	digest := sha256.Sum256([]byte(file))
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var published *int
		if _, err := tx.Exec(ctx, `delete from draft where desk = (select id from desk
			where slug = $1) and file = $2`, slug, file); err != nil {
			return err
		}
		row := tx.QueryRow(ctx, `
			insert into desk (slug) values ($1)
			on conflict (slug) do update set slug = excluded.slug
			returning id, published`, slug)
		if err := row.Scan(&r.DeskID, &published); err != nil {
			return err
		}
		if published != nil {
			row := tx.QueryRow(ctx, `select number from revision
				where desk = $1 and number = $2 and digest = $3`, r.DeskID, *published, digest[:])
			switch err := row.Scan(&r.Number); err {
			case nil:
				return nil
			case pgx.ErrNoRows:
			default:
				return err
			}
		}
		fresh = true
		row = tx.QueryRow(ctx, `
			insert into revision (desk, number, file, digest, made_by, note)
			select $1, coalesce(max(number), 0) + 1, $2, $3, $4, $5 from revision where desk = $1
			returning number`, r.DeskID, file, digest[:], by, note)
		if err := row.Scan(&r.Number); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, `update desk set published = $2 where id = $1`, r.DeskID, r.Number)
		return err
	})
	if err != nil {
		return record.Revision{}, false, fmt.Errorf("publish desk %q: %w", slug, err)
	}
	r, err = s.Revision(ctx, slug, r.Number)
	return r, fresh, err
}

const revisionColumns = `d.id as desk_id, d.slug, r.number, r.file, r.note, r.made_by, r.made_at`

// revision reads the one revision that a condition finds.
func (s *Desks) revision(ctx context.Context, from string, arguments ...any) (r record.Revision, err error) {
	rows, err := s.pool.Query(ctx, `select `+revisionColumns+` from desk d `+from, arguments...)
	if err != nil {
		return r, err
	}
	r, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[record.Revision])
	return r, known(err)
}

// Published returns the published revision of a desk.
func (s *Desks) Published(ctx context.Context, slug string) (record.Revision, error) {
	return s.revision(ctx, `join revision r on r.desk = d.id and r.number = d.published where d.slug = $1`, slug)
}

// Revision returns one revision of a desk.
func (s *Desks) Revision(ctx context.Context, slug string, number int) (record.Revision, error) {
	return s.revision(ctx, `join revision r on r.desk = d.id where d.slug = $1 and r.number = $2`, slug, number)
}

// Revisions returns all revisions of a desk, the newest first.
func (s *Desks) Revisions(ctx context.Context, slug string) ([]record.Revision, error) {
	rows, err := s.pool.Query(ctx, `
		select `+revisionColumns+` from desk d join revision r on r.desk = d.id
		where d.slug = $1 order by r.number desc`, slug)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.Revision])
}

// Return makes an earlier revision the published one. It fails with ErrNotFound
// if there is no such revision.
func (s *Desks) Return(ctx context.Context, slug string, number int) error {
	return s.one(ctx, `
		update desk set published = $2 where slug = $1 and exists (select from revision
			where desk = id and number = $2)`, slug, number)
}

// Withdraw leaves a desk without a published revision.
func (s *Desks) Withdraw(ctx context.Context, slug string) error {
	return s.one(ctx, `update desk set published = null where slug = $1 and published is not null`, slug)
}

// SaveDraft keeps a desk file that is being worked on; the desk need not exist.
// good says that it has no mistakes.
func (s *Desks) SaveDraft(ctx context.Context, slug, file string, good bool, by string, at time.Time) error {
	_, err := s.pool.Exec(ctx, `
		with d as (insert into desk (slug) values ($1) on conflict (slug) do update set slug = excluded.slug
			returning id)
		insert into draft (desk, file, good, changed_by, changed_at)
		select id, $2, case when $3 then $2 end, $4, $5 from d
		on conflict (desk) do update set file = excluded.file, good = coalesce(excluded.good, draft.good),
			changed_by = excluded.changed_by, changed_at = excluded.changed_at`, slug, file, good, by, at)
	return err
}

// Draft returns a desk's draft.
func (s *Desks) Draft(ctx context.Context, slug string) (d record.Draft, err error) {
	rows, err := s.pool.Query(ctx, `
		select d.id as desk_id, d.slug, f.file, coalesce(f.good, '') as good, f.changed_by, f.changed_at
		from desk d join draft f on f.desk = d.id where d.slug = $1`, slug)
	if err != nil {
		return d, err
	}
	d, err = pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[record.Draft])
	return d, known(err)
}

// DropDraft forgets a desk's draft, and the desk if there was nothing else of
// it.
func (s *Desks) DropDraft(ctx context.Context, slug string) error {
	err := s.one(ctx, `delete from draft where desk = (select id from desk where slug = $1)`, slug)
	if err != nil {
		return err
	}
	_, err = s.pool.Exec(ctx, `
		delete from desk d where slug = $1 and not exists (select from revision where desk = d.id)
		and not exists (select from conversation where desk = d.id and channel in ('page', 'api', 'completions'))`, slug)
	return err
}

// Import puts a desk with all its revisions on record; published is 0 for
// none. It fails with ErrDuplicate if there is a desk at the slug.
func (s *Desks) Import(ctx context.Context, slug string, revisions []record.Revision, published int) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var id int64
		if err := tx.QueryRow(ctx, `insert into desk (slug) values ($1) returning id`, slug).Scan(&id); err != nil {
			return known(err)
		}
		for _, r := range revisions {
			digest := sha256.Sum256([]byte(r.File))
			if _, err := tx.Exec(ctx, `
				insert into revision (desk, number, file, digest, note, made_by, made_at)
					values ($1, $2, $3, $4, $5, $6, $7)`,
				id, r.Number, r.File, digest[:], r.Note, r.MadeBy, r.MadeAt); err != nil {
				return known(err)
			}
		}
		_, err := tx.Exec(ctx, `update desk set published = nullif($2, 0) where id = $1`, id, published)
		return err
	})
}

// Desks returns all desks in the order of their slugs. since is when today
// began.
func (s *Desks) Desks(ctx context.Context, since time.Time) ([]record.DeskSummary, error) {
	return s.desks(ctx, since, `true`)
}

// Desk returns one desk.
func (s *Desks) Desk(ctx context.Context, slug string, since time.Time) (record.DeskSummary, error) {
	list, err := s.desks(ctx, since, `d.slug = $2`, slug)
	if err == nil && len(list) == 0 {
		err = record.ErrNotFound
	}
	if err != nil {
		return record.DeskSummary{}, err
	}
	return list[0], nil
}

func (s *Desks) desks(ctx context.Context, since time.Time, where string, arguments ...any) ([]record.DeskSummary,
	error) {
	rows, err := s.pool.Query(ctx, `
		select d.id as desk_id, d.slug, coalesce(d.published, 0) as published, coalesce(r.file, f.file, '') as file,
			(select count(*) from revision where desk = d.id) as revisions,
			coalesce((select max(number) from revision where desk = d.id), 0) as newest,
			coalesce(r.made_by, f.changed_by, '') as changed_by, coalesce(r.made_at, f.changed_at,
				d.created_at) as changed_at,
			f.changed_at as draft,
			(select count(*) from turn t join conversation c on c.id = t.conversation
				where c.desk = d.id and c.asked_at >= $1 and t.asked_at >= $1
					and c.channel in ('page', 'api', 'completions')) as questions_today,
			(select max(c.asked_at) from conversation c where c.desk = d.id and c.channel in ('page', 'api', 'completions')) as last_asked,
			v.judged, v.helped
		from desk d left join revision r on r.desk = d.id
			and r.number = coalesce(d.published, (select max(number) from revision where desk = d.id))
		left join draft f on f.desk = d.id,
		lateral (
			select count(*) as judged, count(*) filter (where a.helped) as helped
			from attempt a join turn t on t.id = a.turn join conversation c on c.id = t.conversation
			where a.helped is not null and c.desk = d.id and c.channel in ('page', 'api', 'completions')
				and a.started_at > $1::timestamptz - interval '29 days') v
		where `+where+` order by d.slug`, append([]any{since}, arguments...)...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.DeskSummary])
}

// Milestones finds out how far a maker is.
func (s *Desks) Milestones(ctx context.Context) (m record.Milestones, err error) {
	rows, err := s.pool.Query(ctx, `
		select exists (select from desk) as written, exists (select from attempt where state = 'done') as asked,
			exists (select from desk where published is not null) as published`)
	if err != nil {
		return m, err
	}
	return pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[record.Milestones])
}

// SlugOf returns the slug of the desk with an id.
func (s *Desks) SlugOf(ctx context.Context, id int64) (slug string, err error) {
	err = s.pool.QueryRow(ctx, `select slug from desk where id = $1`, id).Scan(&slug)
	return slug, known(err)
}
