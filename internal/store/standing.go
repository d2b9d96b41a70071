package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

const standingColumns = `desk, title, asked, looked_at, made_at, problem, content, documents, sections, news,
	conversation, turn, coalesce(share, '')`

func scanStanding(row pgx.CollectableRow) (r record.Standing, err error) {
	err = row.Scan(&r.DeskID, &r.Title, &r.Asked, &r.LookedAt, &r.MadeAt, &r.Problem, &r.Content, &r.Documents,
		&r.Sections,
		&r.News, &r.Conversation, &r.Turn, &r.Share)
	return r, err
}

// Standing are the standing replies of a desk, also of those that its file has no more.
func (s *Standing) Standing(ctx context.Context, desk int64) ([]record.Standing, error) {
	rows, err := s.pool.Query(ctx, `select `+standingColumns+` from standing where desk = $1 order by title`, desk)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanStanding)
}

// Shared is the standing reply whose link ends so.
func (s *Standing) Shared(ctx context.Context, share string) (record.Standing, error) {
	rows, err := s.pool.Query(ctx, `select `+standingColumns+` from standing where share = $1`, share)
	if err != nil {
		return record.Standing{}, err
	}
	r, err := pgx.CollectExactlyOneRow(rows, scanStanding)
	return r, known(err)
}

// Claim has an instance look after a standing reply, unless another one does; it is put on
// record if it is not there. It returns it as it stands, or ErrNotFound where another looks
// after it or it was looked at since a time, and asks the same.
func (s *Standing) Claim(ctx context.Context, desk int64, title, asked string, since time.Time,
	instance int32) (record.Standing, error) {
	if _, err := s.pool.Exec(ctx, `insert into standing (desk, title) values ($1, $2) on conflict do nothing`, desk,
		title); err != nil {
		return record.Standing{}, err
	}
	rows, err := s.pool.Query(ctx, `update standing set runner = $5
		where desk = $2 and title = $3 and (looked_at is null or looked_at < $4 or asked <> $6)
		and (runner is null or not `+lives("$1", "runner")+`) returning `+standingColumns, lockSpace, desk, title, since,
		instance, asked)
	if err != nil {
		return record.Standing{}, err
	}
	r, err := pgx.CollectExactlyOneRow(rows, scanStanding)
	return r, known(err)
}

// Looked says that a standing reply was looked at and stays as it is; with a problem, why.
func (s *Standing) Looked(ctx context.Context, r record.Standing) error {
	return s.one(ctx, `update standing set runner = null, looked_at = $3, problem = $4, asked = $5 where desk = $1 and title = $2`,
		r.DeskID, r.Title, r.LookedAt, r.Problem, r.Asked)
}

// Keep puts a standing reply in the place of the one before, whose conversation goes; its link
// leads to the new one from now on.
func (s *Standing) Keep(ctx context.Context, r record.Standing) error {
	texts := make([][]byte, 3)
	for i, v := range []any{r.Documents, r.Sections, r.News} {
		var err error
		if texts[i], err = json.Marshal(v); err != nil {
			return err
		}
	}
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var before *uuid.UUID
		err := tx.QueryRow(ctx, `select conversation from standing where desk = $1 and title = $2 for update`, r.DeskID,
			r.Title).Scan(&before)
		if err != nil {
			return known(err)
		}
		if before != nil {
			if _, err := tx.Exec(ctx, `delete from conversation where id = $1`, before); err != nil {
				return err
			}
		}
		if _, err := tx.Exec(ctx, `update standing set runner = null, asked = $3, looked_at = $4, made_at = $5, problem = '{}',
				content = $6, documents = $7, sections = $8, news = $9, conversation = $10, turn = $11, share = $12
			where desk = $1 and title = $2`, r.DeskID, r.Title, r.Asked, r.LookedAt, r.MadeAt, r.Content, texts[0], texts[1],
			texts[2], r.Conversation, r.Turn, r.Share); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `update conversation set share = $2, title = $3 where id = $1`, r.Conversation, r.Share, r.Title)
		return err
	})
}

// Due has the standing replies of a desk looked at in the next round.
func (s *Standing) Due(ctx context.Context, desk int64) error {
	_, err := s.pool.Exec(ctx, `update standing set looked_at = null where desk = $1`, desk)
	return err
}

// DropOthers removes the standing replies of all desks but some.
func (s *Standing) DropOthers(ctx context.Context, but []int64) error {
	_, err := s.pool.Exec(ctx, `with gone as (delete from standing where not desk = any($1) returning conversation)
		delete from conversation where id in (select conversation from gone)`, but)
	return err
}

// Drop removes the standing replies of a desk but those with some titles.
func (s *Standing) Drop(ctx context.Context, desk int64, but []string) error {
	_, err := s.pool.Exec(ctx, `with gone as (delete from standing where desk = $1 and not title = any($2)
			returning conversation)
		delete from conversation where id in (select conversation from gone)`, desk, but)
	return err
}
