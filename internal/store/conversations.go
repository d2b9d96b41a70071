package store

import (
	"context"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/internal/record"
)

// Conversations returns a visitor's conversations at a desk.
func (s *Conversations) Conversations(ctx context.Context, slug string, visitor record.Visitor,
	page record.Page) ([]record.Conversation, error) {
	return s.conversations(ctx, page, `c.desk = (select id from desk
		where slug = $3) and c.visitor = $4 and c.channel in ('page', 'api')`, slug, visitor[:])
}

// Known reports whether a visitor has begun a conversation, or attached something
// to one that is to begin.
func (s *Conversations) Known(ctx context.Context, visitor record.Visitor) (yes bool, err error) {
	err = s.pool.QueryRow(ctx, `select exists (select from conversation where visitor = $1)
		or exists (select from shelf where visitor = $1) or exists (select from media where visitor = $1)`, visitor[:]).Scan(&yes)
	return yes, err
}

const conversationColumns = `c.id, d.slug, c.title, c.channel, c.started_at, c.asked_at, coalesce(c.share, '') as share,
	coalesce((select number from turn where id = c.leaf), 0) as turns`

// found is a conversation and the text in which a search found its words.
type found struct {
	record.Conversation
	text string
}

func foundColumns(f *found) columns {
	c := &f.Conversation
	return columns{
		"id": &c.ID, "slug": &c.Slug, "title": &c.Title, "channel": &c.Channel, "started_at": &c.StartedAt,
		"asked_at": &c.AskedAt,
		"share":    &c.Share, "turns": &c.Turns, "text": &f.text,
	}
}

// DeskConversations returns the conversations that visitors had at a desk, for
// its makers.
func (s *Conversations) DeskConversations(ctx context.Context, slug string, page record.Page) ([]record.Conversation,
	error) {
	return s.conversations(ctx, page, `c.desk = (select id from desk where slug = $3) and c.channel in ('page', 'api', 'completions')`, slug)
}

// DeskConversation returns a conversation for the makers of its desk, with the
// summaries there are of it, the oldest first.
func (s *Conversations) DeskConversation(ctx context.Context, id uuid.UUID) (record.Conversation, []record.Turn,
	[]record.Summary, error) {
	c, turns, err := s.conversation(ctx, `c.id = $1`, id)
	if err != nil {
		return c, nil, nil, err
	}
	rows, err := s.pool.Query(ctx, `
		select s.upto, s.conversation, s.turns, s.text, s.tokens, s.vocabulary, s.model, s.made_at
			from conversation c, path_to(c.leaf, 100000) p join summary s on s.upto = p.id where c.id = $1
				order by s.turns`, id)
	if err != nil {
		return c, nil, nil, err
	}
	summaries, err := pgx.CollectRows(rows, pgx.RowToStructByName[record.Summary])
	return c, turns, summaries, err
}

// RemoveAny takes anybody's conversation away, for the makers of its desk.
func (s *Conversations) RemoveAny(ctx context.Context, id uuid.UUID, at time.Time) error {
	return s.one(ctx, `update conversation set removed_at = $2 where id = $1 and removed_at is null`, id, at)
}

// RestoreAny brings anybody's removed conversation back.
func (s *Conversations) RestoreAny(ctx context.Context, id uuid.UUID) error {
	return s.one(ctx, `update conversation set removed_at = null where id = $1 and removed_at is not null`, id)
}

// Conversation returns a visitor's conversation with its turns in order.
func (s *Conversations) Conversation(ctx context.Context, id uuid.UUID, visitor record.Visitor) (record.Conversation,
	[]record.Turn, error) {
	return s.conversation(ctx, `c.id = $1 and c.visitor = $2`, id, visitor[:])
}

// Shared returns the conversation whose shared link ends with share.
func (s *Conversations) Shared(ctx context.Context, share string) (record.Conversation, []record.Turn, error) {
	return s.conversation(ctx, `c.share = $1`, share)
}

