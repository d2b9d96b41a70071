package web

import (
	"crypto/rand"
	"crypto/sha256"
	"errors"
	"strings"
	"sync"
	"time"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/store"
)

// A visitor is known by a random cookie; a program by its token. Both are kept
// only as hashes.
const (
	cookieName = "juvalogos_visitor"
	cookieLife = 400 * 24 * time.Hour // the longest that browsers keep one
)

// visitor finds out who asks, and gives a newcomer a cookie.
func (s *Server) visitor(c fiber.Ctx) (store.Visitor, error) {
	if bearer(c) != "" {
		t, err := s.token(c)
		if err != nil {
			return store.Visitor{}, err
		}
		return sha256.Sum256([]byte("token:" + t.Name)), nil
	}
	secret := c.Cookies(cookieName)
	if len(secret) < 20 || len(secret) > 100 {
		secret = rand.Text()
		c.Cookie(&fiber.Cookie{
			Name: cookieName, Value: secret, Path: s.BasePath + "/", MaxAge: int(cookieLife.Seconds()),
			HTTPOnly: true, SameSite: fiber.CookieSameSiteLaxMode,
			Secure: c.Protocol() == "https" || c.Get("X-Forwarded-Proto") == "https",
		})
	}
	return sha256.Sum256([]byte("cookie:" + secret)), nil
}

func bearer(c fiber.Ctx) string {
	kind, secret, _ := strings.Cut(c.Get("Authorization"), " ")
	if !strings.EqualFold(kind, "bearer") {
		return ""
	}
	return strings.TrimSpace(secret)
}

// withToken lets only callers with a token pass.
func (s *Server) withToken(h fiber.Handler) fiber.Handler {
	return func(c fiber.Ctx) error {
		if _, err := s.token(c); err != nil {
			return err
		}
		return h(c)
	}
}

var errNoToken = fiber.NewError(fiber.StatusUnauthorized, "This needs a token: send it as \"Authorization: Bearer TOKEN\". The first one is in client.yaml in the service's data folder.")

func (s *Server) token(c fiber.Ctx) (store.Token, error) {
	secret := bearer(c)
	if secret == "" {
		return store.Token{}, errNoToken
	}
	if t, ok := s.tokens.get(secret); ok {
		return t, nil
	}
	t, err := s.Store.TokenBySecret(c, secret)
	if errors.Is(err, store.ErrNotFound) {
		return store.Token{}, fiber.NewError(fiber.StatusUnauthorized, "This token is not known here. It may have been removed.")
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
	token store.Token
	until time.Time
}

const tokenCacheFor = 2 * time.Second

func (t *tokenCache) get(secret string) (store.Token, bool) {
	t.mu.Lock()
	defer t.mu.Unlock()
	e, ok := t.known[sha256.Sum256([]byte(secret))]
	return e.token, ok && time.Now().Before(e.until)
}

func (t *tokenCache) put(secret string, token store.Token) {
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
