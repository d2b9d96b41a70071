package web

import (
	"context"
	"crypto/sha256"
	"log/slog"
	"net/netip"
	"net/url"
	"slices"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/internal/account"
	"juvalogos/internal/desk"
	"juvalogos/internal/fair"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/record"
)

// door knows who comes in: every room of handlers has it.
type door struct {
	Accounts *account.Service
	Log      *slog.Logger
	BasePath string
	Currency string
	Limits   *limits.Table
	proxies  []netip.Prefix
	// cookieKey marks the cookies that we made; knows reports whether there is
	// something of a visitor on record.
	cookieKey []byte
	knows     func(context.Context, record.Visitor) bool
}

// visitor finds out who asks, and gives a newcomer a cookie.
func (s *door) visitor(c fiber.Ctx) (record.Visitor, error) {
	if bearer(c) != "" {
		t, err := s.token(c)
		if err == nil && !slices.Contains(t.Scopes, account.Ask) {
			err = missing(account.Ask)
		}
		c.Locals(partyKey{}, limits.ProgramParty(t.Name))
		return sha256.Sum256([]byte("token:" + t.Name)), err
	}
	who := s.visitorOf(c)
	c.Locals(partyKey{}, fair.Party{Address: s.address(c), Visitor: string(who[:])})
	return who, nil
}

type partyKey struct{}

// from is the context of what a visitor asks for, whom visitor has found out: it
// says for whom it is done.
func from(c fiber.Ctx) context.Context {
	p, _ := c.Locals(partyKey{}).(fair.Party)
	return fair.With(c, p)
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

// allowed lets only makers pass that have a scope, and others if it is needed for
// more than one reason. Which route wants which is in the description of the API,
// and a test walks through all of them with every scope.
func (s *door) allowed(scope string, h fiber.Handler, others ...string) fiber.Handler {
	return func(c fiber.Ctx) error {
		m, err := s.maker(c)
		if err != nil {
			return err
		}
		for _, scope := range append([]string{scope}, others...) {
			if !slices.Contains(m.scopes, scope) {
				return missing(scope)
			}
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
	secret := c.Cookies(s.cookieName(c, sessionCookie))
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

// mayPreview lets only makers see drafts: whoever is signed in, and programs that
// may read them. To all others there is no such desk.
func (s *door) mayPreview(c fiber.Ctx) error {
	if bearer(c) != "" {
		if t, err := s.token(c); err != nil || !slices.Contains(t.Scopes, account.Read) {
			return fault.Plain(fault.NoDesk)
		}
		return nil
	}
	// A change by a preview is a visitor's: it needs no CSRF token.
	if _, _, err := s.session(c); err != nil {
		return fault.Plain(fault.NoDesk)
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
	if bearer(c) != "" {
		t, err := s.token(c)
		return err == nil && slices.Contains(t.Scopes, account.Read)
	}
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
