package reply

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"sync"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/recipe"
	"juvalogos/internal/desk"
	"juvalogos/internal/record"
)

// saltOf is what the outputs of a desk's steps depend on beside their inputs and
// settings; "" where none are kept.
func saltOf(d *desk.Desk, g *Supplied) string {
	if !d.Recipe.Keeps() {
		return ""
	}
	depends := []any{d.Slug, d.Entry.Path(), briefWith(d, g).Text, samplingOf(d, g)}
	if g != nil {
		depends = append(depends, g.Schema)
	}
	text, err := json.Marshal(depends)
	if err != nil {
		return "" // cannot happen: settings marshal
	}
	sum := sha256.Sum256(text)
	return string(sum[:])
}

// kept holds outputs of steps in memory until their time is over. It is
// emptied when it is full: what is kept can be made again.
type kept struct {
	mu      sync.Mutex
	outputs map[string]keptOutput
}

type keptOutput struct {
	out   recipe.Values
	until time.Time
}

const mostKeptOutputs = 10_000

// longKept is from which time on outputs are kept on record, if they are plain.
const longKept = 24 * time.Hour

// keeper is what one reply may use again; it is a recipe.Kept.
type keeper struct {
	*kept
	service *Service
	reply   *Reply
	ctx     context.Context // of the reply
}

// slot is the key under which something is held in memory: what rests on a visitor's own
// documents is of their conversation alone.
func (k keeper) slot(key string) string {
	if k.reply != nil && k.reply.private.Load() {
		return key + k.reply.Conversation.String()
	}
	return key
}

// whose is the conversation that an output belongs to; the zero id: nobody's.
func (k keeper) whose() uuid.UUID {
	if k.reply != nil && k.reply.private.Load() {
		return k.reply.Conversation
	}
	return uuid.Nil
}

func (k keeper) Get(key string) (recipe.Values, bool) {
	k.mu.Lock()
	o, ok := k.outputs[k.slot(key)]
	k.mu.Unlock()
	if ok && k.service.Now().Before(o.until) {
		return o.out, true
	}
	if k.service.Store.Kept == nil {
		return nil, false
	}
	text, err := k.service.Store.Kept.Output(k.ctx, hashed(key), k.whose(), k.service.Now())
	if err != nil {
		if !errors.Is(err, record.ErrNotFound) && k.ctx.Err() == nil {
			k.service.Log.Warn("outputs that are kept could not be read; they are made again", "error", err)
		}
		return nil, false
	}
	var out recipe.Values
	if err := json.Unmarshal(text, &out); err != nil {
		return nil, false
	}
	return out, true
}

func (k keeper) Put(key string, out recipe.Values, life time.Duration) {
	now := k.service.Now()
	k.mu.Lock()
	if k.outputs == nil || len(k.outputs) >= mostKeptOutputs {
		k.outputs = map[string]keptOutput{}
	}
	k.outputs[k.slot(key)] = keptOutput{out, now.Add(life)}
	k.mu.Unlock()
	if life < longKept || k.service.Store.Kept == nil || !plain(out) {
		return
	}
	text, err := json.Marshal(out)
	if err == nil { // also when the reply has been stopped meanwhile: it was paid for
		ctx, cancel := context.WithTimeout(context.WithoutCancel(k.ctx), 10*time.Second)
		defer cancel()
		err = k.service.Store.Kept.KeepOutput(ctx, hashed(key), k.whose(), text, now, now.Add(life))
	}
	if err != nil {
		k.service.Log.Warn("outputs could not be kept; they will be made again", "error", err)
	}
}

func hashed(key string) []byte {
	sum := sha256.Sum256([]byte(key))
	return sum[:]
}

// plain reports whether values come back from JSON as they are.
func plain(v any) bool {
	switch v := v.(type) {
	case nil, string, float64, bool:
		return true
	case recipe.Values:
		for _, one := range v {
			if !plain(one) {
				return false
			}
		}
		return true
	case []any:
		for _, one := range v {
			if !plain(one) {
				return false
			}
		}
		return true
	}
	return false
}

// Purge deletes outputs of steps that are kept no longer.
func (s *Service) Purge(ctx context.Context) {
	if s.Store.Kept == nil {
		return
	}
	if err := s.Store.Kept.PurgeOutputs(ctx, s.Now()); err != nil && ctx.Err() == nil {
		s.Log.Warn("outputs that are kept no longer could not be deleted", "error", err)
	}
}
