package programs

import (
	"context"
	"strconv"
	"sync"
	"sync/atomic"
	"time"

	"juvalogos/internal/confined"
)

// Pool is a program with those of it that run. It is safe for concurrent use.
type Pool struct {
	program Program
	ids     atomic.Int64

	mu        sync.Mutex
	changed   chan struct{} // closed and made anew when a waiter should look again
	running   []*process
	waking    int
	closed    bool
	idle      *time.Timer
	asked     int
	starts    int
	woke      time.Duration
	peak      int64
	spent     time.Duration // of those that have ended
	complaint string
	ended     string
	failing   *Failed // why the last start failed; nil: it did not
	settled   sync.WaitGroup
}

// The usual bounds.
const (
	usualIdle   = 10 * time.Minute
	usualWake   = 2 * time.Minute
	usualMemory = 2 << 30
	usualFiles  = 256
)

// New returns a pool; nothing is started yet.
func New(p Program) *Pool {
	p.Copies = max(p.Copies, 1)
	if p.Idle == 0 {
		p.Idle = usualIdle
	}
	if p.Wake == 0 {
		p.Wake = usualWake
	}
	if p.Memory == 0 {
		p.Memory = usualMemory
	}
	if p.Files == 0 {
		p.Files = usualFiles
	}
	pool := &Pool{program: p, changed: make(chan struct{})}
	pool.idle = time.AfterFunc(p.Idle, pool.sleep)
	pool.idle.Stop()
	return pool
}

// Start starts a program that is to be kept warm, unless it runs.
func (p *Pool) Start() {
	p.mu.Lock()
	defer p.mu.Unlock()
	if !p.program.Warm || p.program.Plain || p.program.Each || p.closed {
		return
	}
	for n := max(len(p.running), p.waking); n < p.program.Copies; n++ {
		p.wakeOne()
	}
}

// Close ends the program once those who ask have their replies.
func (p *Pool) Close() error {
	p.mu.Lock()
	p.closed = true
	p.idle.Stop()
	p.look()
	running := append([]*process(nil), p.running...)
	p.mu.Unlock()
	for _, x := range running {
		go p.afterJobs(x)
	}
	return nil
}

// Settled waits until everything that was started has ended.
func (p *Pool) Settled() { p.settled.Wait() }

// afterJobs has a process leave when it has nothing to do any more.
func (p *Pool) afterJobs(x *process) {
	x.mu.Lock()
	x.leaves = true
	busy := len(x.jobs) > 0
	x.mu.Unlock()
	if !busy {
		x.leave()
	}
}

// look has waiters look again. The caller holds mu.
func (p *Pool) look() {
	close(p.changed)
	p.changed = make(chan struct{})
}

// sleep stops what nobody asks.
func (p *Pool) sleep() {
	p.mu.Lock()
	if p.program.Warm {
		p.mu.Unlock()
		return
	}
	var idle []*process
	for _, x := range p.running {
		x.mu.Lock()
		if len(x.jobs) == 0 && x.ready {
			x.leaves = true
			idle = append(idle, x)
		}
		x.mu.Unlock()
	}
	p.mu.Unlock()
	for _, x := range idle {
		x.leave()
	}
}

// wakeOne starts another process. The caller holds mu.
func (p *Pool) wakeOne() {
	p.waking++
	p.starts++
	p.settled.Go(func() {
		x, failed := p.program.start()
		if failed != nil {
			p.mu.Lock()
			p.waking--
			p.failing, p.ended = failed, failed.Detail
			p.look()
			p.mu.Unlock()
			return
		}
		x.once, x.freed = p.program.Each, func() { p.free(x) }
		late := time.AfterFunc(p.program.Wake, func() {
			x.end(&Failed{Why: Late, Detail: "it did not say hello within " + p.program.Wake.String()})
		})
		p.mu.Lock()
		p.running = append(p.running, x)
		closed := p.closed
		p.mu.Unlock()
		if closed {
			x.end(&Failed{Why: Closed, Detail: "it was stopped"})
		}
		x.run(&p.program, func(x *process) {
			late.Stop()
			p.mu.Lock()
			p.waking--
			p.woke, p.failing = time.Since(x.began), nil
			p.look()
			p.mu.Unlock()
		}, func(x *process) { late.Stop(); p.over(x) })
	})
}

// over takes a process out that has ended.
func (p *Pool) over(x *process) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for i, other := range p.running {
		if other == x {
			p.running = append(p.running[:i], p.running[i+1:]...)
			break
		}
	}
	if !x.ready {
		p.waking--
		p.failing = x.gone
	}
	p.peak = max(p.peak, x.peak)
	if state := x.cmd.ProcessState; state != nil {
		p.spent += state.UserTime() + state.SystemTime()
	}
	if text := x.words.text(); text != "" {
		p.complaint = text
	}
	if x.gone.Why != Closed {
		p.ended = x.gone.Detail
	}
	p.look()
}

