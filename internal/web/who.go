package web

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/record"
)

// A visitor is known by a random cookie, a maker by the cookie of a session, a
// program by its token. All are kept only as hashes.
const (
	visitorCookie = "juvalogos_visitor"
	visitorLife   = 400 * 24 * time.Hour // the longest that browsers keep one
	sessionCookie = "juvalogos_session"
	sessionLife   = 30 * 24 * time.Hour
)

// Scopes are what a token may be good for. A signed-in maker has all.
const (
	scopeAsk     = "ask"     // ask at desks
	scopeRead    = "read"    // see desks, models and conversations
	scopePublish = "publish" // change desks and remove conversations
	scopeManage  = "manage"  // tokens and connections
)

var allScopes = []string{scopeAsk, scopeRead, scopePublish, scopeManage}

// visitor finds out who asks, and gives a newcomer a cookie.
func (s *Server) visitor(c fiber.Ctx) (record.Visitor, error) {
	if bearer(c) != "" {
		t, err := s.token(c)
		if err == nil && !slices.Contains(t.Scopes, scopeAsk) {
			err = missing(scopeAsk)
		}
		return sha256.Sum256([]byte("token:" + t.Name)), err
	}
	secret := c.Cookies(visitorCookie)
	if len(secret) < 20 || len(secret) > 100 {
		secret = rand.Text()
		s.setCookie(c, visitorCookie, secret, visitorLife)
	}
	return sha256.Sum256([]byte("cookie:" + secret)), nil
}

// setCookie gives the browser a secret that no script can read; a life of 0
// takes it away.
func (s *Server) setCookie(c fiber.Ctx, name, secret string, life time.Duration) {
	age := int(life.Seconds())
	if age == 0 {
		age = -1
	}
	c.Cookie(&fiber.Cookie{
		Name: name, Value: secret, Path: s.BasePath + "/", MaxAge: age,
		HTTPOnly: true, SameSite: fiber.CookieSameSiteLaxMode,
		Secure: c.Protocol() == "https" || c.Get("X-Forwarded-Proto") == "https",
	})
}

func bearer(c fiber.Ctx) string {
	kind, secret, _ := strings.Cut(c.Get("Authorization"), " ")
	if !strings.EqualFold(kind, "bearer") {
		return ""
	}
	return strings.TrimSpace(secret)
}

// maker is who acts on desks: a program with a token, or somebody signed in.
type maker struct {
	name    string
	scopes  []string
	session *record.Session // nil for a token
}

type makerKey struct{}

// allowed lets only makers pass that have a scope.
func (s *Server) allowed(scope string, h fiber.Handler) fiber.Handler {
	return func(c fiber.Ctx) error {
		m, err := s.maker(c)
		if err != nil {
			return err
		}
		if !slices.Contains(m.scopes, scope) {
			return missing(scope)
		}
		c.Locals(makerKey{}, m)
		return h(c)
	}
}

// by names the maker of a request that allowed has let pass.
func by(c fiber.Ctx) string { return c.Locals(makerKey{}).(maker).name }

func missing(scope string) error {
	return fiber.NewError(fiber.StatusForbidden, "This token is not good for this: it lacks the scope "+scope+". Make one that has it.")
}

var errNoToken = fiber.NewError(fiber.StatusUnauthorized, "This needs a token: send it as \"Authorization: Bearer TOKEN\". The first one is in client.yaml in the service's data folder. In a browser, sign in at /console.")

// maker finds out who acts. A change asked for by a session needs the token
// that only our own page can read.
func (s *Server) maker(c fiber.Ctx) (maker, error) {
	if bearer(c) != "" {
		t, err := s.token(c)
		return maker{name: t.Name, scopes: t.Scopes}, err
	}
	session, secret, err := s.session(c)
	if err != nil {
		return maker{}, err
	}
	if c.Method() != fiber.MethodGet && c.Method() != fiber.MethodHead && c.Get("X-CSRF-Token") != csrfToken(secret) {
		return maker{}, fiber.NewError(fiber.StatusForbidden, "This page is out of date. Load it again.")
	}
	return maker{name: session.Name, scopes: allScopes, session: &session}, nil
}

// session finds the session that a browser shows.
func (s *Server) session(c fiber.Ctx) (record.Session, string, error) {
	secret := c.Cookies(sessionCookie)
	if secret == "" {
		return record.Session{}, "", errNoToken
	}
	found, err := s.Store.Accounts.SessionBySecret(c, secret, time.Now())
	if errors.Is(err, record.ErrNotFound) {
		return found, "", fiber.NewError(fiber.StatusUnauthorized, "You are signed out. Sign in again.")
	}
	return found, secret, err
}

// csrfToken belongs to a session's secret, which cannot be worked out from it.
func csrfToken(secret string) string {
	sum := sha256.Sum256([]byte("csrf:" + secret))
	return hex.EncodeToString(sum[:16])
}

func (s *Server) token(c fiber.Ctx) (record.Token, error) {
	secret := bearer(c)
	if secret == "" {
		return record.Token{}, errNoToken
	}
	if t, ok := s.tokens.get(secret); ok {
		return t, nil
	}
	t, err := s.Store.Accounts.TokenBySecret(c, secret, time.Now())
	if errors.Is(err, record.ErrNotFound) {
		return record.Token{}, fiber.NewError(fiber.StatusUnauthorized, "This token is not known here. It may have been removed, or have expired.")
	}
	if err == nil {
		s.tokens.put(secret, t)
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

const tokenCacheFor = 2 * time.Second

func (t *tokenCache) get(secret string) (record.Token, bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	e, ok := t.known[sha256.Sum256([]byte(secret))]
	return e.token, ok && time.Now().Before(e.until)
}

func (t *tokenCache) put(secret string, token record.Token) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.known == nil || len(t.known) > 1000 {
		t.known = map[[32]byte]cachedToken{}
	}
	t.known[sha256.Sum256([]byte(secret))] = cachedToken{token, time.Now().Add(tokenCacheFor)}
}

func (t *tokenCache) clear() {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.known = nil
}
