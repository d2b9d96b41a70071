package store_test

import (
	"errors"
	"testing"
	"time"

	"juvalogos/internal/record"
	"juvalogos/internal/store/storetest"
)

func TestTokens(t *testing.T) {
	s := storetest.Open(t)
	now := time.Now()
	soon := now.Add(time.Hour)
	if _, err := s.Accounts.AddToken(ctx, record.Token{Name: "script", Scopes: []string{"ask"}, ExpiresAt: &soon},
		"secret"); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Accounts.AddToken(ctx, record.Token{Name: "script", Scopes: []string{"ask"}},
		"other"); !errors.Is(err, record.ErrDuplicate) {
		t.Errorf("the same name: %v", err)
	}
	if token, err := s.Accounts.TokenBySecret(ctx, "secret", now); err != nil || token.Name != "script" ||
		len(token.Scopes) != 1 || token.UsedAt != nil {
		t.Errorf("found %+v, %v", token, err)
	}
	if list, err := s.Accounts.Tokens(ctx); err != nil || len(list) != 1 || list[0].UsedAt == nil {
		t.Errorf("its use was not noted: %+v, %v", list, err)
	}
	if _, err := s.Accounts.TokenBySecret(ctx, "secret", soon.Add(time.Second)); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("expired: %v", err)
	}
	if err := s.Accounts.RemoveToken(ctx, "script", now); err != nil {
		t.Fatal(err)
	}
	if _, err := s.Accounts.TokenBySecret(ctx, "secret", now); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("removed: %v", err)
	}
	if err := s.Accounts.RestoreToken(ctx, "script"); err != nil {
		t.Error(err)
	}
	if _, err := s.Accounts.TokenBySecret(ctx, "secret", now); err != nil {
		t.Errorf("brought back: %v", err)
	}
	if err := s.Accounts.RemoveToken(ctx, "script", now); err != nil {
		t.Error(err)
	}
	if err := s.Accounts.PurgeAccess(ctx, now.Add(time.Second)); err != nil {
		t.Error(err)
	}
	if err := s.Accounts.RestoreToken(ctx, "script"); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("brought back after the purge: %v", err)
	}
	if err := s.Accounts.RemoveToken(ctx, "script", now); !errors.Is(err, record.ErrNotFound) {
		t.Errorf("removed twice: %v", err)
	}
}

func TestTheFirstLinkWorksOnce(t *testing.T) {
	s := storetest.Open(t)
	now := time.Now()
	for _, secret := range []string{"old", "new"} {
		if err := s.Accounts.SetFirstLink(ctx, secret, now); err != nil {
			t.Fatal(err)
		}
	}
	if any, err := s.Accounts.AnyAccount(ctx); any || err != nil {
		t.Errorf("an account before there is one: %v, %v", any, err)
	}
	for _, c := range []struct {
		secret string
		works  bool
	}{{"old", false}, {"new", true}, {"new", false}} {
		_, err := s.Accounts.AddFirstAccount(ctx, c.secret, "ada", "hash")
		if works := err == nil; works != c.works || !works && !errors.Is(err, record.ErrNotFound) {
			t.Errorf("link %q: %v", c.secret, err)
		}
	}
	if a, err := s.Accounts.Account(ctx, "ada"); err != nil || a.Password != "hash" {
		t.Errorf("account %+v, %v", a, err)
	}
}

func TestSessionsEnd(t *testing.T) {
	s := storetest.Open(t)
	now := time.Now()
	if err := s.Accounts.SetFirstLink(ctx, "link", now); err != nil {
		t.Fatal(err)
	}
	a, err := s.Accounts.AddFirstAccount(ctx, "link", "ada", "hash")
	if err != nil {
		t.Fatal(err)
	}
	session := func(secret string) record.Session {
		t.Helper()
		n, err := s.Accounts.AddSession(ctx, secret,
			record.Session{Account: a.ID, Browser: "b", MadeAt: now, ExpiresAt: now.Add(time.Hour)})
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	open := func(secret string, at time.Time) bool {
		t.Helper()
		got, err := s.Accounts.SessionBySecret(ctx, secret, at)
		if err != nil && !errors.Is(err, record.ErrNotFound) || err == nil && got.Name != "ada" {
			t.Errorf("session %q: %+v, %v", secret, got, err)
		}
		return err == nil
	}
	one, _, three := session("one"), session("two"), session("three")
	if !open("one", now) || open("one", now.Add(2*time.Hour)) {
		t.Error("sessions do not end when they are to")
	}
	if err := s.Accounts.EndSession(ctx, a.ID, one.ID); err != nil || open("one", now) {
		t.Errorf("ended: %v", err)
	}
	if err := s.Accounts.SetPassword(ctx, a.ID, "other", three.ID, false); err != nil || open("two", now) ||
		!open("three", now) {
		t.Errorf("another password does not end the other sessions: %v", err)
	}
}
