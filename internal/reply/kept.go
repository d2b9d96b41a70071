package reply

import (
	"crypto/sha256"
	"sync"
	"time"

	"juvalogos/core/recipe"
	"juvalogos/internal/desk"
)

// saltOf is what the outputs of a desk's steps depend on beside their inputs and
// settings; "" where none are kept.
func saltOf(d *desk.Desk) string {
	if !d.Recipe.Keeps() {
		return ""
	}
	sum := sha256.Sum256([]byte(d.Slug + "\x00" + d.File + "\x00" + d.Entry.Path() + "\x00" + d.Brief.Text))
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

// keeper is kept with a clock; it is a recipe.Kept.
type keeper struct {
	*kept
	now func() time.Time
}

func (k keeper) Get(key string) (recipe.Values, bool) {
	k.mu.Lock()
	defer k.mu.Unlock()
	o, ok := k.outputs[key]
	return o.out, ok && k.now().Before(o.until)
}

func (k keeper) Put(key string, out recipe.Values, life time.Duration) {
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.outputs == nil || len(k.outputs) >= mostKeptOutputs {
		k.outputs = map[string]keptOutput{}
	}
	k.outputs[key] = keptOutput{out, k.now().Add(life)}
}
