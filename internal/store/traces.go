package store

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/core/words"
	"juvalogos/internal/record"
)

// KeepTrace puts a trace on record that belongs to no running attempt.
func (s *Traces) KeepTrace(ctx context.Context, t *record.Trace) error {
	batch := &pgx.Batch{}
	queueTraces(batch, []*record.Trace{t})
	return s.pool.SendBatch(ctx, batch).Close()
}

// queueTraces adds the statements that write traces and their calls. What is
// there already stays as it is, so that an uncertain write can be repeated.
func queueTraces(batch *pgx.Batch, traces []*record.Trace) {
	n := len(traces)
	ids, turns, kinds, recipes, models, steps := make([]uuid.UUID, n), make([]uuid.UUID, n), make([]string, n),
		make([]string, n), make([]string, n), make([]string, n)
	attempts, revisions, desks, visitors := make([]int32, n), make([]int32, n), make([]int64, n), make([][]byte, n)
	states, problems, started, seconds := make([]string, n), make([]string, n), make([]time.Time, n), make([]float64, n)
	prompts, replies, costs := make([]int32, n), make([]int32, n), make([]float64, n)
	calls, retries, reused, edits, spans := make([]int32, n), make([]int32, n), make([]int32, n), make([]*string, n),
		make([]*string, n)
	var c callRows
	for i, t := range traces {
		ids[i], turns[i], kinds[i], recipes[i], models[i], steps[i] = t.ID, t.Turn, t.Kind, t.Recipe,
			strings.Join(t.Models, "\n"), strings.Join(t.Steps, "\n")
		attempts[i], revisions[i], desks[i], visitors[i] = int32(t.Attempt), int32(t.Revision), t.DeskID, t.Visitor[:]
		states[i], problems[i], started[i], seconds[i] = t.State, t.Problem, t.StartedAt, t.Seconds
		prompts[i], replies[i], costs[i] = int32(t.Usage.PromptTokens), int32(t.Usage.ReplyTokens), t.Usage.Cost
		calls[i], retries[i], reused[i] = int32(t.Usage.Calls), int32(t.Usage.Retries), int32(t.Usage.Reused)
		edits[i], spans[i] = orNull(t.Edits), orNull(t.Spans)
		c.add(t)
	}
	batch.Queue(`
		insert into trace (id, turn, kind, recipe, models, steps, attempt, revision, desk, visitor, state, problem,
			started_at, seconds,
			prompt_tokens, reply_tokens, cost, calls, retries, reused, edits, spans)
		select id, turn, kind, recipe, string_to_array(models, E'\n'), string_to_array(steps, E'\n'), attempt,
			revision, desk, visitor, state, problem,
			started_at, seconds, prompt, reply, cost, calls, retries, reused, edits::jsonb, spans
		from unnest($1::uuid[], $2::uuid[], $3::text[], $4::text[], $5::text[], $6::text[], $7::int[], $8::int[],
			$9::bigint[], $10::bytea[],
			$11::text[], $12::text[], $13::timestamptz[], $14::float8[], $15::int[], $16::int[], $17::float8[],
				$18::int[], $19::int[], $20::int[], $21::text[], $22::text[])
			as t (id, turn, kind, recipe, models, steps, attempt, revision, desk, visitor, state, problem, started_at,
				seconds, prompt, reply, cost, calls, retries, reused, edits, spans)
		on conflict (id) do nothing`,
		ids, turns, kinds, recipes, models, steps, attempts, revisions, desks, visitors, states, problems, started,
		seconds,
		prompts, replies, costs, calls, retries, reused, edits, spans)
	if len(c.at) > 0 {
		c.queue(batch)
	}
}

// callRows are the columns of calls to be written.
type callRows struct {
	at                    []time.Time
	trace, turn           []uuid.UUID
	kind, step, model     []string
	desk                  []int64
	visitor               [][]byte
	number, prompt, reply []int32
	pictures              []int32
	sound                 []float64
	counted               []bool
	cost                  []float64
}

