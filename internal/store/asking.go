package store

import (
	"context"
	"encoding/json"
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
	batch := &pgx.Batch{}
	if n.Begin {
		batch.Queue(`
			insert into conversation (id, desk, visitor, channel, title, started_at, asked_at)
			values ($1, $2, $3, $4, $5, $6, $6) returning 0`,
			n.Conversation, n.DeskID, n.Visitor[:], n.Channel, n.Title, n.AskedAt)
	} else {
		batch.Queue(`
			update conversation set asked_at = $4 where id = $1 and desk = $2 and visitor = $3
			returning (select coalesce(max(number), 0) from turn where conversation = $1)`,
			n.Conversation, n.DeskID, n.Visitor[:], n.AskedAt)
	}
	batch.Queue(`
		insert into turn (id, conversation, number, visitor, key, question, question_tokens, vocabulary, given, asked_at)
		select $1, c.id, (select coalesce(max(number), 0) + 1 from turn where conversation = c.id), $3, $4, $5, $6, $7, $8, $9
		from conversation c where c.id = $2 and c.visitor = $3 and c.desk = $10`,
		n.ID, n.Conversation, n.Visitor[:], n.Key, n.Question, n.QuestionTokens, n.Vocabulary, n.Given, n.AskedAt, n.DeskID)
	batch.Queue(`
		insert into attempt (turn, number, revision, model, state, instance, started_at)
		select id, 1, $2, $3, 'running', $4, $5 from turn where id = $1`,
		n.ID, n.Revision, n.Model, n.Instance, n.AskedAt)
	queuePast(batch, n.Conversation, n.Begin, 1<<30, n.Remember, n.ID)

	results := s.pool.SendBatch(ctx, batch)
	defer func() {
		if closing := results.Close(); err == nil {
			err = known(closing)
		}
	}()
	if err := results.QueryRow().Scan(&number); err != nil {
		return 0, nil, known(err)
	}
	for range 2 {
		if _, err := results.Exec(); err != nil {
			return 0, nil, known(err)
		}
	}
	past, err = readPast(results, n.Begin)
	return number + 1, past, err
}

// AskAgain opens another running attempt at a turn and returns its number with
// the earlier turns. given is what Ask was given.
func (s *Store) AskAgain(ctx context.Context, t Turn, revision int, model string, instance int32, at time.Time, remember int) (number int, given json.RawMessage, past []Past, err error) {
	batch := &pgx.Batch{}
	batch.Queue(`
		insert into attempt (turn, number, revision, model, state, instance, started_at)
		select $1, max(number) + 1, $2, $3, 'running', $4, $5 from attempt where turn = $1
		returning number, (select given from turn where id = $1)`, t.ID, revision, model, instance, at)
	queuePast(batch, t.Conversation, false, t.Number, remember, t.ID)
	results := s.pool.SendBatch(ctx, batch)
	defer func() {
		if closing := results.Close(); err == nil {
			err = known(closing)
		}
	}()
	if err := results.QueryRow().Scan(&number, &given); err != nil {
		return 0, nil, nil, known(err)
	}
	past, err = readPast(results, false)
	return number, given, past, err
}

// queuePast asks for the turns before one, newest first. A turn counts with
// its newest attempt that has something to remember.
func queuePast(batch *pgx.Batch, conversation uuid.UUID, begin bool, before, limit int, not uuid.UUID) {
	if begin {
		return
	}
	batch.Queue(`
		select t.question, t.question_tokens, t.vocabulary, a.reply, a.memory_tokens
		from turn t join lateral (
			select reply, memory_tokens from attempt
			where turn = t.id and state in ('done', 'stopped') and reply <> ''
			order by number desc limit 1) a on true
		where t.conversation = $1 and t.number < $2 and t.id <> $4
		order by t.number desc limit $3`, conversation, before, limit, not)
}

func readPast(results pgx.BatchResults, begin bool) ([]Past, error) {
	if begin {
		return nil, nil
	}
	rows, err := results.Query()
	if err != nil {
		return nil, err
	}
	var past []Past
	for rows.Next() {
		var p Past
		if err := rows.Scan(&p.Question, &p.QuestionTokens, &p.Vocabulary, &p.Reply, &p.ReplyTokens); err != nil {
			return nil, err
		}
		past = append(past, p)
	}
	for i, j := 0, len(past)-1; i < j; i, j = i+1, j-1 {
		past[i], past[j] = past[j], past[i]
	}
	return past, rows.Err()
}