func (s *Conversations) conversation(ctx context.Context, where string, arguments ...any) (record.Conversation,
	[]record.Turn, error) {
	batch := &pgx.Batch{}
	batch.Queue(`select `+conversationColumns+`, '' as text from conversation c join desk d on d.id = c.desk
		where `+where+` and c.removed_at is null`, arguments...)
	batch.Queue(`
		select `+turnColumns+` from `+turnTables+` where t.id in (
			select p.id from conversation c, path_to(c.leaf, 100000) p where `+where+` and c.removed_at is null)
		order by t.number`, arguments...)
	results := s.pool.SendBatch(ctx, batch)
	defer results.Close()
	rows, err := results.Query()
	if err != nil {
		return record.Conversation{}, nil, err
	}
	c, err := only(rows, foundColumns)
	if err != nil {
		return record.Conversation{}, nil, err
	}
	rows, err = results.Query()
	if err != nil {
		return record.Conversation{}, nil, err
	}
	turns, err := collect(rows, turnInto)
	results.Close()
	if err == nil {
		err = s.withPictures(ctx, turns)
	}
	return c.Conversation, turns, err
}

// withPictures fills in the pictures that turns were asked with.
func (s *Conversations) withPictures(ctx context.Context, turns []record.Turn) error {
	var ids []uuid.UUID
	for _, t := range turns {
		ids = append(ids, t.Media...)
	}
	if len(ids) == 0 {
		return nil
	}
	all, err := (&Media{s.db}).Some(ctx, ids)
	if err != nil {
		return err
	}
	by := map[uuid.UUID]record.Media{}
	for _, m := range all {
		by[m.ID] = m
	}
	for i := range turns {
		for _, id := range turns[i].Media {
			if m, there := by[id]; there {
				turns[i].Pictures = append(turns[i].Pictures, m)
			}
		}
	}
	return nil
}

// Turn returns a visitor's turn.
func (s *Conversations) Turn(ctx context.Context, id uuid.UUID, visitor record.Visitor) (record.Turn, error) {
	return s.oneTurn(ctx, `t.id = $1 and t.visitor = $2`, id, visitor[:])
}

// TurnByKey returns a visitor's turn by its idempotency key.
func (s *Conversations) TurnByKey(ctx context.Context, key string, visitor record.Visitor) (record.Turn, error) {
	return s.oneTurn(ctx, `t.key = $1 and t.visitor = $2`, key, visitor[:])
}

func (s *Conversations) oneTurn(ctx context.Context, where string, args ...any) (record.Turn, error) {
	rows, err := s.pool.Query(ctx, `select `+turnColumns+` from `+turnTables+` where `+where, args...)
	if err != nil {
		return record.Turn{}, err
	}
	t, err := only(rows, turnInto)
	if err == nil {
		one := []record.Turn{t}
		err = s.withPictures(ctx, one)
		t = one[0]
	}
	return t, err
}

// whichCounts puts the attempt that counts first: the one that turn t has
// chosen, else the newest.
const whichCounts = `(number = t.chosen) desc nulls last, number desc`

const (
	turnColumns = `t.id, t.conversation, d.slug, t.number,
		(select array_agg(s.id order by s.id) from turn s where s.conversation = t.conversation and s.number = t.number
			and s.parent is not distinct from t.parent and s.taken_back_at is null) as siblings,
		t.media, t.question, t.asked_at,
		(select count(*) from attempt where turn = t.id) as attempts,
		a.number as attempt, a.revision, a.model, a.state, a.reply, a.finish, a.problem, a.problem_id,
		a.prompt_tokens, a.reply_tokens, a.memory_tokens, a.started_at, a.first_at, a.ended_at, a.helped,
		a.cost, a.recipe, a.lanes, a.preferred, a.parts, a.reason, a.remark`
	turnTables = `turn t join conversation c on c.id = t.conversation join desk d on d.id = c.desk
		join lateral (select * from attempt where turn = t.id order by ` + whichCounts + ` limit 1) a on true`
)

func turnInto(t *record.Turn) columns {
	a := &t.Attempt
	return columns{
		"id": &t.ID, "conversation": &t.Conversation, "slug": &t.Slug, "number": &t.Number, "siblings": &t.Siblings,
		"media": &t.Media, "question": &t.Question, "asked_at": &t.AskedAt, "attempts": &t.Attempts,
		"attempt": &a.Number, "revision": &a.Revision, "model": &a.Model, "state": &a.State, "reply": &a.Reply,
		"finish":  &a.Finish,
		"problem": &a.Problem, "problem_id": &a.ProblemID, "prompt_tokens": &a.PromptTokens,
		"reply_tokens":  &a.ReplyTokens,
		"memory_tokens": &a.MemoryTokens, "started_at": &a.StartedAt, "first_at": &a.FirstAt, "ended_at": &a.EndedAt,
		"helped": &a.Helped,
		"cost":   &a.Cost, "recipe": &a.Recipe, "lanes": &a.Lanes, "preferred": &a.Preferred, "parts": &a.Parts,
		"reason": &a.Reason, "remark": &a.Remark,
	}
}

