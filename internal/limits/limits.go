// Package limits says how much anybody may take in a while: one table of what is
// counted for whom, and one place where it is reserved and settled.
//
//	r, err := table.Reserve(ctx, "hive-helper", limits.Amounts{limits.Questions: 1, limits.AtOnce: 1})
//	if err != nil {
//		return err // *Exceeded: a sentence, and when to try again
//	}
//	defer r.Done()
package limits

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"juvalogos/core/phrase"
	"juvalogos/internal/fair"
)

// Thing is what is counted.
type Thing string

// The things.
const (
	Questions     Thing = "questions"       // asked, or replies written again
	AtOnce        Thing = "at-once"         // replies that are being written
	Streams       Thing = "streams"         // by which pages come back to replies on their way
	Conversations Thing = "conversations"   // begun
	Uploads       Thing = "uploads"         // requests that bring files
	UploadsAtOnce Thing = "uploads-at-once" // of them on their way
	UploadBytes   Thing = "upload-bytes"    // of files
	Errands       Thing = "errands"         // on which something is brought
	ErrandsAtOnce Thing = "errands-at-once" // of them on their way
	FetchedBytes  Thing = "fetched-bytes"   // that errands fetched
	SoundMinutes  Thing = "sound-minutes"   // that are written down
	SpokenLetters Thing = "spoken-letters"  // that are read aloud
)

// Whose says for whom something is counted.
type Whose string

// For whom: a visitor, an address, a program with a token, a desk. A program
// counts as that alone, since its token was given to it.
const (
	Visitor Whose = "visitor"
	Address Whose = "address"
	Program Whose = "program"
	Desk    Whose = "desk"
	Service Whose = "service" // of all visitors
)

// Limit is a line of the table.
type Limit struct {
	Thing Thing
	Whose Whose
	Most  int64
	Per   time.Duration // in which so much becomes free again; 0: what is held at once
}

func (l Limit) String() string {
	text := fmt.Sprintf("%s.%s=%d", l.Thing, l.Whose, l.Most)
	if l.Per > 0 {
		text += "/" + strings.TrimSuffix(strings.TrimSuffix(l.Per.String(), "0s"), "0m")
	}
	return text
}

// Defaults are limits that a person never meets, and few offices.
var Defaults = []Limit{
	{Questions, Visitor, 20, time.Minute},
	{Questions, Address, 240, time.Minute},
	{Questions, Program, 1200, time.Minute},
	{Questions, Desk, 6000, time.Minute},
	{AtOnce, Visitor, 4, 0},
	{AtOnce, Address, 60, 0},
	{AtOnce, Program, 2500, 0},
	{AtOnce, Desk, 5000, 0},
	{Streams, Visitor, 40, 0},
	{Streams, Address, 600, 0},
	{Conversations, Visitor, 30, 10 * time.Minute},
	{Conversations, Address, 600, 10 * time.Minute},
	{Conversations, Desk, 20_000, 10 * time.Minute},
	{Uploads, Visitor, 60, 10 * time.Minute},
	{Uploads, Address, 600, 10 * time.Minute},
	{Uploads, Desk, 6000, 10 * time.Minute},
	{UploadsAtOnce, Visitor, 4, 0},
	{UploadsAtOnce, Address, 20, 0},
	{UploadsAtOnce, Service, 80, 0},
	{UploadBytes, Visitor, 1 << 30, time.Hour},
	{UploadBytes, Address, 8 << 30, time.Hour},
	{UploadBytes, Desk, 80 << 30, time.Hour},
	{Errands, Visitor, 40, 10 * time.Minute},
	{Errands, Address, 400, 10 * time.Minute},
	{Errands, Desk, 4000, 10 * time.Minute},
	{ErrandsAtOnce, Visitor, 3, 0},
	{ErrandsAtOnce, Address, 15, 0},
	{ErrandsAtOnce, Service, 60, 0},
	{FetchedBytes, Visitor, 300 << 20, time.Hour},
	{FetchedBytes, Address, 2 << 30, time.Hour},
	{FetchedBytes, Desk, 20 << 30, time.Hour},
	{FetchedBytes, Service, 40 << 30, time.Hour},
	{SoundMinutes, Visitor, 600, time.Hour},
	{SoundMinutes, Address, 6000, time.Hour},
	{SoundMinutes, Program, 6000, time.Hour},
	{SoundMinutes, Desk, 60_000, time.Hour},
	{SpokenLetters, Visitor, 60_000, 10 * time.Minute},
	{SpokenLetters, Address, 600_000, 10 * time.Minute},
	{SpokenLetters, Program, 600_000, 10 * time.Minute},
	{SpokenLetters, Desk, 6_000_000, 10 * time.Minute},
}

