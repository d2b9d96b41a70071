package account

import (
	"strings"
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
		"short": false, "ten-letter": true, "ünïcödé-ab": true, strings.Repeat("x", longestPassword+1): false,
	} {
		if err := goodPassword(password); (err == nil) != good {
			t.Errorf("%.20q: %v", password, err)
		}
	}
}

// Mistakes are counted for each name and each address, and forgiven one after
// the other.
func TestPatience(t *testing.T) {
	var p patience
	now := time.Date(2026, 5, 1, 12, 0, 0, 0, time.UTC)
	for range mistakesByName {
		if wait := p.wait("ada", "10.0.0.1", now); wait != 0 {
			t.Fatalf("has to wait %v too soon", wait)
		}
		p.mistake("ada", "10.0.0.1", now)
	}
	if wait := p.wait("ada", "10.0.0.2", now); wait <= 0 || wait > mistakeEvery {
		t.Errorf("from elsewhere the same name waits %v", wait)
	}
	if wait := p.wait("bram", "10.0.0.1", now); wait != 0 {
		t.Errorf("another name from the same address waits %v", wait)
	}
	if wait := p.wait("ada", "10.0.0.1", now.Add(mistakeEvery)); wait != 0 {
		t.Errorf("after a while it waits %v", wait)
	}
	for range mistakesByAddress {
		p.mistake("nobody", "10.0.0.3", now)
	}
	if wait := p.wait("cleo", "10.0.0.3", now); wait <= 0 {
		t.Error("an address may be wrong for ever")
	}
}
