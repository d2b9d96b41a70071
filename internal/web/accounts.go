package web

import (
	"crypto/rand"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
)

// Signing in and out.

const (
	shortestPassword = 10 // characters
	longestPassword  = 1000
)

// addAccount makes the first account, with the one-time link.
func (s *Server) addAccount(c fiber.Ctx) error {
	var b api.SignIn
	if err := readJSON(c, &b); err != nil {
		return err
	}
	b.Name = strings.TrimSpace(b.Name)
	if n := utf8.RuneCountInString(b.Name); n == 0 || n > 60 {
		return invalid("Give your account a name of up to 60 characters.")
	}
	if err := goodPassword(b.Password); err != nil {
		return err
	}
	a, err := s.Store.Accounts.AddFirstAccount(c, b.Link, b.Name, hashPassword(b.Password))
	if errors.Is(err, record.ErrNotFound) {
		return fiber.NewError(fiber.StatusForbidden, "This link has been used, or is an old one. Sign in, or look for the newest link where the service was started.")
	}
	if err != nil {
		return err
	}
	s.Log.Info("the owner's account is made", "name", a.Name)
	return s.signedIn(c.Status(fiber.StatusCreated), a)
}

func goodPassword(password string) error {
	if n := utf8.RuneCountInString(password); n < shortestPassword || n > longestPassword {
		return invalid(fmt.Sprintf("Choose a password of at least %d characters; three or four words do well.", shortestPassword))
	}
	return nil
}

// signIn opens a session.
func (s *Server) signIn(c fiber.Ctx) error {
	var b api.SignIn
	if err := readJSON(c, &b); err != nil {
		return err
	}
	a, err := s.authenticate(c, b)
	if err != nil {
		return err
	}
	return s.signedIn(c, a)
}

// dummyHash is checked for a name that is not known, so that it takes as long as
// for one that is.
var dummyHash = sync.OnceValue(func() string { return hashPassword(rand.Text()) })

// authenticate holds a name and password against the accounts.
func (s *Server) authenticate(c fiber.Ctx, b api.SignIn) (record.Account, error) {
	name := strings.TrimSpace(b.Name)
	if wait := s.patience.wait(name, c.IP(), time.Now()); wait > 0 {
		seconds := int(wait.Seconds()) + 1
		c.Set("Retry-After", fmt.Sprint(seconds))
		return record.Account{}, fiber.NewError(fiber.StatusTooManyRequests, fmt.Sprintf("Too many attempts with a wrong password. Try again in %d seconds.", seconds))
	}
	a, err := s.Store.Accounts.Account(c, name)
	if err != nil && !errors.Is(err, record.ErrNotFound) {
		return a, err
	}
	hash := a.Password
	if err != nil {
		hash = dummyHash()
	}
	if !rightPassword(b.Password, hash) || err != nil {
		s.patience.mistake(name, c.IP(), time.Now())
		s.Log.Warn("a wrong name or password", "address", c.IP())
		return a, &desk.Problem{Code: codeWrongPassword, Sentence: "This name and password do not go together."}
	}
	return a, nil
}

func (s *Server) signedIn(c fiber.Ctx, a record.Account) error {
	secret := rand.Text() + rand.Text()
	now := time.Now()
	_, err := s.Store.Accounts.AddSession(c, secret, record.Session{Account: a.ID, Browser: browserNamed(c.Get("User-Agent")), MadeAt: now, ExpiresAt: now.Add(sessionLife)})
	if err != nil {
		return err
	}
	s.setCookie(c, sessionCookie, secret, sessionLife)
	return c.JSON(api.Session{Name: a.Name, CSRF: csrfToken(secret)})
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
	browser := find("A browser", [2]string{"Firefox/", "Firefox"}, [2]string{"Edg/", "Edge"}, [2]string{"Chrome/", "Chrome"}, [2]string{"Safari/", "Safari"})
	system := find("", [2]string{"Android", " on Android"}, [2]string{"iPhone", " on an iPhone"}, [2]string{"iPad", " on an iPad"},
		[2]string{"Windows", " on Windows"}, [2]string{"Mac OS", " on a Mac"}, [2]string{"Linux", " on Linux"})
	return browser + system
}

// whoAmI answers with the session that the browser has.
func (s *Server) whoAmI(c fiber.Ctx) error {
	session, secret, err := s.session(c)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.Session{Name: session.Name, CSRF: csrfToken(secret)})
}

// signOut ends the session.
func (s *Server) signOut(c fiber.Ctx) error {
	m, err := s.maker(c)
	if err != nil {
		return err
	}
	if m.session != nil {
		if err := s.Store.Accounts.EndSession(c, m.session.Account, m.session.ID); err != nil && !errors.Is(err, record.ErrNotFound) {
			return err
		}
	}
	s.setCookie(c, sessionCookie, "", 0)
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *Server) sessions(c fiber.Ctx) error {
	m, err := s.signedInMaker(c)
	if err != nil {
		return err
	}
	list, err := s.Store.Accounts.Sessions(c, m.session.Account, time.Now())
	if err != nil {
		return err
	}
	return c.JSON(api.SessionList{Sessions: shape.All(list, func(b record.Session) api.Browser { return shape.Browser(b, m.session.ID) })})
}

func (s *Server) endSession(c fiber.Ctx) error {
	m, err := s.signedInMaker(c)
	if err != nil {
		return err
	}
	err = s.Store.Accounts.EndSession(c, m.session.Account, int64(fiber.Params[int](c, "id")))
	if errors.Is(err, record.ErrNotFound) {
		return fiber.NewError(fiber.StatusNotFound, "That browser is signed out already.")
	}
	if err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// setPassword changes the password and signs all other browsers out.
func (s *Server) setPassword(c fiber.Ctx) error {
	m, err := s.signedInMaker(c)
	if err != nil {
		return err
	}
	var b api.NewPassword
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if _, err := s.authenticate(c, api.SignIn{Name: m.name, Password: b.Old}); err != nil {
		return err
	}
	if err := goodPassword(b.New); err != nil {
		return err
	}
	if err := s.Store.Accounts.SetPassword(c, m.session.Account, hashPassword(b.New), m.session.ID); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// signedInMaker is for what belongs to an account, which a token has not.
func (s *Server) signedInMaker(c fiber.Ctx) (maker, error) {
	m, err := s.maker(c)
	if err == nil && m.session == nil {
		err = fiber.NewError(fiber.StatusForbidden, "This belongs to an account; sign in with name and password.")
	}
	return m, err
}

// login makes an API token for whoever knows name and password: the command
// line signs in with it.
func (s *Server) login(c fiber.Ctx) error {
	var b api.SignIn
	if err := readJSON(c, &b); err != nil {
		return err
	}
	a, err := s.authenticate(c, b)
	if err != nil {
		return err
	}
	expires := time.Now().Add(loginLife)
	return s.makeToken(c, api.NewToken{Name: fmt.Sprintf("%s, %s", b.Token, a.Name), Scopes: allScopes, ExpiresAt: &expires}, true)
}

// loginLife is how long the command line stays signed in.
const loginLife = 90 * 24 * time.Hour
