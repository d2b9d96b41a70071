package store

import (
	"context"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"
)

// Visitor is the SHA-256 of what a visitor is known by.
type Visitor [32]byte

// Conversation is one conversation without its turns.
type Conversation struct {
	ID        uuid.UUID
	Slug      string
	Title     string
	StartedAt time.Time
	AskedAt   time.Time // the last question
	Share     string    // what its shared link ends with; empty if it is not shared
	Turns     int
}

// Turn is a question with the attempt at its reply that counts: the chosen
// one, else the newest.
type Turn struct {
	ID           uuid.UUID
	Conversation uuid.UUID
	Slug         string // of the desk
	Number       int
	Question     string
	AskedAt      time.Time
	Attempts     int // how many there are
	Attempt      Attempt
}

// State is what has become of an attempt.
type State string

// The states. Only Running is left for another.
const (
	Running     State = "running"
	Done        State = "done"
	Stopped     State = "stopped"     // by the visitor
	Failed      State = "failed"      // by the model or the way to it
	Interrupted State = "interrupted" // by the end of the service
)

// Attempt is one try at replying.
type Attempt struct {
	Number       int
	Revision     int
	Model        string
	State        State
	Reply        string
	Finish       string // the model's own word for why it ended
	Problem      string // a code of package desk; empty if there is none
	ProblemID    string // what the log knows the problem by
	PromptTokens int
	ReplyTokens  int
	MemoryTokens int
	StartedAt    time.Time
	FirstAt      *time.Time // when the first token came
	EndedAt      *time.Time
}

// Conversations returns a visitor's conversations at a desk, the newest first,
// at most limit.
func (s *Store) Conversations(ctx context.Context, slug string, visitor Visitor, limit int) ([]Conversation, error) {
	rows, err := s.pool.Query(ctx, `
		select `+conversationColumns+`
		from conversation c join desk d on d.id = c.desk
		where c.visitor = $2 and d.slug = $1 and c.channel <> 'completions' and c.removed_at is null
		order by c.asked_at desc limit $3`, slug, visitor[:], limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, scanConversation)
}

const conversationColumns = `c.id, d.slug, c.title, c.started_at, c.asked_at, coalesce(c.share, ''), (select count(*) from turn where conversation = c.id)`

func scanConversation(row pgx.CollectableRow) (c Conversation, err error) {
	err = row.Scan(&c.ID, &c.Slug, &c.Title, &c.StartedAt, &c.AskedAt, &c.Share, &c.Turns)
	return c, err
}

// Conversation returns a visitor's conversation with its turns in order.
func (s *Store) Conversation(ctx context.Context, id uuid.UUID, visitor Visitor) (Conversation, []Turn, error) {
	return s.conversation(ctx, `c.id = $1 and c.visitor = $2`, id, visitor[:])
}

// Shared returns the conversation whose shared link ends with share.
func (s *Store) Shared(ctx context.Context, share string) (Conversation, []Turn, error) {
	return s.conversation(ctx, `c.share = $1`, share)
}

func (s *Store) conversation(ctx context.Context, where string, arguments ...any) (Conversation, []Turn, error) {
	batch := &pgx.Batch{}
	batch.Queue(`select `+conversationColumns+` from conversation c join desk d on d.id = c.desk where `+where+` and c.removed_at is null`, arguments...)
	batch.Queue(`select `+turnColumns+` from `+turnTables+` where `+where+` and c.removed_at is null order by t.number`, arguments...)
	results := s.pool.SendBatch(ctx, batch)
	defer results.Close()
	rows, err := results.Query()
	if err != nil {
		return Conversation{}, nil, err
	}
	c, err := pgx.CollectExactlyOneRow(rows, scanConversation)
	if err != nil {
		return Conversation{}, nil, known(err)
	}
	rows, err = results.Query()
	if err != nil {
		return Conversation{}, nil, err
	}
	turns, err := pgx.CollectRows(rows, scanTurn)
	return c, turns, err
}

// Turn returns a visitor's turn.
func (s *Store) Turn(ctx context.Context, id uuid.UUID, visitor Visitor) (Turn, error) {
	return s.oneTurn(ctx, `t.id = $1 and t.visitor = $2`, id, visitor[:])
}

// TurnByKey returns a visitor's turn by its idempotency key.
func (s *Store) TurnByKey(ctx context.Context, key string, visitor Visitor) (Turn, error) {
	return s.oneTurn(ctx, `t.key = $1 and t.visitor = $2`, key, visitor[:])
}

func (s *Store) oneTurn(ctx context.Context, where string, args ...any) (Turn, error) {
	rows, err := s.pool.Query(ctx, `select `+turnColumns+` from `+turnTables+` where `+where, args...)
	if err != nil {
		return Turn{}, err
	}
	t, err := pgx.CollectExactlyOneRow(rows, scanTurn)
	return t, known(err)
}

// whichCounts puts the attempt that counts first: the one that turn t has
// chosen, else the newest.
const whichCounts = `(number = t.chosen) desc nulls last, number desc`