// Parse reads limits that differ from the defaults: "off" for none at all, else
// THING.WHOSE=MOST or THING.WHOSE=MOST/TIME with commas between, where a most of
// "off" takes a limit away. It fails if there is no such limit or it is no number.
func Parse(text string) ([]Limit, error) {
	if strings.TrimSpace(text) == "off" {
		return nil, nil
	}
	all := slices.Clone(Defaults)
	for entry := range strings.SplitSeq(text, ",") {
		if entry = strings.TrimSpace(entry); entry == "" {
			continue
		}
		name, value, _ := strings.Cut(entry, "=")
		at := slices.IndexFunc(all, func(l Limit) bool { return string(l.Thing)+"."+string(l.Whose) == name })
		if at < 0 {
			return nil, fmt.Errorf("there is no limit %q; there are: %s", name, names())
		}
		if value == "off" {
			all = slices.Delete(all, at, at+1)
			continue
		}
		most, per, timed := strings.Cut(value, "/")
		n, err := strconv.ParseInt(most, 10, 64)
		if err != nil || n < 1 {
			return nil, fmt.Errorf("%s=%s: write a whole number from 1 on, or off", name, value)
		}
		all[at].Most = n
		if !timed {
			continue
		}
		if all[at].Per == 0 {
			return nil, fmt.Errorf("%s counts what is there at once; leave out /%s", name, per)
		}
		if all[at].Per, err = time.ParseDuration(per); err != nil || all[at].Per < time.Second {
			return nil, fmt.Errorf("%s=%s: %q is no time; write one like 1m or 24h", name, value, per)
		}
	}
	return all, nil
}

func names() string {
	var all []string
	for _, l := range Defaults {
		all = append(all, string(l.Thing)+"."+string(l.Whose))
	}
	return strings.Join(all, ", ")
}

// Exceeded is the error of whoever is over a limit.
type Exceeded struct {
	Limit Limit
	After time.Duration // when to try again
	What  phrase.Phrase
}

func (e *Exceeded) Error() string { return e.What.String() }

// Seconds is when to try again, whole seconds from 1 on.
func (e *Exceeded) Seconds() int { return max(1, int(math.Ceil(e.After.Seconds()))) }

// Amounts are how much of each thing is asked for.
type Amounts map[Thing]int64

// Table counts. Make one with NewTable; it is safe for concurrent use.
type Table struct {
	limits []Limit
	now    func() time.Time

	mu      sync.Mutex
	counts  map[key]*count
	refused map[refusalKey]*Refusal
}

// key is who is counted for by a limit.
type key struct {
	limit int
	who   string
}

// count is how much is taken, and when that was so.
type count struct {
	taken float64
	at    time.Time
}

type refusalKey struct {
	limit int
	desk  string
}

// Refusal is what makers read of refusals.
type Refusal struct {
	Limit Limit
	Desk  string
	Times int
	Last  time.Time
	// Parties is how many were refused, counted up to a hundred.
	Parties int
	parties map[string]bool
}

// NewTable makes a table of limits; no limits bound nothing. A nil now is time.Now.
func NewTable(all []Limit, now func() time.Time) *Table {
	if now == nil {
		now = time.Now
	}
	return &Table{limits: all, now: now, counts: map[key]*count{}, refused: map[refusalKey]*Refusal{}}
}

// programMark begins the names of visitors that are programs.
const programMark = "program "

// ProgramParty is the party of a program with a token of a name.
func ProgramParty(token string) fair.Party { return fair.Party{Visitor: programMark + token} }

// who is for whom a limit counts; "" if not at all.
func (w Whose) who(p fair.Party, desk string) string {
	program := strings.HasPrefix(p.Visitor, programMark)
	switch {
	case w == Desk:
		return desk
	case w == Service && p != (fair.Party{}):
		return string(Service)
	case w == Program && program, w == Visitor && !program:
		return p.Visitor
	case w == Address && !program:
		return p.Address
	}
	return ""
}

// Reservation is what somebody has taken. The nil one holds nothing.
type Reservation struct {
	table   *Table
	taken   map[key]int64
	release func()
}

// Reserve takes amounts for the context's party at a desk: all or nothing. The
// error is *Exceeded. A nil table bounds nothing.
func (t *Table) Reserve(ctx context.Context, desk string, amounts Amounts) (*Reservation, error) {
	if t == nil {
		return nil, nil
	}
	p := fair.Of(ctx)
	t.mu.Lock()
	defer t.mu.Unlock()
	r := &Reservation{table: t, taken: map[key]int64{}}
	r.release = sync.OnceFunc(func() { t.giveBack(r.taken, func(l Limit) bool { return l.Per == 0 }) })
	for i, l := range t.limits {
		amount, asked := amounts[l.Thing]
		who := l.Whose.who(p, desk)
		if !asked || who == "" {
			continue
		}
		c := t.count(key{i, who})
		if over := c.taken + float64(max(amount, 1)) - float64(l.Most); over > 0 {
			return nil, t.refuse(i, who, desk, over)
		}
		r.taken[key{i, who}] = amount
	}
	for k, amount := range r.taken {
		t.counts[k].taken += float64(amount)
	}
	t.forget()
	return r, nil
}

