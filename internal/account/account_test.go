package account

import (
	"fmt"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"
)

func TestPasswords(t *testing.T) {
	hash := hashPassword("three words here")
	if !rightPassword("three words here", hash) || rightPassword("three words her", hash) {
		t.Error("a password is not told from another")
	}
	if other := hashPassword("three words here"); other == hash {
		t.Error("two hashes of one password are the same: there is no salt")
	}
	if strings.Contains(hash, "three") {
		t.Error("the hash holds the password")
	}
	// What is in the database may be damaged; then nobody gets in.
	for _, bad := range []string{"", "$", hash[:20], strings.Replace(hash, "argon2id", "argon2i", 1),
		hash[:strings.LastIndex(hash, "$")+1], strings.Replace(hash, "v=19", "v=18", 1)} {
		if rightPassword("three words here", bad) || rightPassword("", bad) {
			t.Errorf("the hash %q lets somebody in", bad)
		}
	}
}

func TestGoodPasswords(t *testing.T) {
	for password, good := range map[string]bool{
		"short": false, "ten-letter": true, "ünïcödé-ab": true, "password123": false, "1234567890": false,
		"aaaaaaaaaaaa": false, "qwertyuiop": false, "Password2026!": false, "abcabcabcabc": false, "Juvalogos1": false,
		"abcdefghijkl": false, "smoke rises slowly": true, "correct wax lantern": true, "8391-2745-9912-3321": true,
		"31.12.1999":                           false,
		"Ada Alder 1":                          false,
		strings.Repeat("x", longestPassword+1): false,
	} {
		if err := goodPassword(password, "Ada Alder"); (err == nil) != good {
			t.Errorf("%.20q: %v", password, err)
		}
	}
}

// Mistakes are counted for a name and an address together, and forgiven one after
// the other.
func TestPatience(t *testing.T) {
	var p patience
	now := time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)
	wrong := func(name, address string) time.Duration {
		wait, _ := p.begin(name, address, now)
		return wait
	}
	for i := range mistakesTogether {
		if wait := wrong("ada", "10.0.0.1"); wait != 0 {
			t.Fatalf("has to wait %v after %d", wait, i)
		}
	}
	if wait := wrong("ada", "10.0.0.1"); wait <= 0 || wait > mistakeEvery {
		t.Errorf("then it waits %v", wait)
	}
	if wait := wrong("ada", "10.0.0.2"); wait != 0 {
		t.Errorf("the same name waits %v elsewhere", wait)
	}
	if wait := wrong("bram", "10.0.0.1"); wait != 0 {
		t.Errorf("another name from the same address waits %v", wait)
	}
	now = now.Add(mistakeEvery)
	if wait := wrong("ada", "10.0.0.1"); wait != 0 {
		t.Errorf("after a while it waits %v", wait)
	}
	for i := range mistakesByAddress {
		wrong(fmt.Sprint("nobody", i), "10.0.0.3")
	}
	if wait := wrong("cleo", "10.0.0.3"); wait <= 0 {
		t.Error("an address may be wrong for ever")
	}
}

// Whoever signs in from where they did before is not kept out by anybody, and
// what was right does not count.
func TestNobodyLocksAnotherOut(t *testing.T) {
	var p patience
	now := time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)
	for range 1000 {
		wait, right := p.begin("ada", "10.0.0.1", now)
		if wait != 0 {
			t.Fatal("being right counts")
		}
		right()
	}
	for i := range 1000 {
		p.begin("ada", fmt.Sprint("10.1.", i/200, ".", i%200), now)
	}
	if wait, _ := p.begin("ada", "10.2.0.1", now); wait <= 0 {
		t.Error("a name may be tried from everywhere for ever")
	}
	if wait, _ := p.begin("ada", "10.0.0.1", now); wait != 0 {
		t.Errorf("the owner waits %v for what others did", wait)
	}
}

// Attempts side by side count as many.
func TestAttemptsSideBySideCount(t *testing.T) {
	var p patience
	now := time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)
	var allowed atomic.Int64
	var all sync.WaitGroup
	for range 100 {
		all.Go(func() {
			if wait, _ := p.begin("ada", "10.0.0.1", now); wait == 0 {
				allowed.Add(1)
			}
		})
	}
	all.Wait()
	if n := allowed.Load(); n != mistakesTogether {
		t.Errorf("%d of 100 were let through", n)
	}
}

// What is remembered is bounded, and making many names does not free those that
// are kept waiting.
func TestPatienceForgetsWhoeverHasRecovered(t *testing.T) {
	var p patience
	now := time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)
	for range mistakesTogether + 1 {
		p.begin("ada", "10.0.0.1", now)
	}
	for i := range 3 * mostCounted {
		p.begin(fmt.Sprint("n", i), fmt.Sprint("a", i), now)
	}
	if len(p.counts) > mostCounted+3 {
		t.Errorf("%d are remembered", len(p.counts))
	}
	if wait, _ := p.begin("ada", "10.0.0.1", now); wait <= 0 {
		t.Error("a flood of names frees whoever waits")
	}
}
