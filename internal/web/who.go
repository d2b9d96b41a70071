package web

import (
	"crypto/rand"
	"crypto/sha256"
	"log/slog"
	"net/url"
	"slices"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/internal/account"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
)

// door knows who comes in: every room of handlers has it.
type door struct {
	Accounts *account.Service
	Log      *slog.Logger
	BasePath string
	Currency string
}

// A visitor is known by a random cookie, a maker by the cookie of a session, a
// program by its token. All are kept only as hashes.
const (
	visitorCookie = "juvalogos_visitor"
	visitorLife   = 400 * 24 * time.Hour // the longest that browsers keep one
	sessionCookie = "juvalogos_session"
)

// visitor finds out who asks, and gives a newcomer a cookie.
func (s *door) visitor(c fiber.Ctx) (record.Visitor, error) {
	if bearer(c) != "" {
		t, err := s.token(c)
		if err == nil && !slices.Contains(t.Scopes, account.Ask) {
			err = missing(account.Ask)
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
func (s *door) setCookie(c fiber.Ctx, name, secret string, life time.Duration) {
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
func (s *door) allowed(scope string, h fiber.Handler) fiber.Handler {
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
	return fault.Say(fault.Forbidden, "This token is not good for this: it lacks the scope %s. Make one that has it.",
		scope)
}

// maker finds out who acts. A change asked for by a session needs the token
// that only our own page can read.
func (s *door) maker(c fiber.Ctx) (maker, error) {
	if bearer(c) != "" {
		t, err := s.token(c)
		return maker{name: t.Name, scopes: t.Scopes}, err
	}
	session, secret, err := s.session(c)
	if err != nil {
		return maker{}, err
	}
	if c.Method() != fiber.MethodGet && c.Method() != fiber.MethodHead &&
		c.Get("X-CSRF-Token") != account.CSRF(secret) {
		return maker{}, fault.Say(fault.Forbidden, "This page is out of date. Load it again.")
	}
	return maker{name: session.Name, scopes: account.AllScopes(), session: &session}, nil
}

// session finds the session that a browser shows.
func (s *door) session(c fiber.Ctx) (record.Session, string, error) {
	secret := c.Cookies(sessionCookie)
	found, err := s.Accounts.Session(c, secret)
	return found, secret, err
}

func (s *door) token(c fiber.Ctx) (record.Token, error) { return s.Accounts.Token(c, bearer(c)) }

// signedInMaker is for what belongs to an account, which a token has not.
func (s *door) signedInMaker(c fiber.Ctx) (maker, error) {
	m, err := s.maker(c)
	if err == nil && m.session == nil {
		err = fault.Say(fault.Forbidden, "This belongs to an account; sign in with name and password.")
	}
	return m, err
}

// mayPreview lets only makers see drafts.
func (s *door) mayPreview(c fiber.Ctx) error {
	if _, err := s.maker(c); err != nil {
		// A change by a preview is a visitor's: it needs no CSRF token.
		if _, _, err := s.session(c); err != nil {
			return fault.Plain(fault.NoDesk)
		}
	}
	return nil
}

// slugAsked is the desk that is asked for; a draft only if a maker asks.
func (s *door) slugAsked(c fiber.Ctx) (string, error) {
	slug, err := url.PathUnescape(c.Params("slug"))
	if err == nil && strings.HasPrefix(slug, desk.DraftMark) {
		err = s.mayPreview(c)
	}
	return slug, err
}

// tellsCost reports whether a maker asks, who may know what replies cost.
func (s *door) tellsCost(c fiber.Ctx) bool {
	_, _, err := s.session(c)
	return err == nil
}

// turnAsked is the turn of the address, with whoever asks.
func (s *door) turnAsked(c fiber.Ctx) (record.Visitor, uuid.UUID, error) {
	return s.idAsked(c, fault.NoTurn)
}

// conversationAsked is the conversation of the address, with whoever asks.
func (s *door) conversationAsked(c fiber.Ctx) (record.Visitor, uuid.UUID, error) {
	return s.idAsked(c, fault.NoConversation)
}

func (s *door) idAsked(c fiber.Ctx, missing fault.Code) (record.Visitor, uuid.UUID, error) {
	who, err := s.visitor(c)
	if err != nil {
		return who, uuid.Nil, err
	}
	id, err := uuid.Parse(c.Params("id"))
	if err != nil {
		err = fault.Plain(missing)
	}
	return who, id, err
}