func (c *callRows) add(t *record.Trace) {
	for i, m := range t.Calls {
		c.number = append(c.number, int32(i+1))
		c.at, c.trace, c.turn, c.kind, c.desk, c.visitor = append(c.at, m.At), append(c.trace, t.ID),
			append(c.turn, t.Turn), append(c.kind, t.Kind), append(c.desk, t.DeskID), append(c.visitor, t.Visitor[:])
		c.step, c.model, c.prompt, c.reply = append(c.step, m.Step), append(c.model, m.Model),
			append(c.prompt, int32(m.PromptTokens)), append(c.reply, int32(m.ReplyTokens))
		c.counted, c.cost = append(c.counted, m.Counted), append(c.cost, m.Cost)
		c.pictures, c.sound = append(c.pictures, int32(m.Pictures)), append(c.sound, m.Sound)
	}
}

func (c *callRows) queue(batch *pgx.Batch) {
	batch.Queue(`
		insert into model_call (at, trace, number, turn, kind, desk, visitor, step, model, prompt_tokens,
			reply_tokens, counted, cost, pictures, sound_seconds)
		select * from unnest($1::timestamptz[], $2::uuid[], $13::int[], $3::uuid[], $4::text[], $5::bigint[],
			$6::bytea[], $7::text[], $8::text[], $9::int[], $10::int[], $11::bool[], $12::float8[],
			$14::int[], $15::float8[])
		on conflict (trace, number) do nothing`,
		c.at, c.trace, c.turn, c.kind, c.desk, c.visitor, c.step, c.model, c.prompt, c.reply, c.counted, c.cost,
		c.number, c.pictures, c.sound)
}

const traceColumns = `r.id, r.kind, r.turn, r.attempt, r.desk, r.revision, r.recipe, r.models, r.steps, r.state,
		r.problem, r.started_at, r.seconds,
	r.prompt_tokens, r.reply_tokens, r.cost, r.calls, r.retries, r.reused, r.edits, d.slug, t.conversation,
		t.question, a.reply, a.helped`

const traceTables = `trace r join turn t on t.id = r.turn join conversation c on c.id = t.conversation
		join desk d on d.id = r.desk
	join attempt a on a.turn = r.turn and a.number = r.attempt`

func traceInto(t *record.Trace) columns {
	return columns{
		"id": &t.ID, "kind": &t.Kind, "turn": &t.Turn, "attempt": &t.Attempt, "desk": &t.DeskID,
		"revision": &t.Revision, "recipe": &t.Recipe,
		"models": &t.Models, "steps": &t.Steps, "state": &t.State, "problem": &t.Problem, "started_at": &t.StartedAt,
		"seconds":       &t.Seconds,
		"prompt_tokens": &t.Usage.PromptTokens, "reply_tokens": &t.Usage.ReplyTokens, "cost": &t.Usage.Cost,
		"calls":   &t.Usage.Calls,
		"retries": &t.Usage.Retries, "reused": &t.Usage.Reused, "edits": &t.Edits,
		"slug": &t.Slug, "conversation": &t.Conversation, "question": &t.Question, "reply": &t.Reply,
		"helped": &t.Helped,
	}
}

// wholeTraceInto has the spans and the visitor too.
func wholeTraceInto(t *record.Trace) columns {
	into := traceInto(t)
	into["spans"], into["visitor"] = &t.Spans, (*visitorScan)(&t.Visitor)
	return into
}

