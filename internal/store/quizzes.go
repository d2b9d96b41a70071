package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

const quizColumns = `q.id, q.content, q.edition, q.take, q.results, q.names, q.made_by, q.made_at,
	q.withdrawn_at is not null, (select count(*) from quiz_sitting s where s.quiz = q.id and s.ended_at is not null)`

func scanQuiz(row pgx.CollectableRow) (q record.GivenQuiz, err error) {
	var content []byte
	err = row.Scan(&q.ID, &content, &q.Edition, &q.Take, &q.Results, &q.Names, &q.MadeBy, &q.MadeAt, &q.Withdrawn,
		&q.Sittings)
	if err == nil {
		err = json.Unmarshal(content, &q.Content)
	}
	return q, err
}

// AddQuiz puts a quiz on record.
func (s *Quizzes) AddQuiz(ctx context.Context, q record.GivenQuiz) error {
	content, err := json.Marshal(q.Content)
	if err != nil {
		return err
	}
	_, err = s.pool.Exec(ctx, `insert into quiz (id, content, take, results, names, made_by, made_at)
		values ($1, $2, $3, $4, $5, $6, $7)`, q.ID, content, q.Take, q.Results, q.Names, q.MadeBy, q.MadeAt)
	return err
}

// ChangeQuiz puts other questions into a quiz, as its next edition.
func (s *Quizzes) ChangeQuiz(ctx context.Context, q record.GivenQuiz) error {
	content, err := json.Marshal(q.Content)
	if err != nil {
		return err
	}
	return s.one(ctx, `update quiz set content = $2, names = $3, edition = edition + 1 where id = $1`, q.ID, content,
		q.Names)
}

// WithdrawQuiz has a quiz taken no more, or again.
func (s *Quizzes) WithdrawQuiz(ctx context.Context, id uuid.UUID, at *time.Time) error {
	return s.one(ctx, `update quiz set withdrawn_at = $2 where id = $1`, id, at)
}

// Quizzes are all, the newest first.
func (s *Quizzes) Quizzes(ctx context.Context) ([]record.GivenQuiz, error) {
	rows, err := s.pool.Query(ctx, `select `+quizColumns+` from quiz q order by q.made_at desc limit 500`)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanQuiz)
}

// Quiz returns one by its id, or by what its links end with.
func (s *Quizzes) Quiz(ctx context.Context, id uuid.UUID, take, results string) (record.GivenQuiz, error) {
	rows, err := s.pool.Query(ctx, `select `+quizColumns+` from quiz q
		where q.id = $1 or $2 <> '' and q.take = $2 or $3 <> '' and q.results = $3 limit 1`, id, take, results)
	if err != nil {
		return record.GivenQuiz{}, err
	}
	q, err := pgx.CollectExactlyOneRow(rows, scanQuiz)
	return q, known(err)
}

const sittingColumns = `id, quiz, edition, visitor, name, try, answers, coalesce(score, 0), began_at, ended_at`

func scanSitting(row pgx.CollectableRow) (t record.Sitting, err error) {
	var visitor []byte
	err = row.Scan(&t.ID, &t.Quiz, &t.Edition, &visitor, &t.Name, &t.Try, &t.Answers, &t.Score, &t.Began, &t.Ended)
	copy(t.Visitor[:], visitor)
	return t, err
}

// BeginSitting puts a sitting on record, as the visitor's next try.
func (s *Quizzes) BeginSitting(ctx context.Context, t record.Sitting) (record.Sitting, error) {
	err := s.pool.QueryRow(ctx, `insert into quiz_sitting (id, quiz, edition, visitor, name, try, began_at)
		select $1, $2, $3, $4, $5, 1 + count(*), $6 from quiz_sitting where quiz = $2 and visitor = $4 returning try`,
		t.ID, t.Quiz, t.Edition, t.Visitor[:], t.Name, t.Began).Scan(&t.Try)
	return t, err
}

// Sitting returns a sitting of a visitor's.
func (s *Quizzes) Sitting(ctx context.Context, id uuid.UUID, visitor record.Visitor) (record.Sitting, error) {
	rows, err := s.pool.Query(ctx, `select `+sittingColumns+` from quiz_sitting where id = $1 and visitor = $2`, id,
		visitor[:])
	if err != nil {
		return record.Sitting{}, err
	}
	t, err := pgx.CollectExactlyOneRow(rows, scanSitting)
	return t, known(err)
}

// EndSitting puts answers on record, once: what was handed in stays.
func (s *Quizzes) EndSitting(ctx context.Context, t record.Sitting) error {
	return s.one(ctx, `update quiz_sitting set answers = $2, score = $3, ended_at = $4 where id = $1 and ended_at is null`,
		t.ID, t.Answers, t.Score, t.Ended)
}

// Sittings are those of a quiz that have ended, the oldest first.
func (s *Quizzes) Sittings(ctx context.Context, quiz uuid.UUID) ([]record.Sitting, error) {
	rows, err := s.pool.Query(ctx, `select `+sittingColumns+` from quiz_sitting
		where quiz = $1 and ended_at is not null order by began_at limit 10000`, quiz)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanSitting)
}
