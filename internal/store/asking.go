package store

import (
	"context"
	"encoding/json"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// NewTurn is a question about to go on record.
type NewTurn struct {
	ID             uuid.UUID
	Conversation   uuid.UUID
	Number         int // 1 begins the conversation
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
}

// Past is an earlier turn as memory needs it. Tokens are 0 where Vocabulary
// differs from the one that asks: they must be counted anew.
type Past struct {
	Question, Reply             string
	QuestionTokens, ReplyTokens int
	Vocabulary                  string
}

// Past returns the earlier turns of a visitor's conversation at a desk, oldest
// first and at most limit, and the number that its next turn will have. It
// fails with ErrNotFound if there is no such conversation.
func (s *Store) Past(ctx context.Context, conversation uuid.UUID, desk int64, visitor Visitor, limit int) (past []Past, next int, err error) {
	rows, err := s.pool.Query(ctx, `
		select (select coalesce(max(number), 0) + 1 from turn where conversation = c.id),
			p.question, p.question_tokens, p.vocabulary, p.reply, p.memory_tokens
		from conversation c left join lateral (`+pastTurns+`) p on true
		where c.id = $1 and c.desk = $4 and c.visitor = $5 and c.removed_at is null`, conversation, 1<<30, limit, desk, visitor[:])
	if err != nil {
		return nil, 0, err
	}
	defer rows.Close()
	for rows.Next() {
		if next, past, err = appendPast(rows, past); err != nil {
			return nil, 0, err
		}
	}
	if rows.Err() == nil && next == 0 {
		return nil, 0, ErrNotFound
	}
	slices.Reverse(past)
	return past, next, rows.Err()
}

// pastTurns reads the turns of conversation $1 before number $2, newest first,
// at most $3. A turn counts with the chosen attempt, else the newest, that has
// something to remember.
const pastTurns = `
	select t.question, t.question_tokens, t.vocabulary, b.reply, b.memory_tokens
	from turn t join lateral (
		select reply, memory_tokens from attempt
		where turn = t.id and state in ('done', 'stopped') and reply <> ''
		order by ` + whichCounts + ` limit 1) b on true
	where t.conversation = $1 and t.number < $2
	order by t.number desc limit $3`

// Ask puts a question on record with a running first attempt, in one statement.
// It fails with ErrDuplicate if the visitor's key is taken (see TurnByKey) or
// another question of the conversation came first, with ErrNotFound if the
// conversation is not the visitor's at this desk.
func (s *Store) Ask(ctx context.Context, n NewTurn) error {
	conversation, arguments := `update conversation set asked_at = $10 where id = $2 and desk = $14 and visitor = $3 returning id`, []any{n.DeskID}
	if n.Number == 1 {
		conversation = `
			insert into conversation (id, desk, visitor, channel, title, started_at, asked_at)
			values ($2, $14, $3, $15, $16, $10, $10) returning id`
		arguments = []any{n.DeskID, n.Channel, n.Title}
	}
	tag, err := s.pool.Exec(ctx, `
		with c as (`+conversation+`),
		t as (
			insert into turn (id, conversation, visitor, key, number, question, question_tokens, vocabulary, given, asked_at)
			select $1::uuid, c.id, $3::bytea, $4::text, $5::int, $6::text, $7::int, $8::text, $9::jsonb, $10::timestamptz from c
			returning id)
		insert into attempt (turn, number, revision, model, state, instance, started_at)
		select t.id, 1, $11::int, $12::text, 'running', $13::int, $10 from t`,
		append([]any{
			n.ID, n.Conversation, n.Visitor[:], n.Key, n.Number, n.Question, n.QuestionTokens, n.Vocabulary, n.Given, n.AskedAt,
			n.Revision, n.Model, n.Instance,
		}, arguments...)...)
	if err == nil && tag.RowsAffected() == 0 {
		return ErrNotFound
	}
	return known(err)
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
	batch.Queue(`update turn set chosen = null where id = $1`, t.ID)
	batch.Queue(`select 0, p.* from (`+pastTurns+`) p`, t.Conversation, t.Number, remember)
	results := s.pool.SendBatch(ctx, batch)
	defer func() {
		if closing := results.Close(); err == nil {
			err = known(closing)
		}
	}()
	if err := results.QueryRow().Scan(&number, &given); err != nil {
		return 0, nil, nil, known(err)
	}
	if _, err := results.Exec(); err != nil {
		return 0, nil, nil, err
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
