package store

import (
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

// farthestBack is how many turns of a path are looked at for what is on it.
const farthestBack = 1000

// Past returns what came before a visitor's next question: the newest turns of
// the path, at most limit, and the place that the next turn will have. With
// instead not nil it is what came before that turn, whose place another
// question is to take. It fails with ErrNotFound if there is no such
// conversation or turn.
func (s *Replies) Past(ctx context.Context, conversation uuid.UUID, desk int64, visitor record.Visitor,
	instead *uuid.UUID, limit int) (past record.Past, at record.Place, err error) {
	batch := &pgx.Batch{}
	batch.Queue(`
		select c.leaf, b.parent, coalesce((select number from turn where id = b.parent), 0) + 1
		from conversation c, lateral (
			select c.leaf as parent where $4::uuid is null
			union all select t.parent from turn t where t.id = $4 and t.conversation = c.id) b
		where c.id = $1 and c.desk = $2 and c.visitor = $3
			and c.removed_at is null`, conversation, desk, visitor[:], instead)
	queueStraight(batch, conversation, instead, limit)
	results := s.pool.SendBatch(ctx, batch)
	if err := results.QueryRow().Scan(&at.Leaf, &at.Parent, &at.Number); err != nil {
		results.Close()
		return past, at, known(err)
	}
	past, straight, err := readStraight(results, at.Parent, limit)
	results.Close()
	if straight || err != nil {
		return past, at, err
	}
	batch = &pgx.Batch{}
	queuePast(batch, `select id, parent, 1 from turn where id = $1`, limit, at.Parent)
	results = s.pool.SendBatch(ctx, batch)
	defer results.Close()
	past, err = readPast(results)
	return past, at, err
}

// queueStraight adds the question that readStraight reads. Most conversations
// are one straight path, whose turns need not be followed one by one: it asks
// for the newest turns whatever path they are on, and for the newest summary.
func queueStraight(batch *pgx.Batch, conversation uuid.UUID, instead *uuid.UUID, limit int) {
	batch.Queue(`
		with last as (
			select number from turn where id = case when $2::uuid is null
				then (select leaf from conversation where id = $1) else (select parent from turn where id = $2) end)
		select t.id, t.parent, t.number, t.question, b.reply, t.question_tokens, b.memory_tokens, t.vocabulary,
			`+summaryColumns+`
		from turn t left join lateral (
			select reply, memory_tokens from attempt
			where turn = t.id and state in ('done', 'stopped') and reply <> ''
			order by `+whichCounts+` limit 1) b on true
		left join (select * from summary where conversation = $1 and turns <= (select number from last)
			order by turns desc limit 1) s on true
		where t.conversation = $1 and t.number <= (select number from last) order by t.number desc limit $3`,
		conversation, instead, limit)
}

// readStraight reads what comes before the place after end. It reports false if
// the path is not straight, or a turn has nothing to remember, or the summary
// may stand on another path: the path has to be followed then.
func readStraight(results pgx.BatchResults, end *uuid.UUID, limit int) (past record.Past, straight bool, err error) {
	rows, err := results.Query()
	if err != nil {
		return past, false, err
	}
	straight = true
	var newest summaryRow
	covered := false
	var t record.PastTurn
	var parent *uuid.UUID
	var reply *string
	var tokens *int
	into := newest.into(columns{
		"id": &t.ID, "parent": &parent, "number": &t.Number, "question": &t.Question, "reply": &reply,
		"question_tokens": &t.QuestionTokens, "memory_tokens": &tokens, "vocabulary": &t.Vocabulary,
	})
	err = each(rows, into, func() error {
		if end == nil || t.ID != *end || reply == nil {
			straight = false
			return nil
		}
		t.Reply, t.ReplyTokens = *reply, *tokens
		past.Turns = append(past.Turns, t)
		covered = covered || newest.is(end) || newest.is(parent)
		end = parent
		return nil
	})
	slices.Reverse(past.Turns)
	if past.Summary = newest.summary(); past.Summary != nil && !covered {
		straight = false
	}
	return past, straight && (end == nil || len(past.Turns) == limit), err
}

// queuePast adds the question that readPast reads: for the newest turns of the
// path that ends with a turn, and for the newest summary on it. end selects
// that turn: its id, its parent and 1. A turn counts with the chosen attempt,
// else the newest, that has something to remember.
//
// The path is written out here instead of calling path_to, which PostgreSQL
// would plan anew for every question.
func queuePast(batch *pgx.Batch, end string, limit int, arguments ...any) {
	batch.Queue(fmt.Sprintf(`
		with recursive path (id, parent, back) as (
			`+end+`
			union all
			select t.id, t.parent, p.back + 1 from path p join turn t on t.id = p.parent where p.back < %d),
		covered as (
			select s.* from path p join summary s on s.upto = p.id order by p.back limit 1)
		select t.id, t.number, t.question, b.reply, t.question_tokens, b.memory_tokens, t.vocabulary, `+summaryColumns+`
		from (select id from path where back <= %d) p join turn t on t.id = p.id join lateral (
			select reply, memory_tokens from attempt
			where turn = t.id and state in ('done', 'stopped') and reply <> ''
			order by `+whichCounts+` limit 1) b on true
		left join covered s on true
		order by t.number desc limit %d`, farthestBack, limit+spareTurns, limit), arguments...)
}

// spareTurns allows for turns that have nothing to remember.
const spareTurns = 20

func readPast(results pgx.BatchResults) (past record.Past, err error) {
	rows, err := results.Query()
	if err != nil {
		return past, err
	}
	var t record.PastTurn
	var newest summaryRow
	into := newest.into(columns{
		"id": &t.ID, "number": &t.Number, "question": &t.Question, "reply": &t.Reply,
		"question_tokens": &t.QuestionTokens, "memory_tokens": &t.ReplyTokens, "vocabulary": &t.Vocabulary,
	})
	err = each(rows, into, func() error {
		past.Turns = append(past.Turns, t)
		return nil
	})
	past.Summary = newest.summary()
	slices.Reverse(past.Turns)
	return past, err
}

const summaryColumns = `s.upto, s.conversation, s.turns, s.text, s.tokens, s.vocabulary as summary_vocabulary,
		s.model, s.made_at`

// summaryRow reads a row of summary that may not be there.
type summaryRow struct {
	upto, conversation      *uuid.UUID
	turns, tokens           *int
	text, vocabulary, model *string
	madeAt                  *time.Time
}

// into adds its columns to others.
func (c *summaryRow) into(others columns) columns {
	maps.Copy(others, columns{
		"upto": &c.upto, "conversation": &c.conversation, "turns": &c.turns, "text": &c.text, "tokens": &c.tokens,
		"summary_vocabulary": &c.vocabulary, "model": &c.model, "made_at": &c.madeAt,
	})
	return others
}

// is reports whether the summary leads up to a turn.
func (c *summaryRow) is(turn *uuid.UUID) bool {
	return c.upto != nil && turn != nil && *c.upto == *turn
}

func (c *summaryRow) summary() *record.Summary {
	if c.upto == nil {
		return nil
	}
	return &record.Summary{
		Upto: *c.upto, Conversation: *c.conversation, Turns: *c.turns, Text: *c.text, Tokens: *c.tokens,
		Vocabulary: *c.vocabulary, Model: *c.model, MadeAt: *c.madeAt,
	}
}

// PastOf returns what came before a turn, and what it was asked with.
func (s *Replies) PastOf(ctx context.Context, turn uuid.UUID, attempt, remember int) (supplied, inputs json.RawMessage,
	past record.Past, err error) {
	batch := &pgx.Batch{}
	batch.Queue(`select t.supplied, a.inputs from turn t join attempt a on a.turn = t.id
		where t.id = $1 and a.number = $2`, turn, attempt)
	queuePast(batch, `select t.id, t.parent, 1 from turn t where t.id = (select parent from turn
		where id = $1)`, remember, turn)
	results := s.pool.SendBatch(ctx, batch)
	defer results.Close()
	if err := results.QueryRow().Scan(&supplied, &inputs); err != nil {
		return nil, nil, past, known(err)
	}
	past, err = readPast(results)
	return supplied, inputs, past, err
}
