package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"
)

// Outputs of steps that are kept for long.

// Output returns what is kept under a key, of nobody's or of a conversation's.
func (s *Kept) Output(ctx context.Context, key []byte, conversation uuid.UUID, now time.Time) (outputs json.RawMessage,
	err error) {
	err = s.pool.QueryRow(ctx, `select outputs from kept_output where key = $1 and conversation in ($2, $3) and until > $4
		limit 1`, key, conversation, uuid.Nil, now).Scan(&outputs)
	return outputs, known(err)
}

// KeepOutput keeps outputs under a key; the zero id as the conversation: they are nobody's.
func (s *Kept) KeepOutput(ctx context.Context, key []byte, conversation uuid.UUID, outputs json.RawMessage,
	now, until time.Time) error {
	_, err := s.pool.Exec(ctx, `insert into kept_output (key, conversation, outputs, made_at, until)
		values ($1, $2, $3, $4, $5) on conflict (key, conversation) do update set outputs = $3, made_at = $4, until = $5`,
		key, conversation, outputs, now, until)
	return err
}

// PurgeOutputs deletes what is kept no longer, and what belonged to conversations that are
// no more.
func (s *Kept) PurgeOutputs(ctx context.Context, now time.Time) error {
	_, err := s.pool.Exec(ctx, `delete from kept_output k where until <= $1 or conversation <> $2 and made_at < $3
		and not exists (select from conversation c where c.id = k.conversation)`, now, uuid.Nil, now.Add(-24*time.Hour))
	return err
}
