package store

import (
	"context"
	"crypto/sha256"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"
)

// Revision is one published state of a desk.
type Revision struct {
	DeskID int64
	Slug   string
	Number int
	File   string // the desk file's text
	MadeBy string
	MadeAt time.Time
}

// DeskSummary is a desk as a list shows it.
type DeskSummary struct {
	Revision           // the published one
	Revisions      int // how many there are
	QuestionsToday int
	LastAsked      *time.Time
}

// Publish makes file the published revision of the desk slug and creates the
// desk if need be. A file equal to the published one makes no new revision:
// fresh is then false.
func (s *Store) Publish(ctx context.Context, slug, file, by string) (r Revision, fresh bool, err error) {
	digest := sha256.Sum256([]byte(file))
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var published *int
		row := tx.QueryRow(ctx, `
			insert into desk (slug) values ($1)
			on conflict (slug) do update set slug = excluded.slug
			returning id, published`, slug)
		if err := row.Scan(&r.DeskID, &published); err != nil {
			return err
		}
		if published != nil {
			row := tx.QueryRow(ctx, `select number from revision where desk = $1 and number = $2 and digest = $3`, r.DeskID, *published, digest[:])
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
			insert into revision (desk, number, file, digest, made_by)
			select $1, coalesce(max(number), 0) + 1, $2, $3, $4 from revision where desk = $1
			returning number`, r.DeskID, file, digest[:], by)
		if err := row.Scan(&r.Number); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, `update desk set published = $2 where id = $1`, r.DeskID, r.Number)
		return err
	})
	if err != nil {
		return Revision{}, false, fmt.Errorf("publish desk %q: %w", slug, err)
	}
	r, err = s.Revision(ctx, slug, r.Number)
	return r, fresh, err
}

const revisionColumns = `d.id, d.slug, r.number, r.file, r.made_by, r.made_at`

func scanRevision(row pgx.Row) (r Revision, err error) {
	err = row.Scan(&r.DeskID, &r.Slug, &r.Number, &r.File, &r.MadeBy, &r.MadeAt)
	return r, known(err)
}

// Published returns the published revision of a desk.
func (s *Store) Published(ctx context.Context, slug string) (Revision, error) {
	return scanRevision(s.pool.QueryRow(ctx, `
		select `+revisionColumns+` from desk d join revision r on r.desk = d.id and r.number = d.published
		where d.slug = $1`, slug))
}

// Revision returns one revision of a desk.
func (s *Store) Revision(ctx context.Context, slug string, number int) (Revision, error) {
	return scanRevision(s.pool.QueryRow(ctx, `
		select `+revisionColumns+` from desk d join revision r on r.desk = d.id
		where d.slug = $1 and r.number = $2`, slug, number))
}

// Revisions returns all revisions of a desk, the newest first.
func (s *Store) Revisions(ctx context.Context, slug string) ([]Revision, error) {
	rows, err := s.pool.Query(ctx, `
		select `+revisionColumns+` from desk d join revision r on r.desk = d.id
		where d.slug = $1 order by r.number desc`, slug)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (Revision, error) { return scanRevision(row) })
}

// Desks returns the published desks in the order of their slugs. since is when
// today began.
func (s *Store) Desks(ctx context.Context, since time.Time) ([]DeskSummary, error) {
	rows, err := s.pool.Query(ctx, `
		select `+revisionColumns+`,
		       (select count(*) from revision where desk = d.id),
		       (select count(*) from turn t join conversation c on c.id = t.conversation where c.desk = d.id and t.asked_at >= $1),
		       (select max(c.asked_at) from conversation c where c.desk = d.id)
		from desk d join revision r on r.desk = d.id and r.number = d.published
		order by d.slug`, since)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (d DeskSummary, err error) {
		r := &d.Revision
		err = row.Scan(&r.DeskID, &r.Slug, &r.Number, &r.File, &r.MadeBy, &r.MadeAt, &d.Revisions, &d.QuestionsToday, &d.LastAsked)
		return d, err
	})
}