const (
	turnColumns = `t.id, t.conversation, d.slug, t.number, t.question, t.asked_at,
		(select count(*) from attempt where turn = t.id),
		a.number, a.revision, a.model, a.state, a.reply, a.finish, a.problem, a.problem_id,
		a.prompt_tokens, a.reply_tokens, a.memory_tokens, a.started_at, a.first_at, a.ended_at`
	turnTables = `turn t join conversation c on c.id = t.conversation join desk d on d.id = c.desk
		join lateral (select * from attempt where turn = t.id order by ` + whichCounts + ` limit 1) a on true`
)

func scanTurn(row pgx.CollectableRow) (t Turn, err error) {
	a := &t.Attempt
	err = row.Scan(&t.ID, &t.Conversation, &t.Slug, &t.Number, &t.Question, &t.AskedAt, &t.Attempts,
		&a.Number, &a.Revision, &a.Model, &a.State, &a.Reply, &a.Finish, &a.Problem, &a.ProblemID,
		&a.PromptTokens, &a.ReplyTokens, &a.MemoryTokens, &a.StartedAt, &a.FirstAt, &a.EndedAt)
	return t, err
}

// Attempts returns all attempts at a visitor's turn, the first one first.
func (s *Store) Attempts(ctx context.Context, turn uuid.UUID, visitor Visitor) ([]Attempt, error) {
	rows, err := s.pool.Query(ctx, `
		select a.number, a.revision, a.model, a.state, a.reply, a.finish, a.problem, a.problem_id,
			a.prompt_tokens, a.reply_tokens, a.memory_tokens, a.started_at, a.first_at, a.ended_at
		from attempt a join turn t on t.id = a.turn
		where t.id = $1 and t.visitor = $2 order by a.number`, turn, visitor[:])
	if err != nil {
		return nil, err
	}
	attempts, err := pgx.CollectRows(rows, pgx.RowToStructByPos[Attempt])
	if err == nil && len(attempts) == 0 {
		err = ErrNotFound
	}
	return attempts, err
}

// Choose makes one attempt at a visitor's turn the one that counts.
func (s *Store) Choose(ctx context.Context, turn uuid.UUID, visitor Visitor, attempt int) error {
	return s.one(ctx, `
		update turn set chosen = $3 where id = $1 and visitor = $2
		and exists (select from attempt where turn = $1 and number = $3)`, turn, visitor[:], attempt)
}

// TakeBack deletes the last turn of a visitor's conversation, and the
// conversation with its only turn. left is how many turns remain. It fails with
// ErrNotFound if the turn is not the visitor's or not the last.
func (s *Store) TakeBack(ctx context.Context, turn uuid.UUID, visitor Visitor) (question string, left int, err error) {
	err = pgx.BeginFunc(ctx, s.pool, func(tx pgx.Tx) error {
		var conversation uuid.UUID
		row := tx.QueryRow(ctx, `
			delete from turn t where id = $1 and visitor = $2
			and number = (select max(number) from turn where conversation = t.conversation)
			returning question, conversation, number - 1`, turn, visitor[:])
		if err := row.Scan(&question, &conversation, &left); err != nil {
			return known(err)
		}
		if left > 0 {
			return nil
		}
		_, err := tx.Exec(ctx, `delete from conversation where id = $1`, conversation)
		return err
	})
	return question, left, err
}

// Rename gives a visitor's conversation a title.
func (s *Store) Rename(ctx context.Context, id uuid.UUID, visitor Visitor, title string) error {
	return s.one(ctx, `update conversation set title = $3 where id = $1 and visitor = $2 and removed_at is null`, id, visitor[:], title)
}

// Share gives a visitor's conversation the end of a link, unless it has one
// already, and returns the one it has.
func (s *Store) Share(ctx context.Context, id uuid.UUID, visitor Visitor, share string) (string, error) {
	err := s.pool.QueryRow(ctx, `
		update conversation set share = coalesce(share, $3) where id = $1 and visitor = $2 and removed_at is null
		returning share`, id, visitor[:], share).Scan(&share)
	return share, known(err)
}

// Unshare withdraws the link of a visitor's conversation.
func (s *Store) Unshare(ctx context.Context, id uuid.UUID, visitor Visitor) error {
	return s.one(ctx, `update conversation set share = null where id = $1 and visitor = $2`, id, visitor[:])
}

// Remove takes a visitor's conversation away; Restore brings it back until
// Purge has it.
func (s *Store) Remove(ctx context.Context, id uuid.UUID, visitor Visitor, at time.Time) error {
	return s.one(ctx, `update conversation set removed_at = $3 where id = $1 and visitor = $2 and removed_at is null`, id, visitor[:], at)
}

// Restore brings a removed conversation back.
func (s *Store) Restore(ctx context.Context, id uuid.UUID, visitor Visitor) error {
	return s.one(ctx, `update conversation set removed_at = null where id = $1 and visitor = $2 and removed_at is not null`, id, visitor[:])
}

// Purge deletes for good what was removed before a time.
func (s *Store) Purge(ctx context.Context, before time.Time) (int, error) {
	tag, err := s.pool.Exec(ctx, `delete from conversation where removed_at < $1`, before)
	return int(tag.RowsAffected()), err
}

// one runs a statement that must change a row; otherwise it is ErrNotFound.
func (s *Store) one(ctx context.Context, statement string, arguments ...any) error {
	tag, err := s.pool.Exec(ctx, statement, arguments...)
	if err == nil && tag.RowsAffected() == 0 {
		return ErrNotFound
	}
	return err
}
