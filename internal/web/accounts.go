package web

import (
	"errors"
	"strings"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
)

// Signing in and out.

// accounts are the handlers of accounts, sessions and tokens.
type accounts struct{ *door }

func (s *accounts) routes(api fiber.Router) {
	api.Post("/account", s.addAccount)
	api.Post("/account/password", s.setPassword)
	api.Get("/session", s.whoAmI)
	api.Post("/session", s.signIn)
	api.Delete("/session", s.signOut)
	api.Get("/sessions", s.sessions)
	api.Delete("/sessions/:id", s.endSession)
	api.Post("/login", s.login)
	api.Get("/tokens", s.allowed(account.Manage, s.listTokens))
	api.Post("/tokens", s.allowed(account.Manage, s.addToken))
	api.Delete("/tokens/:name", s.allowed(account.Manage, s.removeToken))
	api.Post("/tokens/:name/restore", s.allowed(account.Manage, s.restoreToken))
}

// addAccount makes the first account, with the one-time link.
func (s *accounts) addAccount(c fiber.Ctx) error {
	var b api.SignIn
	if err := readJSON(c, &b); err != nil {
		return err
	}
	a, err := s.Accounts.AddFirst(c, b.Link, b.Name, b.Password)
	if err != nil {
		return err
	}
	return s.signedIn(c.Status(fiber.StatusCreated), a)
}

// signIn opens a session.
func (s *accounts) signIn(c fiber.Ctx) error {
	var b api.SignIn
	if err := readJSON(c, &b); err != nil {
		return err
	}
	a, err := s.Accounts.SignIn(c, b.Name, b.Password, s.address(c))
	if err != nil {
		return err
	}
	return s.signedIn(c, a)
}

func (s *accounts) signedIn(c fiber.Ctx, a record.Account) error {
	secret, err := s.Accounts.Begin(c, a, browserNamed(c.Get("User-Agent")))
	if err != nil {
		return err
	}
	s.setCookie(c, sessionCookie, secret, account.SessionLife)
	return c.JSON(api.Session{Name: a.Name, CSRF: account.CSRF(secret)})
}

// browserNamed tells a person which browser it was, from its User-Agent.
func browserNamed(agent string) string {
	find := func(unknown string, known ...[2]string) string {
		for _, k := range known {
			if strings.Contains(agent, k[0]) {
				return k[1]
			}
		}
		return unknown
	}
	browser := find("A browser", [2]string{"Firefox/", "Firefox"}, [2]string{"Edg/", "Edge"},
		[2]string{"Chrome/", "Chrome"}, [2]string{"Safari/", "Safari"})
	system := find("", [2]string{"Android", " on Android"}, [2]string{"iPhone", " on an iPhone"},
		[2]string{"iPad", " on an iPad"},
		[2]string{"Windows", " on Windows"}, [2]string{"Mac OS", " on a Mac"}, [2]string{"Linux", " on Linux"})
	return browser + system
}

// whoAmI answers with the session that the browser has.
func (s *accounts) whoAmI(c fiber.Ctx) error {
	session, secret, err := s.session(c)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.Session{Name: session.Name, CSRF: account.CSRF(secret)})
}

// signOut ends the session.
func (s *accounts) signOut(c fiber.Ctx) error {
	m, err := s.signedInMaker(c)
	if err != nil {
		return err
	}
	// Whoever is signed out already is signed out.
	var gone *fault.Problem
	if err := s.Accounts.EndSession(c, m.session.Account, m.session.ID); err != nil && !errors.As(err, &gone) {
		return err
	}
	s.setCookie(c, sessionCookie, "", 0)
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *accounts) sessions(c fiber.Ctx) error {
	m, err := s.signedInMaker(c)
	if err != nil {
		return err
	}
	list, err := s.Accounts.Sessions(c, m.session.Account)
	if err != nil {
		return err
	}
	return c.JSON(api.SessionList{Sessions: shape.All(list,
		func(b record.Session) api.Browser { return shape.Browser(b, m.session.ID) })})
}

func (s *accounts) endSession(c fiber.Ctx) error {
	m, err := s.signedInMaker(c)
	if err != nil {
		return err
	}
	if err := s.Accounts.EndSession(c, m.session.Account, int64(fiber.Params[int](c, "id"))); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// setPassword changes the password and signs all other browsers out.
func (s *accounts) setPassword(c fiber.Ctx) error {
	m, err := s.signedInMaker(c)
	if err != nil {
		return err
	}
	var b api.NewPassword
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Accounts.SetPassword(c, *m.session, b.Old, b.New, s.address(c), b.Tokens); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// login makes an API token for whoever knows name and password: the command
// line signs in with it.
func (s *accounts) login(c fiber.Ctx) error {
	var b api.SignIn
	if err := readJSON(c, &b); err != nil {
		return err
	}
	a, err := s.Accounts.SignIn(c, b.Name, b.Password, s.address(c))
	if err != nil {
		return err
	}
	t, secret, err := s.Accounts.Login(c, a, b.Token)
	if err != nil {
		return err
	}
	return sendToken(c, t, secret)
}
