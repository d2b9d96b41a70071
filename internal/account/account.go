// Package account holds the rules of accounts: who may sign in, with which
// password and how often they may be wrong, which browsers are signed in, and
// what programs may do with their tokens. Secrets are kept as hashes only.
//
//	a, err := accounts.SignIn(ctx, name, password, address)
//	secret, err := accounts.Begin(ctx, a, "Firefox on Linux") // the cookie of a session
//	session, err := accounts.Session(ctx, secret)
//
// Errors that somebody may be shown are *fault.Problem.
package account

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/store"
)

// Options are what a Service is made of.
type Options struct {
	Store *store.Accounts
	Log   *slog.Logger
	// Now is the clock; nil means time.Now.
	Now func() time.Time
}

// Service is the accounts, sessions and tokens. It is safe for concurrent use.
type Service struct {
	Options
	patience patience
	tokens   tokenCache
}

// New returns a service of accounts.
func New(o Options) *Service {
	if o.Now == nil {
		o.Now = time.Now
	}
	return &Service{Options: o}
}

const (
	shortestPassword = 10 // characters
	longestPassword  = 1000
	longestName      = 60
	// SessionLife is how long a browser stays signed in.
	SessionLife = 30 * 24 * time.Hour
	// loginLife is how long the command line does.
	loginLife = 90 * 24 * time.Hour
	// keepRemoved is how long a removed token or connection can be brought back.
	keepRemoved = time.Hour
)

// AddFirst makes the first account, with what the one-time link ends with.
func (s *Service) AddFirst(ctx context.Context, link, name, password string) (record.Account, error) {
	name = strings.TrimSpace(name)
	if n := utf8.RuneCountInString(name); n == 0 || n > longestName {
		return record.Account{}, fault.Say(fault.Invalid, "Give your account a name of up to %d characters.",
			longestName)
	}
	if err := goodPassword(password, name); err != nil {
		return record.Account{}, err
	}
	a, err := s.Store.AddFirstAccount(ctx, link, name, hashPassword(password))
	if errors.Is(err, record.ErrNotFound) {
		return a, fault.Say(fault.Forbidden,
			"This link has been used, or is an old one. Sign in, or look for the newest link where the service was "+
				"started.")
	}
	if err == nil {
		s.Log.Info("the owner's account is made", "name", a.Name)
	}
	return a, err
}

func goodPassword(password, name string) error {
	if n := utf8.RuneCountInString(password); n < shortestPassword || n > longestPassword {
		return fault.Say(fault.Invalid, "Choose a password of at least %d characters; three or four words do well.",
			shortestPassword)
	}
	if isCommon(password, name) {
		return fault.Say(fault.Invalid, "This password is among the first that anybody tries. Choose another; three "+
			"or "+
			"four words do well.")
	}
	return nil
}

// TooSoon is the error of another attempt after too many wrong ones.
type TooSoon struct{ Wait time.Duration }

func (e *TooSoon) Error() string {
	return fmt.Sprintf("Too many attempts with a wrong password. Try again in %d seconds.", e.Seconds())
}

// Seconds is how long to wait, rounded up.
func (e *TooSoon) Seconds() int { return int(e.Wait.Seconds()) + 1 }

// dummyHash is checked for a name that is not known, so that it takes as long as
// for one that is.
var dummyHash = sync.OnceValue(func() string { return hashPassword(rand.Text()) })

// SignIn holds a name and password against the accounts. address is where the
// attempt comes from; after many wrong ones the error is *TooSoon.
func (s *Service) SignIn(ctx context.Context, name, password, address string) (record.Account, error) {
	name = strings.TrimSpace(name)
	if len(name) > 4*longestName || len(password) > 4*longestPassword {
		return record.Account{}, fault.Say(fault.WrongPassword, "This name and password do not go together.")
	}
	wait, right := s.patience.begin(name, address, s.Now())
	if wait > 0 {
		s.Log.Warn("too many wrong names or passwords", "address", address)
		return record.Account{}, &TooSoon{wait}
	}
	a, err := s.Store.Account(ctx, name)
	if err != nil && !errors.Is(err, record.ErrNotFound) {
		return a, err
	}
	hash := a.Password
	if err != nil {
		hash = dummyHash()
	}
	if !rightPassword(password, hash) || err != nil {
		s.Log.Warn("a wrong name or password", "address", address)
		return a, fault.Say(fault.WrongPassword, "This name and password do not go together.")
	}
	right()
	s.Log.Info("signed in", "name", a.Name, "address", address)
	return a, nil
}

// Begin signs a browser in and returns the secret that it shows from then on.
func (s *Service) Begin(ctx context.Context, a record.Account, browser string) (secret string, err error) {
	secret, now := rand.Text()+rand.Text(), s.Now()
	_, err = s.Store.AddSession(ctx, secret,
		record.Session{Account: a.ID, Browser: browser, MadeAt: now, ExpiresAt: now.Add(SessionLife)})
	return secret, err
}

// Session finds the session whose secret a browser shows.
func (s *Service) Session(ctx context.Context, secret string) (record.Session, error) {
	if secret == "" {
		return record.Session{}, noToken
	}
	found, err := s.Store.SessionBySecret(ctx, secret, s.Now())
	if errors.Is(err, record.ErrNotFound) {
		err = fault.Say(fault.TokenNeeded, "You are signed out. Sign in again.")
	}
	return found, err
}

// CSRF is the token that belongs to a session's secret, which cannot be worked
// out from it.
func CSRF(secret string) string {
	sum := sha256.Sum256([]byte("csrf:" + secret))
	return hex.EncodeToString(sum[:16])
}

// Sessions lists the browsers that an account is signed in with.
func (s *Service) Sessions(ctx context.Context, account int64) ([]record.Session, error) {
	return s.Store.Sessions(ctx, account, s.Now())
}

// EndSession signs a browser of an account out.
func (s *Service) EndSession(ctx context.Context, account, id int64) error {
	err := s.Store.EndSession(ctx, account, id)
	if errors.Is(err, record.ErrNotFound) {
		return fault.Say(fault.NotHere, "That browser is signed out already.")
	}
	return err
}

// SetPassword changes an account's password, which is to be known, and signs
// all its browsers out but the one that asks.
func (s *Service) SetPassword(ctx context.Context, session record.Session, old, fresh, address string,
	tokens bool) error {
	if _, err := s.SignIn(ctx, session.Name, old, address); err != nil {
		return err
	}
	if err := goodPassword(fresh, session.Name); err != nil {
		return err
	}
	if err := s.Store.SetPassword(ctx, session.Account, hashPassword(fresh), session.ID, tokens); err != nil {
		return err
	}
	s.tokens.clear()
	s.Log.Info("password changed; other browsers are signed out", "name", session.Name, "address", address,
		"command_lines_too", tokens)
	return nil
}

// Purge forgets for good what was removed more than an hour ago: tokens, and
// connections with their keys; and sessions that had expired then.
func (s *Service) Purge(ctx context.Context) {
	if err := s.Store.PurgeAccess(ctx, s.Now().Add(-keepRemoved)); err != nil && ctx.Err() == nil {
		s.Log.Warn("deleting removed tokens and connections", "error", err)
	}
}
