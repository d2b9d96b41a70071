package account

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"juvalogos/internal/fault"
	"juvalogos/internal/record"
)

// Scopes are what a token may be good for. A signed-in maker has all.
const (
	Ask     = "ask"     // ask at desks
	Read    = "read"    // see desks, models and conversations
	Publish = "publish" // change desks and remove conversations
	Manage  = "manage"  // tokens and connections
)

var allScopes = []string{Ask, Read, Publish, Manage}

// AllScopes are the scopes of a token that may do everything.
func AllScopes() []string { return slices.Clone(allScopes) }

// noToken is the error of whoever shows nothing at all.
var noToken = fault.Say(fault.TokenNeeded, "%s", "This needs a token: send it as \"Authorization: Bearer TOKEN\". "+
	"The first one is in client.yaml in the service's data folder. In a browser, sign in at /console.")

// longestTokenName is in bytes.
const longestTokenName = 60

// NewTokenSecret makes the secret of an API token. Its prefix lets scanners of
// repositories find one that was committed by mistake.
func NewTokenSecret() string { return "jvl_" + rand.Text() }

// AddToken makes a token of which Name, Scopes (nil: all) and ExpiresAt are
// given, and returns it with its secret, which is not kept.
func (s *Service) AddToken(ctx context.Context, t record.Token, by string) (made record.Token, secret string,
	err error) {
	if t.Name = strings.TrimSpace(t.Name); t.Name == "" || len(t.Name) > longestTokenName ||
		strings.ContainsAny(t.Name, "/?#") {
		return t, "", fault.Say(fault.Invalid, "Give the token a name of up to %d letters, without / ? #, that tells "+
			"what it is for.", longestTokenName)
	}
	if t.Scopes == nil {
		t.Scopes = allScopes
	}
	for _, scope := range t.Scopes {
		if !slices.Contains(allScopes, scope) {
			return t, "", fault.Say(fault.Invalid, "There is no scope %q; there are: %s.", scope,
				strings.Join(allScopes, ", "))
		}
	}
	if len(t.Scopes) == 0 {
		return t, "", fault.Say(fault.Invalid, "Choose at least one thing that the token is good for: %s.",
			strings.Join(allScopes, ", "))
	}
	if t.ExpiresAt != nil && t.ExpiresAt.Before(s.Now()) {
		return t, "", fault.Say(fault.Invalid, "The token's last day is over already; choose one that is to come.")
	}
	secret = NewTokenSecret()
	made, err = s.Store.AddToken(ctx, t, secret)
	if err == nil {
		s.Log.Info("token added", "token", t.Name, "scopes", t.Scopes, "expires", t.ExpiresAt, "by", by)
	}
	if errors.Is(err, record.ErrDuplicate) {
		err = fault.Say(fault.Exists, "There is a token named %q already. Choose another name, or remove that one.",
			t.Name)
	}
	return made, secret, err
}

// Login makes a token that may do everything for a program of an account, in
// place of an older one that the program had.
func (s *Service) Login(ctx context.Context, a record.Account, program string) (made record.Token, secret string,
	err error) {
	expires := s.Now().Add(loginLife)
	name := fmt.Sprintf("%s, %s", program, a.Name)
	if err := s.Store.RemoveToken(ctx, name, s.Now()); err != nil && !errors.Is(err, record.ErrNotFound) {
		return made, "", err
	}
	s.tokens.clear()
	return s.AddToken(ctx, record.Token{Name: name, Scopes: allScopes, ExpiresAt: &expires, Account: &a.ID}, a.Name)
}

// Tokens lists all tokens by name.
func (s *Service) Tokens(ctx context.Context) ([]record.Token, error) { return s.Store.Tokens(ctx) }

// RemoveToken makes a token worthless. RestoreToken brings it back for an hour.
func (s *Service) RemoveToken(ctx context.Context, name, by string) error {
	return s.changed(s.Store.RemoveToken(ctx, name, s.Now()), "There is no token named %q.", name, "token removed", by)
}

// RestoreToken makes a removed token good again.
func (s *Service) RestoreToken(ctx context.Context, name, by string) error {
	return s.changed(s.Store.RestoreToken(ctx, name), "There is no removed token named %q.", name, "token restored",
		by)
}

func (s *Service) changed(err error, missing, name, what, by string) error {
	if errors.Is(err, record.ErrNotFound) {
		return fault.Say(fault.NotHere, missing, name)
	}
	if err == nil {
		s.tokens.clear()
		s.Log.Info(what, "token", name, "by", by)
	}
	return err
}

// Token finds the token whose secret a program shows.
func (s *Service) Token(ctx context.Context, secret string) (record.Token, error) {
	if secret == "" {
		return record.Token{}, noToken
	}
	if t, ok := s.tokens.get(secret, s.Now()); ok {
		return t, nil
	}
	t, err := s.Store.TokenBySecret(ctx, secret, s.Now())
	if errors.Is(err, record.ErrNotFound) {
		return record.Token{}, fault.Say(fault.TokenNeeded, "This token is not known here. It may have been removed, "+
			"or have expired.")
	}
	if err == nil {
		s.tokens.put(secret, t, s.Now())
	}
	return t, err
}

// tokenCache spares a look-up per request. A removed token is forgotten at
// once here, and within tokenCacheFor by other instances.
type tokenCache struct {
	mu    sync.Mutex
	known map[[32]byte]cachedToken
}

type cachedToken struct {
	token record.Token
	until time.Time
}

const (
	tokenCacheFor  = 2 * time.Second
	tokenCacheMost = 1000
)

func (t *tokenCache) get(secret string, now time.Time) (record.Token, bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	e, ok := t.known[sha256.Sum256([]byte(secret))]
	return e.token, ok && now.Before(e.until)
}

func (t *tokenCache) put(secret string, token record.Token, now time.Time) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.known == nil || len(t.known) > tokenCacheMost {
		t.known = map[[32]byte]cachedToken{}
	}
	t.known[sha256.Sum256([]byte(secret))] = cachedToken{token, now.Add(tokenCacheFor)}
}

func (t *tokenCache) clear() {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.known = nil
}
