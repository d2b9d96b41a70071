// Package fair makes those who wait for the same thing take turns: by address,
// and within an address by visitor, so that nobody who comes in numbers keeps
// another waiting.
//
//	line := fair.NewLine(4)
//	leave, err := line.Enter(fair.With(ctx, fair.Party{Address: "192.0.2.7", Visitor: cookie}), nil)
//	if err != nil {
//		return err
//	}
//	defer leave()
package fair

import (
	"context"
	"slices"
	"sync"
	"time"
)

// Party is for whom something is done. The zero value is the service itself and
// those who run it.
type Party struct {
	Address string // where they ask from
	Visitor string // who they are
}

type partyKey struct{}

// With is a context of what is done for a party.
func With(ctx context.Context, p Party) context.Context { return context.WithValue(ctx, partyKey{}, p) }

// Of is for whom something is done; the zero value if nothing says.
func Of(ctx context.Context) Party {
	p, _ := ctx.Value(partyKey{}).(Party)
	return p
}

// Line lets so many through at once; the others wait. Whose turn it is next: the
// address that was let in longest ago, of it the visitor that was let in longest
// ago, of theirs what came first. Make one with NewLine; it is safe for
// concurrent use.
type Line struct {
	mu      sync.Mutex
	most    int // 0: any number
	each    int // of one visitor at once; 0: any number
	address int // of one address at once; 0: any number
	within  map[Party]int
	all     int // within
	waiting []*place
	// admitted is when an address, and a visitor of it, was last let in, by
	// number; it is kept as long as they wait or are within.
	admitted map[Party]int
	number   int
	moved    chan struct{} // closed whenever the line has moved
	usual    time.Duration // how long it took lately
}

// place is where somebody waits.
type place struct {
	party Party
	turn  chan struct{} // closed when it is theirs
	at    int           // where they stand; 1 is next
}

// Wait tells where in line somebody stands.
type Wait struct {
	Place int           // 1 is next
	About time.Duration // how long it may take; 0 if that is not known
}

// NewLine makes a line that lets so many through at once; 0 means any number.
func NewLine(most int) *Line {
	return &Line{most: most, within: map[Party]int{}, admitted: map[Party]int{}, moved: make(chan struct{})}
}

// Set changes how many are let through at once; 0 means any number.
func (l *Line) Set(most int) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.most = most
	l.admit()
}

// Each bounds how many of one visitor, and of one address, are let through at once; 0
// means any number. The zero Party is not bounded, nor is who has no address.
func (l *Line) Each(visitor, address int) {
	l.mu.Lock()
	defer l.mu.Unlock()
	l.each, l.address = visitor, address
	l.admit()
}

// full reports whether a party has as many within as it may. The caller holds mu.
func (l *Line) full(p Party) bool {
	return l.each > 0 && p != (Party{}) && l.within[p] >= l.each ||
		l.address > 0 && p.Address != "" && l.fromAddress(p.Address) >= l.address
}

func (l *Line) fromAddress(address string) (n int) {
	for p, within := range l.within {
		if p.Address == address {
			n += within
		}
	}
	return n
}

// Enter waits until it is the turn of the context's party and returns how to
// leave. told, if not nil, hears of the place whenever it changes, and not at all
// if there is room at once. The error is the context's cause.
func (l *Line) Enter(ctx context.Context, told func(Wait)) (leave func(), err error) {
	p := &place{party: Of(ctx), turn: make(chan struct{})}
	l.mu.Lock()
	l.waiting = append(l.waiting, p)
	l.admit()
	for {
		wait, moved := Wait{p.at, l.usual * time.Duration(p.at) / time.Duration(max(1, l.most))}, l.moved
		l.mu.Unlock()
		select {
		case <-p.turn:
			return l.leaver(p.party), nil
		default:
		}
		if told != nil {
			told(wait)
		}
		select {
		case <-p.turn:
			return l.leaver(p.party), nil
		case <-moved:
		case <-ctx.Done():
			l.giveUp(p)
			return nil, context.Cause(ctx)
		}
		l.mu.Lock()
	}
}

