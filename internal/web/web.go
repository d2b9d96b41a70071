// Package web serves Juvalogos over HTTP: the visitor's page, our own API and
// the chat-completions protocol. It finds out who is asking and translates; it
// decides nothing: the use cases do.
package web

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"net/netip"
	"net/url"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/account"
	"juvalogos/internal/connection"
	"juvalogos/internal/conversation"
	"juvalogos/internal/desk"
	"juvalogos/internal/errand"
	"juvalogos/internal/exam"
	"juvalogos/internal/inside"
	"juvalogos/internal/limits"
	"juvalogos/internal/media"
	"juvalogos/internal/models"
	"juvalogos/internal/notices"
	"juvalogos/internal/record"
	"juvalogos/internal/recording"
	"juvalogos/internal/reply"
	"juvalogos/internal/runs"
	"juvalogos/internal/shelf"
	"juvalogos/internal/source"
	"juvalogos/internal/standing"
	"juvalogos/internal/table"
)

// Rooms are the use cases that a Server gives access to.
type Rooms struct {
	Accounts      *account.Service
	Connections   *connection.Service
	Conversations *conversation.Service
	Desks         *desk.Service
	Errands       *errand.Service
	Inside        *inside.Service
	Media         *media.Service
	Recordings    *recording.Service
	Visits        *source.Sources // where visitors may have something fetched from; nil: nowhere
	Replies       *reply.Service
	Shelves       *shelf.Library
	Tables        *table.Service
	Exams         *exam.Service
	Runs          *runs.Service
	Standing      *standing.Service
}

// Options are what a Server is made of.
type Options struct {
	Rooms
	// Ready reports whether the database answers and keeps what it is given: nil,
	// record.ErrFull, record.ErrReadOnly, or why it does not answer.
	Ready func(context.Context) error
	// Notices are the troubles that the owner is told of; nil: nobody looks for any.
	Notices func() []notices.Trouble
	Log     *slog.Logger
	// Console is the built console: index.html and assets.
	Console fs.FS
	// BasePath is where the service is mounted on a site: "" or "/path".
	BasePath string
	// Version is shown by /healthz.
	Version string
	// Currency is what prices are written in, by its code; "": USD.
	Currency string
	// Proxies are the networks of proxies that are believed when they say where a
	// request comes from.
	Proxies []netip.Prefix
	// Limits say how much anybody may take; nil: any amount.
	Limits *limits.Table
	// CookieKey marks visitors' cookies as ours; nil: a new one, with which those
	// given before are worth nothing.
	CookieKey []byte
}

// Server answers HTTP. Its handlers stand in small types, a room each, in the
// files that are named for them; all have the door, which knows who asks.
type Server struct {
	*door
	app *fiber.App
}

const (
	largestBody = 4 << 20
	headerRoom  = 8 << 10 // for a request's headers; it is held as long as the request
	idleTimeout = 2 * time.Minute
	readTimeout = time.Minute
)

// New lays out the routes. It fails if the console was not built.
func New(o Options) (*Server, error) {
	o.BasePath = strings.TrimRight(o.BasePath, "/")
	if o.BasePath != "" && !strings.HasPrefix(o.BasePath, "/") {
		return nil, fmt.Errorf("the base path must begin with a slash, like /%s", o.BasePath)
	}
	if o.Currency == "" {
		o.Currency = "USD"
	}
	if o.CookieKey == nil {
		o.CookieKey = make([]byte, 32)
		_, _ = rand.Read(o.CookieKey) // never fails
	}
	knows := func(context.Context, record.Visitor) bool { return false }
	if o.Conversations != nil {
		knows = o.Conversations.Knows
	}
	s := &Server{door: &door{Accounts: o.Accounts, Log: o.Log, BasePath: o.BasePath, Currency: o.Currency,
		proxies: o.Proxies, Limits: o.Limits, cookieKey: o.CookieKey, knows: knows}}
	pages, err := loadPages(o.Console, o.BasePath)
	if err != nil {
		return nil, err
	}
	s.app = fiber.New(fiber.Config{
		AppName:   "Juvalogos",
		BodyLimit: largestBody,
		// No body is read before a handler asks for it: by bodyOf, or for files
		// by eachFile.
		StreamRequestBody:            true,
		DisablePreParseMultipartForm: true,
		ReadBufferSize:               headerRoom,
		WriteBufferSize:              2 << 10, // held as long as a reply streams
		// A reply streams for long; what its request was read with is needed
		// elsewhere meanwhile.
		ReduceMemoryUsage: true,
		IdleTimeout:       idleTimeout,
		ReadTimeout:       readTimeout,
		Immutable:         true, // values of a request outlive it in replies on their way
		ErrorHandler:      s.problem,
	})
	s.routes(o, pages)
	return s, nil
}

