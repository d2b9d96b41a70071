package reply

import (
	"sync"

	"github.com/google/uuid"

	"juvalogos/internal/record"
)

// keyring remembers the newest idempotency keys, so that asking again with one
// is noticed before a model is asked. The database notices the rest.
type keyring struct {
	mu    sync.Mutex
	turns map[visitorKey]uuid.UUID
	order []visitorKey // a ring: the oldest is at next
	next  int
}

type visitorKey struct {
	visitor record.Visitor
	key     string
}

const keysRemembered = 10_000

func newKeyring() *keyring {
	return &keyring{turns: map[visitorKey]uuid.UUID{}, order: make([]visitorKey, keysRemembered)}
}

// turn returns the turn that was asked with a key.
func (k *keyring) turn(visitor record.Visitor, key string) (uuid.UUID, bool) {
	k.mu.Lock()
	defer k.mu.Unlock()
	id, ok := k.turns[visitorKey{visitor, key}]
	return id, ok
}

func (k *keyring) add(visitor record.Visitor, key string, turn uuid.UUID) {
	if key == "" {
		return
	}
	k.mu.Lock()
	defer k.mu.Unlock()
	delete(k.turns, k.order[k.next])
	k.order[k.next] = visitorKey{visitor, key}
	k.next = (k.next + 1) % len(k.order)
	k.turns[visitorKey{visitor, key}] = turn
}

func (k *keyring) remove(visitor record.Visitor, key string) {
	k.mu.Lock()
	defer k.mu.Unlock()
	delete(k.turns, visitorKey{visitor, key})
}
