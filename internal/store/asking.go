package store

import (
	"context"
	"encoding/json"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// NewTurn is a question about to go on record.
type NewTurn struct {
	ID             uuid.UUID
	Conversation   uuid.UUID
	Place          Place
	DeskID         int64
	Revision       int
	Visitor        Visitor
	Channel        string // page, preview, api or completions; for a new conversation
	Title          string // for a new conversation
	Key            string
	Question       string
	QuestionTokens int
	Vocabulary     string
	Given          json.RawMessage // or nil
	Choice         json.RawMessage // or nil
	Model          string
	Recipe         string
	Takes          json.RawMessage // what else the visitor gave, or nil
	Instance       int32
	AskedAt        time.Time
}

// Place is where in its conversation a turn stands.
type Place struct {
	Number int        // from 1, which may begin the conversation
	Parent *uuid.UUID // the turn before; nil for the first
	Leaf   *uuid.UUID // the end of the path that is shown now
	New    bool       // the conversation is to be made
}

// PastTurn is an earlier turn as memory needs it.
type PastTurn struct {
	ID                          uuid.UUID
	Number                      int
	Question, Reply             string
	QuestionTokens, ReplyTokens int
	Vocabulary                  string // of both lengths
}

// Past is what a turn that is to be answered can remember.
type Past struct {
	Turns   []PastTurn // oldest first
	Summary *Summary   // of what came before some of them; nil if there is none
}

// Summary says in short what the turns up to one said.
type Summary struct {
	Upto         uuid.UUID
	Conversation uuid.UUID
	Turns        int // how many it covers, from the first on
	Text         string
	Tokens       int
	Vocabulary   string
	Model        string
	MadeAt       time.Time
}

// farthestBack is how many turns of a path are looked at for what is on it.
const farthestBack = 1000

// Past returns what came before a visitor's next question: the newest turns of
// the path, at most limit, and the place that the next turn will have. With
// instead not nil it is what came before that turn, whose place another
// question is to take. It fails with ErrNotFound if there is no such
// conversation or turn.
func (s *Store) Past(ctx context.Context, conversation uuid.UUID, desk int64, visitor Visitor, instead *uuid.UUID, limit int) (past Past, at Place, err error) {
	batch := &pgx.Batch{}
	batch.Queue(`
		select c.leaf, b.parent, coalesce((select number from turn where id = b.parent), 0) + 1
		from conversation c, lateral (
			select c.leaf as parent where $4::uuid is null
			union all select t.parent from turn t where t.id = $4 and t.conversation = c.id) b
		where c.id = $1 and c.desk = $2 and c.visitor = $3 and c.removed_at is null`, conversation, desk, visitor[:], instead)
	queuePast(batch, `select t.id, t.parent, 1 from conversation c join turn t
		on t.id = case when $2::uuid is null then c.leaf else (select parent from turn where id = $2) end where c.id = $1`, limit, conversation, instead)
	results := s.pool.SendBatch(ctx, batch)
	defer results.Close()
	if err := results.QueryRow().Scan(&at.Leaf, &at.Parent, &at.Number); err != nil {
		return past, at, known(err)
	}
	past, err = readPast(results)
	return past, at, err
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
		select t.id, t.number, t.question, b.reply, t.question_tokens, b.memory_tokens, t.vocabulary, s.*
		from (select id from path where back <= %d) p join turn t on t.id = p.id join lateral (
			select reply, memory_tokens from attempt
			where turn = t.id and state in ('done', 'stopped') and reply <> ''
			order by `+whichCounts+` limit 1) b on true
		left join covered s on true
		order by t.number desc limit %d`, farthestBack, limit+spareTurns, limit), arguments...)
}

// spareTurns allows for turns that have nothing to remember.
const spareTurns = 20

func readPast(results pgx.BatchResults) (past Past, err error) {
	rows, err := results.Query()
	if err != nil {
		return past, err
	}
	var t PastTurn
	var upto, conversation *uuid.UUID
	var turns, tokens *int
	var text, vocabulary, model *string
	var madeAt *time.Time
	into := []any{&t.ID, &t.Number, &t.Question, &t.Reply, &t.QuestionTokens, &t.ReplyTokens, &t.Vocabulary,
		&upto, &conversation, &turns, &text, &tokens, &vocabulary, &model, &madeAt}
	_, err = pgx.ForEachRow(rows, into, func() error {
		past.Turns = append(past.Turns, t)
		if upto != nil && past.Summary == nil {
			past.Summary = &Summary{*upto, *conversation, *turns, *text, *tokens, *vocabulary, *model, *madeAt}
		}
		return nil
	})
	slices.Reverse(past.Turns)
	return past, err
}

// Ask puts a question on record with a running first attempt, in one statement.
// It fails with ErrDuplicate if the visitor's key is taken (see TurnByKey),
// with ErrNotFound if the conversation is not the visitor's at this desk or
// another question of it came first.
func (s *Store) Ask(ctx context.Context, n NewTurn) error {
	conversation := `
		update conversation set asked_at = $10, leaf = $1
		where id = $2 and desk = $18 and visitor = $3 and removed_at is null and leaf is not distinct from $19 returning id`
	arguments := []any{n.DeskID, n.Place.Leaf}
	if n.Place.New {
		conversation = `
			insert into conversation (id, desk, visitor, channel, title, started_at, asked_at, leaf)
			values ($2, $18, $3, $19, $20, $10, $10, $1) returning id`
		arguments = []any{n.DeskID, n.Channel, n.Title}
	}
	tag, err := s.pool.Exec(ctx, `
		with c as (`+conversation+`),
		t as (
			insert into turn (id, conversation, visitor, key, number, question, question_tokens, vocabulary, given, asked_at, parent)
			select $1::uuid, c.id, $3::bytea, $4::text, $5::int, $6::text, $7::int, $8::text, $9::jsonb, $10::timestamptz, $15::uuid from c
			returning id)
		insert into attempt (turn, number, revision, model, state, instance, started_at, choice, recipe, takes)
		select t.id, 1, $11::int, $12::text, 'running', $13::int, $10, $14::jsonb, $16::text, $17::jsonb from t`,
		append([]any{
			n.ID, n.Conversation, n.Visitor[:], n.Key, n.Place.Number, n.Question, n.QuestionTokens, n.Vocabulary, n.Given, n.AskedAt,
			n.Revision, n.Model, n.Instance, n.Choice, n.Place.Parent, n.Recipe, n.Takes,
		}, arguments...)...)
	if err == nil && tag.RowsAffected() == 0 {
		return ErrNotFound
	}
	return known(err)
}

// Again is another attempt about to begin.
type Again struct {
	Revision      int
	Model, Recipe string
	Choice        json.RawMessage // or nil
	Instance      int32
	At            time.Time
	Remember      int // how many earlier turns to read
}

// AskAgain opens another running attempt at a turn and returns its number with
// what came before. given and takes are what Ask was given.
func (s *Store) AskAgain(ctx context.Context, t Turn, n Again) (number int, given, takes json.RawMessage, past Past, err error) {
	batch := &pgx.Batch{}
	batch.Queue(`update turn set chosen = null where id = $1`, t.ID) // first: it locks the turn
	batch.Queue(`
		insert into attempt (turn, number, revision, model, state, instance, started_at, choice, recipe, takes)
		select $1, max(number) + 1, $2, $3, 'running', $4, $5, $6, $7, (select takes from attempt where turn = $1 and number = 1) from attempt where turn = $1
		returning number, (select given from turn where id = $1), takes`, t.ID, n.Revision, n.Model, n.Instance, n.At, n.Choice, n.Recipe)
	batch.Queue(forgetSummaries, t.Conversation, t.Number)
	queuePast(batch, `select t.id, t.parent, 1 from turn t where t.id = (select parent from turn where id = $1)`, n.Remember, t.ID)
	results := s.pool.SendBatch(ctx, batch)
	defer func() {
		if closing := results.Close(); err == nil {
			err = known(closing)
		}
	}()
	if _, err := results.Exec(); err != nil {
		return 0, nil, nil, past, err
	}
	if err := results.QueryRow().Scan(&number, &given, &takes); err != nil {
		return 0, nil, nil, past, known(err)
	}
	if _, err := results.Exec(); err != nil {
		return 0, nil, nil, past, err
	}
	past, err = readPast(results)
	return number, given, takes, past, err
}

// PastOf returns what came before a turn, and what it was asked with.
func (s *Store) PastOf(ctx context.Context, turn uuid.UUID, attempt, remember int) (given, takes json.RawMessage, past Past, err error) {
	batch := &pgx.Batch{}
	batch.Queue(`select t.given, a.takes from turn t join attempt a on a.turn = t.id where t.id = $1 and a.number = $2`, turn, attempt)
	queuePast(batch, `select t.id, t.parent, 1 from turn t where t.id = (select parent from turn where id = $1)`, remember, turn)
	results := s.pool.SendBatch(ctx, batch)
	defer results.Close()
	if err := results.QueryRow().Scan(&given, &takes); err != nil {
		return nil, nil, past, known(err)
	}
	past, err = readPast(results)
	return given, takes, past, err
}

// forgetSummaries drops the summaries that cover turn number $2, whose reply
// is another now.
const forgetSummaries = `delete from summary where conversation = $1 and turns >= $2`

// KeepSummary puts a summary on record, if the conversation still has the turn
// it leads up to.
func (s *Store) KeepSummary(ctx context.Context, m Summary) error {
	_, err := s.pool.Exec(ctx, `
		insert into summary (upto, conversation, turns, text, tokens, vocabulary, model, made_at)
		select $1, $2, $3, $4, $5, $6, $7, $8 where exists (select from turn where id = $1)
		on conflict (upto) do update set text = excluded.text, tokens = excluded.tokens,
			vocabulary = excluded.vocabulary, model = excluded.model, made_at = excluded.made_at`,
		m.Upto, m.Conversation, m.Turns, m.Text, m.Tokens, m.Vocabulary, m.Model, m.MadeAt)
	return err
}
