package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

// Keep writes the progress of many attempts, and before it the traces of those
// that have ended. It returns when all of it would survive the crash of this
// service or of the database; after an error it can be repeated.
func (s *Replies) Keep(ctx context.Context, news []record.Progress) error {
	n := len(news)
	turns, numbers, texts, wholes := make([]uuid.UUID, n), make([]int32, n), make([]string, n), make([]bool, n)
	states, finishes, problems, ids := make([]string, n), make([]string, n), make([]string, n), make([]string, n)
	prompts, replies, memories := make([]int32, n), make([]int32, n), make([]int32, n)
	firsts, ends := make([]*time.Time, n), make([]*time.Time, n)
	costs, lanes, parts := make([]float64, n), make([]*string, n), make([]*string, n)
	var traces []*record.Trace
	for i, p := range news {
		turns[i], numbers[i], texts[i], wholes[i] = p.Turn, int32(p.Number), p.Text, p.Whole
		states[i], finishes[i], problems[i], ids[i] = string(p.State), p.Finish, p.Problem, p.ProblemID
		prompts[i], replies[i], memories[i] = int32(p.PromptTokens), int32(p.ReplyTokens), int32(p.MemoryTokens)
		firsts[i], ends[i], costs[i] = p.FirstAt, p.EndedAt, p.Cost
		lanes[i], parts[i] = orNull(p.Lanes), orNull(p.Parts)
		if p.Trace != nil {
			traces = append(traces, p.Trace)
		}
	}
	const update = `
		update attempt a set
			reply = case when p.whole then p.text else a.reply || p.text end,
			state = p.state, finish = p.finish, problem = p.problem, problem_id = p.problem_id,
			prompt_tokens = p.prompt, reply_tokens = p.reply, memory_tokens = p.memory,
			first_at = p.first, ended_at = p.ended, cost = p.cost,
			lanes = coalesce(p.lanes::jsonb, a.lanes), parts = coalesce(p.parts::jsonb, a.parts)
		from unnest($1::uuid[], $2::int[], $3::text[], $4::bool[], $5::text[], $6::text[], $7::text[], $8::text[],
			$9::int[], $10::int[], $11::int[], $12::timestamptz[], $13::timestamptz[], $14::float8[], $15::text[],
				$16::text[])
			as p (turn, number, text, whole, state, finish, problem, problem_id, prompt, reply, memory, first, ended,
				cost, lanes, parts)
		where a.turn = p.turn and a.number = p.number`
	arguments := []any{turns, numbers, texts, wholes, states, finishes, problems, ids, prompts, replies, memories,
		firsts, ends, costs, lanes, parts}
	// Traces first: an attempt whose end is on record has one.
	if len(traces) > 0 {
		batch := &pgx.Batch{}
		queueTraces(batch, traces)
		if err := s.pool.SendBatch(ctx, batch).Close(); err != nil {
			return err
		}
	}
	// Planned anew each time: a plan kept from when the table was small would
	// read all of it.
	_, err := s.pool.Exec(ctx, update, append([]any{pgx.QueryExecModeCacheDescribe}, arguments...)...)
	return err
}

func orNull(text json.RawMessage) *string {
	if text == nil {
		return nil
	}
	s := string(text)
	return &s
}