// Attempts returns all attempts at a visitor's turn, the first one first.
func (s *Conversations) Attempts(ctx context.Context, turn uuid.UUID, visitor record.Visitor) ([]record.Attempt,
	error) {
	rows, err := s.pool.Query(ctx, `
		select a.number, a.revision, a.model, a.state, a.reply, a.finish, a.problem, a.problem_id,
			a.prompt_tokens, a.reply_tokens, a.memory_tokens, a.started_at, a.first_at, a.ended_at, a.helped,
			a.cost, a.recipe, a.lanes, a.preferred, a.parts, a.reason, a.remark
		from attempt a join turn t on t.id = a.turn
		where t.id = $1 and t.visitor = $2 order by a.number`, turn, visitor[:])
	if err != nil {
		return nil, err
	}
	attempts, err := pgx.CollectRows(rows, pgx.RowToStructByName[record.Attempt])
	if err == nil && len(attempts) == 0 {
		err = record.ErrNotFound
	}
	return attempts, err
}

// Choose makes one attempt at a visitor's turn the one that counts.
func (s *Conversations) Choose(ctx context.Context, turn uuid.UUID, visitor record.Visitor, attempt int) error {
	err := pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var conversation uuid.UUID
		var number int
		err := tx.QueryRow(ctx, `
			update turn set chosen = $3 where id = $1 and visitor = $2
			and exists (select from attempt where turn = $1 and number = $3)
			returning conversation, number`, turn, visitor[:], attempt).Scan(&conversation, &number)
		if err != nil {
			return known(err)
		}
		_, err = tx.Exec(ctx, forgetSummaries, conversation, number)
		return err
	})
	if err == nil {
		err = s.IndexWords(ctx, []uuid.UUID{turn})
	}
	return err
}

// TakeBack takes back the turn at the end of a visitor's conversation: the
// path ends before it. A conversation of which nothing is left is removed. left
// is how many turns remain. It fails with ErrNotFound if the turn is not the
// visitor's or not the last. Show brings the turn back until Purge has it.
func (s *Conversations) TakeBack(ctx context.Context, turn uuid.UUID, visitor record.Visitor,
	at time.Time) (question string, left int, err error) {
	err = s.pool.QueryRow(ctx, `
		with t as (
			update turn t set taken_back_at = $3 where id = $1 and visitor = $2
			and exists (select from conversation where id = t.conversation and leaf = t.id and removed_at is null)
			returning id, conversation, parent, number, question),
		c as (
			update conversation c set leaf = t.parent,
				removed_at = case when t.number = 1 and not exists (
					select from turn o where o.conversation = c.id and o.parent is null and o.id <> t.id
						and o.taken_back_at is null) then $3::timestamptz end
			from t where c.id = t.conversation)
		select question, number - 1 from t`, turn, visitor[:], at).Scan(&question, &left)
	return question, left, known(err)
}

// Show leads the path of a visitor's conversation through a turn, and on along
// the newest ones. What was taken back or removed with it is there again.
func (s *Conversations) Show(ctx context.Context, turn uuid.UUID, visitor record.Visitor) error {
	return s.one(ctx, `
		with recursive down (id, conversation, number) as (
			select id, conversation, number from turn where id = $1 and visitor = $2
			union all select t.id, t.conversation, t.number from down d join turn t
				on t.conversation = d.conversation and t.number = d.number + 1 and t.parent = d.id
					where t.taken_back_at is null),
		back as (update turn set taken_back_at = null where id = $1 and visitor = $2)
		update conversation c set leaf = (select id from down order by id desc limit 1), removed_at = null
		from turn t where t.id = $1 and t.visitor = $2 and c.id = t.conversation`, turn, visitor[:])
}