// Waiting is how many wait.
func (l *Line) Waiting() int {
	l.mu.Lock()
	defer l.mu.Unlock()
	return len(l.waiting)
}

func (l *Line) giveUp(p *place) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if at := slices.Index(l.waiting, p); at >= 0 {
		l.waiting = slices.Delete(l.waiting, at, at+1)
	} else { // its turn had just come
		l.out(p.party)
	}
	l.admit()
}

func (l *Line) leaver(p Party) func() {
	entered := time.Now()
	return sync.OnceFunc(func() {
		l.mu.Lock()
		defer l.mu.Unlock()
		took := time.Since(entered)
		if l.usual == 0 {
			l.usual = took
		}
		l.usual += (took - l.usual) / 4
		l.out(p)
		l.admit()
	})
}

// out counts somebody out. The caller holds mu.
func (l *Line) out(p Party) {
	l.all--
	if l.within[p]--; l.within[p] == 0 {
		delete(l.within, p)
	}
}

// admit lets in whose turn it is, as long as there is room, and tells the others
// where they stand. The caller holds mu.
func (l *Line) admit() {
	for l.most == 0 || l.all < l.most {
		at := next(l.waiting, l.admitted, l.full)
		if at < 0 {
			break
		}
		p := l.waiting[at]
		l.waiting = slices.Delete(l.waiting, at, at+1)
		l.number++
		noteAdmitted(l.admitted, p.party, l.number)
		l.within[p.party]++
		l.all++
		close(p.turn)
	}
	l.forget()
	l.stand()
	close(l.moved)
	l.moved = make(chan struct{})
}

func noteAdmitted(admitted map[Party]int, p Party, number int) {
	admitted[p], admitted[Party{Address: p.Address}] = number, number
}

// next is the place in waiting whose turn it is; -1 if it is nobody's. Those of a
// visitor stand in the order in which they came.
func next(waiting []*place, admitted map[Party]int, held func(Party) bool) int {
	best := -1
	var last [2]int
	for i, p := range waiting {
		if held != nil && held(p.party) {
			continue
		}
		mine := [2]int{admitted[Party{Address: p.party.Address}], admitted[p.party]}
		if best < 0 || mine[0] < last[0] || mine[0] == last[0] && mine[1] < last[1] {
			best, last = i, mine
		}
	}
	return best
}

// mostPlaced is how many in line are told exactly where they stand; who stands
// behind them is told that they do.
const mostPlaced = 200

// stand works out in which order those who wait will be let in. The caller holds mu.
func (l *Line) stand() {
	if len(l.waiting) == 0 {
		return
	}
	admitted := make(map[Party]int, len(l.admitted))
	for p, n := range l.admitted {
		admitted[p] = n
	}
	left := slices.Clone(l.waiting)
	for n := range left {
		left[n].at = len(l.waiting)
	}
	for n := 1; len(left) > 0 && n <= mostPlaced; n++ {
		at := next(left, admitted, nil)
		left[at].at = n
		noteAdmitted(admitted, left[at].party, l.number+n)
		left = slices.Delete(left, at, at+1)
	}
}

// forget drops when those were let in who neither wait nor are within: who has
// waited for others' turns comes before them. The caller holds mu.
func (l *Line) forget() {
	if len(l.admitted) <= 2*(len(l.within)+len(l.waiting))+16 {
		return
	}
	here := map[Party]bool{}
	for p := range l.within {
		here[p], here[Party{Address: p.Address}] = true, true
	}
	for _, p := range l.waiting {
		here[p.party], here[Party{Address: p.party.Address}] = true, true
	}
	for p := range l.admitted {
		if !here[p] {
			delete(l.admitted, p)
		}
	}
}