// Take adds what was not known when it was reserved, as the bytes of a file; it
// may go beyond the limit, which the next reservation then meets.
func (r *Reservation) Take(thing Thing, amount int64) {
	if r == nil {
		return
	}
	r.table.mu.Lock()
	defer r.table.mu.Unlock()
	for k := range r.taken {
		if r.table.limits[k.limit].Thing == thing {
			r.table.count(k).taken += float64(amount)
			r.taken[k] += amount
		}
	}
}

// Done gives back what is held at once. More than once does no harm.
func (r *Reservation) Done() {
	if r != nil {
		r.release()
	}
}

// Undo gives back everything: what it was for did not happen.
func (r *Reservation) Undo() {
	if r == nil {
		return
	}
	r.release()
	r.table.giveBack(r.taken, func(l Limit) bool { return l.Per > 0 })
	r.taken = nil
}

func (t *Table) giveBack(taken map[key]int64, which func(Limit) bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	for k, amount := range taken {
		if which(t.limits[k.limit]) {
			c := t.count(k)
			c.taken = max(0, c.taken-float64(amount))
		}
	}
}

// count is a count as it is now. The caller holds mu.
func (t *Table) count(k key) *count {
	now := t.now()
	c := t.counts[k]
	if c == nil {
		c = &count{at: now}
		t.counts[k] = c
	}
	if l := t.limits[k.limit]; l.Per > 0 {
		if past := now.Sub(c.at); past > 0 {
			c.taken = max(0, c.taken-past.Seconds()*float64(l.Most)/l.Per.Seconds())
			c.at = now
		}
	}
	return c
}

// whenFree is when to come again where nobody knows when room will be.
const whenFree = 10 * time.Second

// refuse is the error of whoever is over a limit by so much. The caller holds mu.
func (t *Table) refuse(limit int, who, desk string, over float64) error {
	l := t.limits[limit]
	e := &Exceeded{Limit: l, After: whenFree}
	if l.Per > 0 {
		e.After = time.Duration(over / float64(l.Most) * float64(l.Per))
	}
	e.What = sentence(l, e.Seconds())
	r := t.refused[refusalKey{limit, desk}]
	if r == nil {
		if len(t.refused) >= mostCounted {
			return e
		}
		r = &Refusal{Limit: l, Desk: desk, parties: map[string]bool{}}
		t.refused[refusalKey{limit, desk}] = r
	}
	r.Times++
	r.Last = t.now()
	if len(r.parties) < 100 {
		r.parties[who] = true
	}
	r.Parties = len(r.parties)
	return e
}

// sentence is what is said to whoever is over a limit.
func sentence(l Limit, seconds int) phrase.Phrase {
	switch {
	case l.Thing == AtOnce && l.Whose == Visitor:
		return phrase.Of("%d of your replies are being written already. Wait for one of them, or stop it.", l.Most)
	case l.Thing == Streams && l.Whose == Visitor:
		return phrase.Of("Your conversations are open in very many places at once. Close some of them.")
	case l.Thing == UploadsAtOnce && l.Whose == Visitor:
		return phrase.Of("%d of your uploads are on their way already. Wait for one of them.", l.Most)
	case l.Thing == ErrandsAtOnce && l.Whose == Visitor:
		return phrase.Of("%d things are being fetched for you already. Wait for one of them, or stop it.", l.Most)
	case l.Whose == Desk || l.Whose == Service:
		return phrase.Of("Too many are asking here at the moment. Please try again in %d seconds.", seconds)
	case l.Whose == Address:
		return phrase.Of("Very much came from your network in a short while. Please try again in %d seconds.", seconds)
	}
	return phrase.Of("That was very much in a short while. Please try again in %d seconds.", seconds)
}

// Limits are the lines of the table.
func (t *Table) Limits() []Limit {
	if t == nil {
		return nil
	}
	return slices.Clone(t.limits)
}

// Refusals are what was refused since the start, the latest first.
func (t *Table) Refusals() []Refusal {
	if t == nil {
		return nil
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	all := make([]Refusal, 0, len(t.refused))
	for _, r := range t.refused {
		all = append(all, *r)
	}
	slices.SortFunc(all, func(a, b Refusal) int { return b.Last.Compare(a.Last) })
	return all
}

// mostCounted is how many are remembered; then those that are as good as new are
// forgotten.
const mostCounted = 50_000

// forget makes room. The caller holds mu.
func (t *Table) forget() {
	if len(t.counts) <= mostCounted {
		return
	}
	for _, part := range []float64{0.01, 0.25, 0.75} {
		maps.DeleteFunc(t.counts, func(k key, _ *count) bool {
			l := t.limits[k.limit]
			// What is held now is never forgotten: it will be given back.
			return t.count(k).taken <= part*float64(l.Most) && (l.Per > 0 || t.counts[k].taken == 0)
		})
		if len(t.counts) <= mostCounted/2 {
			return
		}
	}
}
