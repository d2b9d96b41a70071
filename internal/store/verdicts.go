package store

import (
	"context"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

// Judge notes a visitor's verdict on an attempt at their turn.
func (s *Conversations) Judge(ctx context.Context, turn uuid.UUID, visitor record.Visitor, attempt int,
	v record.Verdict, at time.Time) error {
	return s.one(ctx, `
		update attempt set helped = $4, reason = $5, remark = $6,
			judged_at = case when $4::bool is not null then $7::timestamptz end
		where turn = $1 and number = $3 and exists (select from turn where id = $1 and visitor = $2)`,
		turn, visitor[:], attempt, v.Helped, v.Reason, v.Remark, at)
}

// Prefer makes one of several texts the reply. It fails with ErrNotFound if
// the attempt is not the visitor's, still runs, or has no such text.
func (s *Conversations) Prefer(ctx context.Context, turn uuid.UUID, visitor record.Visitor, attempt, lane,
	memoryTokens int) error {
	err := pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var conversation uuid.UUID
		var number int
		err := tx.QueryRow(ctx, `
			update attempt a set preferred = $4::int, reply = lanes->$4::int->>'text', memory_tokens = $5
			from turn t where t.id = a.turn and a.turn = $1 and t.visitor = $2 and a.number = $3
				and a.state <> 'running' and lanes->$4::int->>'text' <> ''
			returning t.conversation, t.number`, turn, visitor[:], attempt, lane, memoryTokens).Scan(&conversation,
			&number)
		if err == nil {
			_, err = tx.Exec(ctx, forgetSummaries, conversation, number)
		}
		return known(err)
	})
	if err == nil {
		err = s.IndexWords(ctx, []uuid.UUID{turn})
	}
	return err
}

// Judgements returns judged replies, the newest verdict first.
func (s *Verdicts) Judgements(ctx context.Context, f record.JudgedFilter) ([]record.Judged, error) {
	rows, err := s.pool.Query(ctx, `
		select a.turn, a.number as attempt, t.conversation, d.slug, t.question, a.reply, a.model, a.revision,
			a.helped, a.reason, a.remark, a.judged_at,
			coalesce(f.cause, '') as cause, coalesce(f.note, '') as note, coalesce(f.done, false) as done,
			coalesce(f.changed_by, '') as changed_by, f.changed_at,
			(select id from trace r where r.turn = a.turn and r.attempt = a.number and r.kind = 'reply') as trace,
			t.media || array(select id from media m where m.turn = t.id and m.origin = 'made' and m.removed_at is null
				order by m.added_at, m.id) as pictures
		from attempt a join turn t on t.id = a.turn join conversation c on c.id = t.conversation
			join desk d on d.id = c.desk
			left join finding f on f.turn = a.turn and f.attempt = a.number
		where a.helped is not null and a.judged_at is not null and c.removed_at is null and c.channel in ('page', 'api', 'completions')
			and ($1 = '' or d.slug = $1) and ($2::bool is null or a.helped = $2)
			and ($3::bool is null or coalesce(f.done, false) = $3) and ($4 = '' or coalesce(f.cause, '') = $4)
			and a.judged_at < coalesce($5, 'infinity'::timestamptz)
		order by a.judged_at desc limit $6`, f.Desk, f.Helped, f.Done, f.Cause, f.Before, f.Limit)
	if err != nil {
		return nil, err
	}
	return collect(rows, func(j *record.Judged) columns {
		return columns{
			"turn": &j.Turn, "attempt": &j.Attempt, "conversation": &j.Conversation, "slug": &j.Slug,
			"question": &j.Question, "reply": &j.Reply,
			"model": &j.Model, "revision": &j.Revision, "helped": &j.Helped, "reason": &j.Reason, "remark": &j.Remark,
			"judged_at": &j.JudgedAt,
			"cause":     &j.Finding.Cause, "note": &j.Finding.Note, "done": &j.Finding.Done,
			"changed_by": &j.Finding.ChangedBy, "changed_at": &j.Finding.ChangedAt, "trace": &j.Trace,
			"pictures": &j.Pictures,
		}
	})
}

// Find keeps what a maker found out about a judged reply.
func (s *Verdicts) Find(ctx context.Context, turn uuid.UUID, attempt int, f record.Finding, at time.Time) error {
	return s.one(ctx, `
		insert into finding (turn, attempt, cause, note, done, changed_by, changed_at)
		select turn, number, $3, $4, $5, $6, $7 from attempt where turn = $1 and number = $2 and helped is not null
		on conflict (turn, attempt) do update set cause = excluded.cause, note = excluded.note, done = excluded.done,
			changed_by = excluded.changed_by, changed_at = excluded.changed_at`,
		turn, attempt, f.Cause, f.Note, f.Done, f.ChangedBy, at)
}

// Causes counts the replies that did not help, by week and cause.
func (s *Verdicts) Causes(ctx context.Context, desk string, since time.Time) ([]record.CauseCount, error) {
	rows, err := s.pool.Query(ctx, `
		select date_trunc('week', a.judged_at) as week, coalesce(f.cause, '') as cause, count(*)
		from attempt a join turn t on t.id = a.turn join conversation c on c.id = t.conversation
			join desk d on d.id = c.desk
			left join finding f on f.turn = a.turn and f.attempt = a.number
		where a.helped = false and a.judged_at >= $2 and c.channel in ('page', 'api', 'completions') and ($1 = '' or d.slug = $1)
		group by 1, 2 order by 1, 2`, desk, since)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.CauseCount])
}

// Preferences counts what visitors of a desk preferred, by title and model.
func (s *Verdicts) Preferences(ctx context.Context, desk string) ([]record.Preference, error) {
	rows, err := s.pool.Query(ctx, `
		select coalesce(l.lane->>'title', '') as title, coalesce(l.lane->>'model', '') as model, count(*) as shown,
			count(*) filter (where a.preferred = l.place - 1) as preferred
		from attempt a join turn t on t.id = a.turn join conversation c on c.id = t.conversation,
			jsonb_array_elements(a.lanes) with ordinality as l (lane, place)
		where c.desk = (select id from desk where slug = $1) and c.channel in ('page', 'api', 'completions') and a.preferred is not null
		group by 1, 2 order by 4 desc, 1`, desk)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.Preference])
}
