package shelf

import (
	"context"
	"sync"

	"juvalogos/internal/fair"
)

const (
	// mostKept is how many bytes of drawn pages are kept.
	mostKept = 48 << 20
	// mostAtOnce is how many pages are drawn at once, whoever asks.
	mostAtOnce = 2
)

// drawn keeps pages that were drawn, so that each is drawn once as long as there
// is room. Give it a line.
type drawn struct {
	mu    sync.Mutex
	kept  map[string][]byte
	order []string // the oldest first
	size  int
	line  *fair.Line
}

// page returns a page by its key, drawn now if it is not there. It fails as draw
// does, or with the context's cause while it waits for its turn.
func (d *drawn) page(ctx context.Context, key string, draw func() ([]byte, error)) ([]byte, error) {
	if picture := d.find(key); picture != nil {
		return picture, nil
	}
	leave, err := d.line.Enter(ctx, nil)
	if err != nil {
		return nil, err
	}
	defer leave()
	if picture := d.find(key); picture != nil { // somebody else wanted it too
		return picture, nil
	}
	picture, err := draw()
	if err == nil {
		d.keep(key, picture)
	}
	return picture, err
}

func (d *drawn) find(key string) []byte {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.kept == nil {
		d.kept = map[string][]byte{}
	}
	return d.kept[key]
}

func (d *drawn) keep(key string, picture []byte) {
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.kept[key] != nil || len(picture) > mostKept/4 {
		return
	}
	d.kept[key] = picture
	d.order = append(d.order, key)
	for d.size += len(picture); d.size > mostKept; d.order = d.order[1:] {
		d.size -= len(d.kept[d.order[0]])
		delete(d.kept, d.order[0])
	}
}
