package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

const runColumns = `r.id, coalesce(r.quiz, '00000000-0000-0000-0000-000000000000'), r.content, r.candidates, r.times, r.anew,
	r.resumed, r.state, r.made_by, r.made_at, r.ended_at, (select count(*) from run_answer a where a.run = r.id)`

func scanRun(row pgx.CollectableRow) (r record.Run, err error) {
	var content, candidates []byte
	err = row.Scan(&r.ID, &r.Quiz, &content, &candidates, &r.Times, &r.Anew, &r.Resumed, &r.State, &r.MadeBy,
		&r.MadeAt, &r.EndedAt,
		&r.Answered)
	if err == nil {
		err = json.Unmarshal(content, &r.Content)
	}
	if err == nil {
		err = json.Unmarshal(candidates, &r.Candidates)
	}
	return r, err
}

// Begin puts a run on record that an instance runs.
func (s *Runs) Begin(ctx context.Context, r record.Run, instance int32) error {
	content, err := json.Marshal(r.Content)
	if err != nil {
		return err
	}
	candidates, err := json.Marshal(r.Candidates)
	if err != nil {
		return err
	}
	var given *uuid.UUID
	if r.Quiz != uuid.Nil {
		given = &r.Quiz
	}
	_, err = s.pool.Exec(ctx, `insert into run (id, quiz, content, candidates, times, anew, state, runner, made_by, made_at)
		values ($1, $2, $3, $4, $5, $6, 'running', $7, $8, $9)`, r.ID, given, content, candidates, r.Times, r.Anew, instance,
		r.MadeBy, r.MadeAt)
	return err
}

// Run returns a run.
func (s *Runs) Run(ctx context.Context, id uuid.UUID) (record.Run, error) {
	rows, err := s.pool.Query(ctx, `select `+runColumns+` from run r where r.id = $1`, id)
	if err != nil {
		return record.Run{}, err
	}
	r, err := pgx.CollectExactlyOneRow(rows, scanRun)
	return r, known(err)
}

// Runs are those of a quiz that was given, or with the zero id all, the newest first.
func (s *Runs) Runs(ctx context.Context, quiz uuid.UUID) ([]record.Run, error) {
	rows, err := s.pool.Query(ctx, `select `+runColumns+` from run r where $1::uuid = $2::uuid or r.quiz = $1
		order by r.made_at desc limit 200`, quiz, uuid.Nil)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanRun)
}

// Orphans are running runs whose instance is no more.
func (s *Runs) Orphans(ctx context.Context) ([]record.Run, error) {
	rows, err := s.pool.Query(ctx, `select `+runColumns+` from run r where r.state = 'running' and not `+
		lives("$1", "r.runner"), lockSpace)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanRun)
}

// Claim has an instance run a run whose instance is no more.
func (s *Runs) Claim(ctx context.Context, id uuid.UUID, instance int32) (bool, error) {
	tag, err := s.pool.Exec(ctx, `update run set runner = $3 where id = $2 and state = 'running' and not `+
		lives("$1", "run.runner"), lockSpace, id, instance)
	return tag.RowsAffected() == 1, err
}

// End says that a run is over; it returns ErrNotFound where it was already.
func (s *Runs) End(ctx context.Context, id uuid.UUID, state record.RunState, at time.Time) error {
	return s.one(ctx, `update run set state = $2, ended_at = $3 where id = $1 and state = 'running'`, id, state, at)
}

// Resume has an instance go on with a run that is over: what failed is forgotten. It returns
// ErrNotFound where the run goes on.
func (s *Runs) Resume(ctx context.Context, id uuid.UUID, instance int32) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `update run set state = 'running', ended_at = null, runner = $2, resumed = resumed + 1
			where id = $1 and state <> 'running'`, id, instance)
		if err == nil && tag.RowsAffected() == 0 {
			return record.ErrNotFound
		}
		if err == nil {
			_, err = tx.Exec(ctx, `delete from run_answer where run = $1 and problem <> '{}'`, id)
		}
		return err
	})
}

// Goes reports whether a run goes on at an instance.
func (s *Runs) Goes(ctx context.Context, id uuid.UUID, instance int32) (goes bool, err error) {
	err = s.pool.QueryRow(ctx, `select exists (select from run where id = $1 and state = 'running' and runner = $2)`, id,
		instance).Scan(&goes)
	return goes, err
}

// Remove removes a run with the conversations, of one visitor, in which it asked, unless
// another run still shows them.
func (s *Runs) Remove(ctx context.Context, id uuid.UUID, visitor record.Visitor) error {
	return pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		tag, err := tx.Exec(ctx, `delete from run where id = $1`, id)
		if err == nil && tag.RowsAffected() == 0 {
			return record.ErrNotFound
		}
		if err == nil {
			_, err = tx.Exec(ctx, `delete from run_kept where turn in (select t.id from turn t
				join conversation c on c.id = t.conversation where c.visitor = $1 and c.channel = 'run'
				and not exists (select from run_answer a where a.turn = t.id))`, visitor[:])
		}
		if err == nil {
			_, err = tx.Exec(ctx, `delete from conversation c where c.visitor = $1 and c.channel = 'run' and not exists (
				select from turn t join run_answer a on a.turn = t.id where t.conversation = c.id)`, visitor[:])
		}
		return err
	})
}

// Answer puts an answer on record, once.
func (s *Runs) Answer(ctx context.Context, run uuid.UUID, a record.RunAnswer) error {
	_, err := s.pool.Exec(ctx, `insert into run_answer (run, candidate, question, time, chosen, said, problem, turn, kept,
			tokens, cost, seconds)
		values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12) on conflict do nothing`, run, a.Candidate, a.Question, a.Time,
		a.Chosen, a.Said, a.Problem, a.Turn, a.Kept, a.Tokens, a.Cost, a.Seconds)
	return err
}

// Answers are those of a run, by question, candidate and time.
func (s *Runs) Answers(ctx context.Context, run uuid.UUID) ([]record.RunAnswer, error) {
	rows, err := s.pool.Query(ctx, `select candidate, question, time, chosen, said, problem, turn, kept, tokens, cost, seconds
		from run_answer where run = $1 order by question, candidate, time`, run)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[record.RunAnswer])
}

// KeptAnswer is what was said when just this was asked before, if its turn is still there.
func (s *Runs) KeptAnswer(ctx context.Context, key []byte) (record.KeptAnswer, error) {
	rows, err := s.pool.Query(ctx, `select said, turn, tokens, seconds, made_at from run_kept k
		where key = $1 and exists (select from turn where id = k.turn)`, key)
	if err != nil {
		return record.KeptAnswer{}, err
	}
	a, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[record.KeptAnswer])
	return a, known(err)
}

// KeepAnswer keeps what was said, in the place of what was kept before.
func (s *Runs) KeepAnswer(ctx context.Context, key []byte, a record.KeptAnswer) error {
	_, err := s.pool.Exec(ctx, `insert into run_kept (key, said, turn, tokens, seconds, made_at)
		values ($1, $2, $3, $4, $5, $6) on conflict (key) do update set said = $2, turn = $3, tokens = $4, seconds = $5,
		made_at = $6`, key, a.Said, a.Turn, a.Tokens, a.Seconds, a.MadeAt)
	return err
}
