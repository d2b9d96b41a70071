package store

import (
	"context"
	"encoding/json"

	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

// Ask puts a question on record with a running first attempt, in one statement.
// It fails with ErrDuplicate if the visitor's key is taken (see TurnByKey),
// with ErrNotFound if the conversation is not the visitor's at this desk, another
// question of it came first, or a reply is being written in it.
func (s *Replies) Ask(ctx context.Context, n record.NewTurn) error {
	conversation := `
		update conversation set asked_at = $10, leaf = $1
		where id = $2 and desk = $18 and visitor = $3 and removed_at is null and leaf is not distinct from $20
			and not exists (select from turn w join attempt a on a.turn = w.id
				where w.conversation = $2 and a.state = 'running')
			returning id`
	arguments := []any{n.DeskID, n.Media, n.Place.Leaf}
	if n.Place.New {
		conversation = `
			insert into conversation (id, desk, visitor, channel, title, started_at, asked_at, leaf)
			values ($2, $18, $3, $20, $21, $10, $10, $1) returning id`
		arguments = []any{n.DeskID, n.Media, n.Channel, n.Title}
	}
	tag, err := s.pool.Exec(ctx, `
		with c as (`+conversation+`),
		t as (
			insert into turn (id, conversation, visitor, key, number, question, question_tokens, vocabulary, supplied,
				asked_at, parent, media)
			select $1::uuid, c.id, $3::bytea, $4::text, $5::int, $6::text, $7::int, $8::text, $9::jsonb,
				$10::timestamptz, $15::uuid, $19::uuid[] from c
			returning id)
		insert into attempt (turn, number, revision, model, state, instance, started_at, choice, recipe, inputs)
		select t.id, 1, $11::int, $12::text, 'running', $13::int, $10, $14::jsonb, $16::text, $17::jsonb from t`,
		append([]any{
			n.ID, n.Conversation, n.Visitor[:], n.Key, n.Place.Number, n.Question, n.QuestionTokens, n.Vocabulary,
			n.Supplied, n.AskedAt,
			n.Revision, n.Model, n.Instance, n.Choice, n.Place.Parent, n.Recipe, n.Inputs,
		}, arguments...)...)
	if err == nil && tag.RowsAffected() == 0 {
		return record.ErrNotFound
	}
	return known(err)
}

// AskAgain opens another running attempt at a turn and returns its number with
// what came before. given and takes are what Ask was given. It fails with ErrNotFound if
// a reply is being written in the turn's conversation.
func (s *Replies) AskAgain(ctx context.Context, t record.Turn, n record.Again) (number int, supplied,
	inputs json.RawMessage, past record.Past, err error) {
	batch := &pgx.Batch{}
	// First: whoever else asks in the conversation waits for this one.
	batch.Queue(`select from conversation where id = $1 for update`, t.Conversation)
	const free = `not exists (select from turn w join attempt a on a.turn = w.id
		where w.conversation = (select conversation from turn where id = $1) and a.state = 'running')`
	batch.Queue(`update turn set chosen = null where id = $1 and `+free, t.ID)
	batch.Queue(`
		insert into attempt (turn, number, revision, model, state, instance, started_at, choice, recipe, inputs)
		select $1, max(number) + 1, $2, $3, 'running', $4, $5, $6, $7, (select inputs from attempt
			where turn = $1 and number = 1) from attempt where turn = $1 having `+free+`
		returning number, (select supplied from turn
			where id = $1), inputs`, t.ID, n.Revision, n.Model, n.Instance, n.At, n.Choice, n.Recipe)
	batch.Queue(forgetSummaries, t.Conversation, t.Number)
	queuePast(batch, `select t.id, t.parent, 1 from turn t where t.id = (select parent from turn
		where id = $1)`, n.Remember, t.ID)
	results := s.pool.SendBatch(ctx, batch)
	defer func() {
		if closing := results.Close(); err == nil {
			err = known(closing)
		}
	}()
	for range 2 {
		if _, err := results.Exec(); err != nil {
			return 0, nil, nil, past, err
		}
	}
	if err := results.QueryRow().Scan(&number, &supplied, &inputs); err != nil {
		return 0, nil, nil, past, known(err)
	}
	if _, err := results.Exec(); err != nil {
		return 0, nil, nil, past, err
	}
	past, err = readPast(results)
	return number, supplied, inputs, past, err
}

// forgetSummaries drops the summaries that cover turn number $2, whose reply
// is another now.
const forgetSummaries = `delete from summary where conversation = $1 and turns >= $2`

// KeepSummary puts a summary on record, if the conversation still has the turn
// it leads up to.
func (s *Replies) KeepSummary(ctx context.Context, m record.Summary) error {
	_, err := s.pool.Exec(ctx, `
		insert into summary (upto, conversation, turns, text, tokens, vocabulary, model, made_at)
		select $1, $2, $3, $4, $5, $6, $7, $8 where exists (select from turn where id = $1)
		on conflict (upto) do update set text = excluded.text, tokens = excluded.tokens,
			vocabulary = excluded.vocabulary, model = excluded.model, made_at = excluded.made_at`,
		m.Upto, m.Conversation, m.Turns, m.Text, m.Tokens, m.Vocabulary, m.Model, m.MadeAt)
	return err
}
