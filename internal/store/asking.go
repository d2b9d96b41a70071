package store

import (
	"context"
	"encoding/json"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// NewTurn is a question about to go on record.
type NewTurn struct {
	ID             uuid.UUID
	Conversation   uuid.UUID
	Begin          bool // the conversation is new
	DeskID         int64
	Revision       int
	Visitor        Visitor
	Channel        string // page, api or completions; for a new conversation
	Title          string // for a new conversation
	Key            string
	Question       string
	QuestionTokens int
	Vocabulary     string
	Given          json.RawMessage // or nil
	Model          string
	Instance       int32
	AskedAt        time.Time
	Remember       int // the most earlier turns to return
}

// Past is an earlier turn as memory needs it. Tokens are 0 where Vocabulary
// differs from the one that asks: they must be counted anew.
type Past struct {
	Question, Reply             string
	QuestionTokens, ReplyTokens int
	Vocabulary                  string
}

// Ask puts a question on record with a running first attempt and returns the
// turn's number with the earlier turns of its conversation, oldest first; all
// in one round trip and one transaction. It fails with ErrDuplicate if the
// visitor's key is taken (see TurnByKey) or another question of the
// conversation came first, with ErrNotFound if the conversation is not the
// visitor's at this desk.
func (s *Store) Ask(ctx context.Context, n NewTurn) (number int, past []Past, err error) {
	if n.Begin {
		_, err := s.pool.Exec(ctx, `
			with c as (
				insert into conversation (id, desk, visitor, channel, title, started_at, asked_at)
				values ($2, $14, $3, $15, $16, $9, $9) returning id),
			`+insertTurn+` 1 from c returning id)
			`+insertAttempt, append(n.turnArguments(), n.DeskID, n.Channel, n.Title)...)
		return 1, nil, known(err)
	}
	rows, err := s.pool.Query(ctx, `
		with c as (
			update conversation set asked_at = $9 where id = $2 and desk = $14 and visitor = $3 returning id),
		`+insertTurn+` (select coalesce(max(number), 0) + 1 from turn where conversation = c.id) from c returning id, number),
		a as (`+insertAttempt+`)
		select t.number, p.question, p.question_tokens, p.vocabulary, p.reply, p.memory_tokens
		from t left join lateral (`+pastTurns+`) p on true`, append(n.turnArguments(), n.DeskID, n.Remember, 1<<30)...)
	if err != nil {
		return 0, nil, known(err)
	}
	defer rows.Close()
	for rows.Next() {
		if number, past, err = appendPast(rows, past); err != nil {
			return 0, nil, err
		}
	}
	if rows.Err() == nil && number == 0 {
		return 0, nil, ErrNotFound
	}
	slices.Reverse(past)
	return number, past, known(rows.Err())
}

// The parts of Ask and AskAgain that put a turn and an attempt on record.
const (
	insertTurn = `t as (
		insert into turn (id, conversation, visitor, key, question, question_tokens, vocabulary, given, asked_at, number)
		select $1::uuid, c.id, $3::bytea, $4::text, $5::text, $6::int, $7::text, $8::jsonb, $9::timestamptz,`
	insertAttempt = `
		insert into attempt (turn, number, revision, model, state, instance, started_at)
		select t.id, 1, $10::int, $11::text, 'running', $12::int, $13::timestamptz from t`
	// pastTurns reads the turns before one, newest first. A turn counts with
	// its newest attempt that has something to remember.
	pastTurns = `
		select e.question, e.question_tokens, e.vocabulary, b.reply, b.memory_tokens
		from turn e join lateral (
			select reply, memory_tokens from attempt
			where turn = e.id and state in ('done', 'stopped') and reply <> ''
			order by number desc limit 1) b on true
		where e.conversation = $2 and e.number < $16
		order by e.number desc limit $15`
)

// turnArguments are the parameters $1 to $13 of insertTurn and insertAttempt.
func (n NewTurn) turnArguments() []any {
	return []any{
		n.ID, n.Conversation, n.Visitor[:], n.Key, n.Question, n.QuestionTokens, n.Vocabulary, n.Given, n.AskedAt,
		n.Revision, n.Model, n.Instance, n.AskedAt,
	}
}

// appendPast reads a row of a number and a past turn, which may be missing.
func appendPast(row pgx.Row, past []Past) (int, []Past, error) {
	var number int
	var question, vocabulary, reply *string
	var questionTokens, replyTokens *int
	if err := row.Scan(&number, &question, &questionTokens, &vocabulary, &reply, &replyTokens); err != nil {
		return 0, nil, err
	}
	if question != nil {
		past = append(past, Past{*question, *reply, *questionTokens, *replyTokens, *vocabulary})
	}
	return number, past, nil
}

// AskAgain opens another running attempt at a turn and returns its number with
// the earlier turns. given is what Ask was given.
func (s *Store) AskAgain(ctx context.Context, t Turn, revision int, model string, instance int32, at time.Time, remember int) (number int, given json.RawMessage, past []Past, err error) {
	batch := &pgx.Batch{}
	batch.Queue(`
		insert into attempt (turn, number, revision, model, state, instance, started_at)
		select $1, max(number) + 1, $2, $3, 'running', $4, $5 from attempt where turn = $1
		returning number, (select given from turn where id = $1)`, t.ID, revision, model, instance, at)
	// The numbers of the parameters are those that pastTurns shares with Ask.
	batch.Queue(strings.NewReplacer("$2", "$1", "$16", "$2", "$15", "$3").Replace(`select 0, p.* from (`+pastTurns+`) p`), t.Conversation, t.Number, remember)
	results := s.pool.SendBatch(ctx, batch)
	defer func() {
		if closing := results.Close(); err == nil {
			err = known(closing)
		}
	}()
	if err := results.QueryRow().Scan(&number, &given); err != nil {
		return 0, nil, nil, known(err)
	}
	rows, err := results.Query()
	if err != nil {
		return 0, nil, nil, err
	}
	defer rows.Close()
	for rows.Next() {
		if _, past, err = appendPast(rows, past); err != nil {
			return 0, nil, nil, err
		}
	}
	slices.Reverse(past)
	return number, given, past, rows.Err()
}
