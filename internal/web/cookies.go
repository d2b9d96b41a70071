package web

import (
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/record"
)

// A visitor is known by a random cookie, a maker by the cookie of a session. Both
// are kept only as hashes.
const (
	visitorCookie = "juvalogos_visitor"
	visitorLife   = 400 * 24 * time.Hour // the longest that browsers keep one
	sessionCookie = "juvalogos_session"
)

// cookieName is what a cookie is called. Over https its prefix keeps other hosts
// of the same domain, and pages without https, from setting it.
func (s *door) cookieName(c fiber.Ctx, name string) string {
	switch {
	case !s.secure(c):
		return name
	case s.BasePath == "":
		return "__Host-" + name
	}
	return "__Secure-" + name // the other prefix is for the whole host
}

// setCookie gives the browser a secret that no script can read; a life of 0
// takes it away.
func (s *door) setCookie(c fiber.Ctx, name, secret string, life time.Duration) {
	age := int(life.Seconds())
	if age == 0 {
		age = -1
	}
	c.Cookie(&fiber.Cookie{
		Name: s.cookieName(c, name), Value: secret, Path: s.BasePath + "/", MaxAge: age,
		HTTPOnly: true, SameSite: fiber.CookieSameSiteLaxMode, Secure: s.secure(c),
	})
}

// visitorOf is the visitor whom a browser's cookie names. Only cookies that we
// made are taken; a newcomer is given one.
func (s *door) visitorOf(c fiber.Ctx) record.Visitor {
	secret, mark, _ := strings.Cut(c.Cookies(s.cookieName(c, visitorCookie)), ".")
	who := record.Visitor(sha256.Sum256([]byte("cookie:" + secret)))
	switch {
	case secret != "" && hmac.Equal([]byte(mark), []byte(s.markOf(secret))):
		return who
	case mark == "" && len(secret) == len(rand.Text()) && s.knows(c, who):
		// It was given by a version that did not mark them.
	default:
		secret = rand.Text()
		who = sha256.Sum256([]byte("cookie:" + secret))
	}
	s.setCookie(c, visitorCookie, secret+"."+s.markOf(secret), visitorLife)
	return who
}

// markOf shows that we made a visitor's secret.
func (s *door) markOf(secret string) string {
	m := hmac.New(sha256.New, s.cookieKey)
	m.Write([]byte(secret))
	return base64.RawURLEncoding.EncodeToString(m.Sum(nil)[:16])
}