func (s *Server) routes(o Options, pages *pages) {
	root := s.app.Group(o.BasePath)
	root.Use(s.guard)
	api := root.Group("/api")
	d := s.door
	(&documents{d, o.Desks, o.Conversations, pages}).routes(root)
	(&about{d, o.Desks, modelsOf(o), o.Replies, o.Ready, o.Notices, o.Version}).routes(root, api)
	(&asking{d, o.Replies, o.Conversations}).routes(api)
	(&keeping{d, o.Desks, o.Conversations, o.Standing}).routes(api)
	(&accounts{d}).routes(api)
	(&desks{d, o.Desks}).routes(api)
	(&records{d, o.Desks, o.Conversations}).routes(api)
	(&connections{d, o.Connections}).routes(api)
	(&recipes{d, o.Desks}).routes(api)
	(&insides{d, o.Inside, o.Replies, context.Background()}).routes(api)
	(&shelves{d, o.Desks, o.Shelves}).routes(api)
	(&attachments{d, o.Desks, o.Shelves}).routes(api)
	(&sheets{d, o.Desks, o.Tables}).routes(api)
	(&exams{d, o.Exams}).routes(api)
	(&trials{d, o.Exams, o.Runs}).routes(api)
	(&standings{d, o.Standing}).routes(api)
	(&errands{d, o.Desks, o.Errands}).routes(api)
	(&pictures{d, o.Desks, o.Replies, o.Media, o.Shelves}).routes(api)
	(&recordings{d, o.Desks, o.Replies, o.Recordings, o.Visits}).routes(api)
	(&speech{d, o.Desks, o.Recordings}).routes(root)
	(&images{d, o.Desks, o.Replies, o.Media, o.Conversations}).routes(root)
	(&completions{d, o.Desks, o.Replies, o.Connections}).routes(root)
}

// modelsOf are the models that the connections lead to; nil without any, as
// where only the routes are looked at.
func modelsOf(o Options) *models.Registry {
	if o.Connections == nil {
		return nil
	}
	return o.Connections.Models
}

// Serve answers on l until Shutdown. It fails as the listener does.
func (s *Server) Serve(l net.Listener) error {
	return s.app.Listener(l, fiber.ListenConfig{DisableStartupMessage: true})
}

// Shutdown takes no new connections and waits for open ones until ctx ends. It
// fails if ctx ends before they have.
func (s *Server) Shutdown(ctx context.Context) error {
	err := s.app.ShutdownWithContext(ctx)
	if errors.Is(err, context.DeadlineExceeded) {
		return nil // readers that linger are cut off with the process
	}
	return err
}

// fromElsewhere reports whether a browser makes a change, with whatever cookie it
// has, on behalf of another site: it says where a request comes from, and older
// ones name at least the origin.
func fromElsewhere(c fiber.Ctx) bool {
	if c.Method() == fiber.MethodGet || c.Method() == fiber.MethodHead || bearer(c) != "" {
		return false
	}
	switch c.Get("Sec-Fetch-Site") {
	case "same-origin", "none":
		return false
	case "":
		origin := c.Get("Origin")
		if origin == "" {
			return false // no browser
		}
		u, err := url.Parse(origin)
		return err != nil || u.Host == "" || !strings.EqualFold(u.Host, c.Host())
	}
	return true // cross-site, same-site and what is not known yet
}

// guard sets the headers that every answer carries and refuses requests that
// another site makes in a visitor's name.
func (s *Server) guard(c fiber.Ctx) error {
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("Referrer-Policy", "same-origin")
	c.Set("Cross-Origin-Opener-Policy", "same-origin")
	if s.secure(c) {
		c.Set("Strict-Transport-Security", "max-age=31536000")
	}
	if fromElsewhere(c) {
		leftOver(c)
		return fiber.NewError(fiber.StatusForbidden, "Another site tried to act in your name.")
	}
	if err := notPacked(c); err != nil {
		leftOver(c)
		return err
	}
	if s.waitedFor(c) {
		c.Locals(record.SoonKey, true)
	}
	err := c.Next()
	leftOver(c)
	return err
}

// waitedFor reports whether a request is one of those that visitors wait for: of pages,
// questions and conversations.
func (d *door) waitedFor(c fiber.Ctx) bool {
	path := strings.TrimPrefix(c.Path(), d.BasePath)
	for _, begins := range []string{"/at/", "/api/at/", "/api/turns/", "/api/conversations/", "/api/shared/",
		"/api/session", "/v1/"} {
		if strings.HasPrefix(path, begins) {
			return true
		}
	}
	return false
}