// unnoticed is how long waking may take before it is told.
const unnoticed = 500 * time.Millisecond

// take finds a process with room, waking one if there is none, and puts the job on
// it.
func (p *Pool) take(ctx context.Context, id string, j *job) (*process, error) {
	told, tell := false, time.NewTimer(unnoticed)
	defer tell.Stop()
	for begun := false; ; {
		p.mu.Lock()
		if p.closed {
			p.mu.Unlock()
			return nil, &Failed{Why: Closed, Detail: "it is not in use any more"}
		}
		p.idle.Reset(p.program.Idle)
		for _, x := range p.running {
			if x.put(id, j) {
				p.asked++
				p.mu.Unlock()
				return x, nil
			}
		}
		if begun && p.failing != nil && p.waking == 0 {
			failed := p.failing
			p.mu.Unlock()
			return nil, failed
		}
		if p.waking == 0 && len(p.running) < p.program.Copies {
			p.failing = nil
			p.wakeOne()
			begun = true
		}
		waking, woke := p.waking > 0, p.woke
		begun = begun || waking
		changed := p.changed
		p.mu.Unlock()
		if !waking {
			tell.Reset(unnoticed)
		}
		select {
		case <-changed:
		case <-tell.C:
			if !told && waking && j.heard.Waking != nil {
				told = true
				j.heard.Waking(woke)
			}
		case <-ctx.Done():
			return nil, context.Cause(ctx)
		}
	}
}

// put puts a job on a process, if there is room.
func (x *process) put(id string, j *job) bool {
	x.mu.Lock()
	defer x.mu.Unlock()
	if !x.ready || x.leaves || len(x.jobs) >= x.atOnce {
		return false
	}
	x.jobs[id] = j
	x.leaves = x.once
	return true
}

// Ask asks the program once.
func (p *Pool) Ask(ctx context.Context, a Ask, heard Heard) (Done, error) {
	if p.program.Plain {
		return p.plain(ctx, a, heard)
	}
	id := strconv.FormatInt(p.ids.Add(1), 10)
	message, err := a.message(id)
	if err != nil {
		return Done{}, err
	}
	j := &job{heard: heard, over: make(chan struct{})}
	x, err := p.take(ctx, id, j)
	if err != nil {
		return Done{}, err
	}
	go func() { _ = x.say(message) }() // it may not be listening
	select {
	case <-j.over:
	case <-ctx.Done():
		x.cancel(id, j)
		return Done{}, context.Cause(ctx)
	}
	if j.failed != nil {
		return Done{}, j.failed
	}
	return j.done, nil
}

// free says that a process has room again, and lets it go if it is to leave.
func (p *Pool) free(x *process) {
	x.mu.Lock()
	leave := x.leaves && len(x.jobs) == 0 && x.gone == nil
	x.mu.Unlock()
	if leave {
		go x.leave()
	}
	p.mu.Lock()
	p.look()
	p.mu.Unlock()
}

// cancel tells a program that nobody waits for a reply any more. One that does not
// stop within the time for a farewell is ended, later if it is at others' replies
// too.
func (x *process) cancel(id string, j *job) {
	go func() { _ = x.say(cancelMessage(id)) }()
	go func() {
		for waited := time.Duration(0); ; waited += farewell {
			select {
			case <-j.over:
				return
			case <-time.After(farewell):
			}
			x.mu.Lock()
			alone := len(x.jobs) <= 1
			x.leaves = true
			x.mu.Unlock()
			if alone || waited > longFarewell {
				x.end(&Failed{Why: Closed, Detail: "it did not stop when it was told to"})
				return
			}
		}
	}()
	j.mu.Lock()
	j.heard = Heard{}
	j.mu.Unlock()
}

// State is how a program is doing.
type State struct {
	State           string // asleep, waking, ready, failing
	Running         int
	Asked, Starts   int
	Woke            time.Duration
	Memory, Peak    int64
	CPU             time.Duration
	Complaint, Last string
}

// State looks at the program.
func (p *Pool) State() State {
	p.mu.Lock()
	defer p.mu.Unlock()
	s := State{State: "asleep", Running: len(p.running), Asked: p.asked, Starts: p.starts, Woke: p.woke, Peak: p.peak,
		CPU: p.spent, Complaint: p.complaint, Last: p.ended}
	for _, x := range p.running {
		held := confined.Resident(x.cmd.Process.Pid)
		x.seen(held)
		x.mu.Lock()
		s.Memory += held
		s.Peak = max(s.Peak, x.peak)
		if x.ready {
			s.State = "ready"
		}
		x.mu.Unlock()
		s.CPU += confined.Processor(x.cmd.Process.Pid)
		if text := x.words.text(); text != "" {
			s.Complaint = text
		}
	}
	switch {
	case s.State == "ready":
	case p.waking > 0:
		s.State = "waking"
	case p.failing != nil:
		s.State = "failing"
	case p.program.Plain:
		s.State = "ready"
	}
	return s
}