// Traces returns the newest traces that a filter lets pass, without spans.
func (s *Traces) Traces(ctx context.Context, f record.TraceFilter) ([]record.Trace, error) {
	var where []string
	var arguments []any
	add := func(condition string, value any) {
		arguments = append(arguments, value)
		where = append(where, strings.ReplaceAll(condition, "?", fmt.Sprintf("$%d", len(arguments))))
	}
	if f.Kind == "" {
		f.Kind = "reply"
	}
	add(`r.kind = ?`, f.Kind)
	add(`c.removed_at is null and ?::int is not null`, 0)
	if f.Desk != "" {
		add(`r.desk = (select id from desk where slug = ?)`, f.Desk)
	}
	if f.Conversation != uuid.Nil {
		add(`t.conversation = ?`, f.Conversation)
	}
	if f.Turn != uuid.Nil {
		add(`r.turn = ?`, f.Turn)
	}
	if f.Model != "" {
		add(`exists (select from unnest(r.models) m where m = ? or m like '%/' || ?)`, f.Model)
	}
	if f.Step != "" {
		add(`(? = any (r.steps))`, f.Step)
	}
	if f.State != "" {
		add(`r.state = ?`, f.State)
	}
	if f.Slow > 0 {
		add(`r.seconds >= ?`, f.Slow)
	}
	if f.Costly > 0 {
		add(`r.cost >= ?`, f.Costly)
	}
	if f.Flagged {
		add(`a.helped = ?`, false)
	}
	if f.Since != nil {
		add(`r.started_at >= ?`, *f.Since)
	}
	if f.Before != nil {
		add(`r.started_at < ?`, *f.Before)
	}
	if f.Text != "" {
		query := words.Query(f.Text, mostQueried)
		if len(query) == 0 {
			return nil, nil // nothing but marks
		}
		add(`exists (select from turn_words w where w.turn = r.turn and w.words @@ ?::tsquery)`, tsquery(query))
	}
	arguments = append(arguments, f.Limit)
	rows, err := s.pool.Query(ctx, `select `+traceColumns+` from `+traceTables+` where `+strings.Join(where, " and ")+
		fmt.Sprintf(` order by r.started_at desc limit $%d`, len(arguments)), arguments...)
	if err != nil {
		return nil, err
	}
	return collect(rows, traceInto)
}

// Trace returns one trace with its spans.
func (s *Traces) Trace(ctx context.Context, id uuid.UUID) (t record.Trace, err error) {
	return s.trace(ctx, `r.id = $1`, id)
}

// TraceOf returns the trace of the reply that an attempt got; 0 is the attempt
// that counts.
func (s *Traces) TraceOf(ctx context.Context, turn uuid.UUID, attempt int) (record.Trace, error) {
	return s.trace(ctx, `r.turn = $1 and r.kind = 'reply'
		and r.attempt = case when $2 > 0 then $2 else coalesce(t.chosen, (select max(number) from attempt
			where turn = $1)) end`, turn, attempt)
}

func (s *Traces) trace(ctx context.Context, where string, arguments ...any) (t record.Trace, err error) {
	rows, err := s.pool.Query(ctx, `select `+traceColumns+`, r.spans, r.visitor from `+traceTables+` where `+where,
		arguments...)
	if err != nil {
		return t, err
	}
	return only(rows, wholeTraceInto)
}

type visitorScan record.Visitor

// ScanBytes reads a visitor's hash.
func (v *visitorScan) ScanBytes(b []byte) error {
	copy(v[:], b)
	return nil
}

// Thin drops the spans of traces that began before a time; their figures stay.
func (s *Traces) Thin(ctx context.Context, before time.Time) (int, error) {
	tag, err := s.pool.Exec(ctx, `update trace set spans = null where started_at < $1 and spans is not null`, before)
	return int(tag.RowsAffected()), err
}

// Setting reads what the owner has set; it leaves into as it is where nothing
// is set.
func (s *Traces) Setting(ctx context.Context, key string, into any) error {
	var text []byte
	err := known(s.pool.QueryRow(ctx, `select value from setting where key = $1`, key).Scan(&text))
	if err == record.ErrNotFound {
		return nil
	}
	if err == nil {
		err = json.Unmarshal(text, into)
	}
	return err
}

// SetSetting keeps what the owner sets.
func (s *Traces) SetSetting(ctx context.Context, key string, value any) error {
	text, err := json.Marshal(value)
	if err == nil {
		_, err = s.pool.Exec(ctx, `insert into setting (key, value) values ($1, $2) on conflict (key) do update
			set value = excluded.value`, key, text)
	}
	return err
}

// ChoiceOf returns what the visitor had chosen for an attempt, or nil.
func (s *Traces) ChoiceOf(ctx context.Context, turn uuid.UUID, attempt int) (choice json.RawMessage, err error) {
	err = s.pool.QueryRow(ctx, `select choice from attempt
		where turn = $1 and number = $2`, turn, attempt).Scan(&choice)
	return choice, known(err)
}