// Rename gives a visitor's conversation a title.
func (s *Conversations) Rename(ctx context.Context, id uuid.UUID, visitor record.Visitor, title string) error {
	err := s.one(ctx, `update conversation set title = $3
		where id = $1 and visitor = $2 and removed_at is null`, id, visitor[:], title)
	if err != nil {
		return err
	}
	rows, err := s.pool.Query(ctx, `select id from turn where conversation = $1 and number = 1`, id)
	if err != nil {
		return err
	}
	first, err := pgx.CollectRows(rows, pgx.RowTo[uuid.UUID])
	if err == nil {
		err = s.IndexWords(ctx, first)
	}
	return err
}

// Share gives a visitor's conversation the end of a link, unless it has one
// already, and returns the one it has.
func (s *Conversations) Share(ctx context.Context, id uuid.UUID, visitor record.Visitor, share string) (string, error) {
	err := s.pool.QueryRow(ctx, `
		update conversation set share = coalesce(share, $3) where id = $1 and visitor = $2 and removed_at is null
		returning share`, id, visitor[:], share).Scan(&share)
	return share, known(err)
}

// Unshare withdraws the link of a visitor's conversation.
func (s *Conversations) Unshare(ctx context.Context, id uuid.UUID, visitor record.Visitor) error {
	return s.one(ctx, `update conversation set share = null where id = $1 and visitor = $2`, id, visitor[:])
}

// Remove takes a visitor's conversation away; Restore brings it back until
// Purge has it.
func (s *Conversations) Remove(ctx context.Context, id uuid.UUID, visitor record.Visitor, at time.Time) error {
	return s.one(ctx, `update conversation set removed_at = $3
		where id = $1 and visitor = $2 and removed_at is null`, id, visitor[:], at)
}

// Restore brings a removed conversation back.
func (s *Conversations) Restore(ctx context.Context, id uuid.UUID, visitor record.Visitor) error {
	return s.one(ctx, `update conversation set removed_at = null
		where id = $1 and visitor = $2 and removed_at is not null`, id, visitor[:])
}

// Purge deletes for good what was removed or taken back before a time, and what
// was asked in previews before it. It returns how many conversations went.
func (s *Conversations) Purge(ctx context.Context, before time.Time) (int, error) {
	tag, err := s.pool.Exec(ctx, `delete from conversation
		where removed_at < $1 or channel = 'preview' and asked_at < $1`, before)
	if err == nil {
		_, err = s.pool.Exec(ctx, `delete from turn where taken_back_at < $1`, before)
	}
	if err == nil { // what was given to a conversation that never began
		_, err = s.pool.Exec(ctx, `delete from media m where removed_at < $1
			or added_at < $1 and not exists (select from conversation where id = m.conversation)`, before)
	}
	if err == nil {
		_, err = s.pool.Exec(ctx, `delete from shelf f
			where made_at < $1 and conversation is not null and not exists (select from conversation
				where id = f.conversation)`, before)
	}
	return int(tag.RowsAffected()), err
}

// BringIn puts a conversation on record whose turns are all answered.
func (s *Conversations) BringIn(ctx context.Context, b record.BroughtIn) error {
	ids := make([]uuid.UUID, len(b.Turns))
	err := pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		batch := &pgx.Batch{}
		last := b.Turns[len(b.Turns)-1].ID
		batch.Queue(`insert into conversation (id, desk, visitor, channel, title, started_at, asked_at, leaf)
			values ($1, $2, $3, 'page', $4, $5, $5, $6)`, b.ID, b.DeskID, b.Visitor[:], b.Title, b.At, last)
		var parent *uuid.UUID
		for i, t := range b.Turns {
			ids[i] = t.ID
			batch.Queue(`insert into turn (id, conversation, visitor, key, number, question, question_tokens, vocabulary,
				asked_at, parent, media) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)`, t.ID, b.ID, b.Visitor[:],
				t.ID.String(), i+1, t.Question, t.QuestionTokens, t.Vocabulary, t.AskedAt, parent, t.Media)
			batch.Queue(`insert into attempt (turn, number, revision, model, state, instance, started_at, ended_at, reply,
				memory_tokens, recipe, parts) values ($1, 1, $2, '', 'done', 0, $3, $3, $4, $5, '', $6)`, t.ID, b.Revision,
				t.AskedAt, t.Reply, t.ReplyTokens, t.Parts)
			parent = &ids[i]
		}
		return tx.SendBatch(ctx, batch).Close()
	})
	if err != nil {
		return known(err)
	}
	return s.IndexWords(ctx, ids)
}
