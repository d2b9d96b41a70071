// Package web serves Juvalogos over HTTP: the visitor's page, our own API and
// the chat-completions protocol. It finds out who is asking and translates; it
// decides nothing that package desk could decide.
package web

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/desk"
	"juvalogos/internal/shelf"
	"juvalogos/internal/store"
)

// Options are what a Server is made of.
type Options struct {
	Desks *desk.Service
	// Shelves are what desks answer from.
	Shelves *shelf.Library
	Store   *store.Store
	Log     *slog.Logger
	// Console is the built console: index.html and assets.
	Console fs.FS
	// BasePath is where the service is mounted on a site: "" or "/path".
	BasePath string
	// Version is shown by /healthz.
	Version string
}

// Server answers HTTP.
type Server struct {
	Options
	app    *fiber.App
	pages  *pages
	tokens tokenCache
	base   context.Context // of what outlives a request

	patience patience
}

const (
	largestBody = 4 << 20
	headerRoom  = 8 << 10 // for a request's headers; it is held as long as the request
	idleTimeout = 2 * time.Minute
	readTimeout = time.Minute
)

// New lays out the routes.
func New(o Options) (*Server, error) {
	o.BasePath = strings.TrimRight(o.BasePath, "/")
	if o.BasePath != "" && !strings.HasPrefix(o.BasePath, "/") {
		return nil, fmt.Errorf("the base path must begin with a slash, like /%s", o.BasePath)
	}
	s := &Server{Options: o, base: context.Background()}
	var err error
	if s.pages, err = loadPages(o.Console, o.BasePath); err != nil {
		return nil, err
	}
	s.app = fiber.New(fiber.Config{
		AppName:   "Juvalogos",
		BodyLimit: largestBody,
		// Files for shelves are read while they arrive; limitBody refuses all
		// else that is larger.
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
	s.app.Server().HeaderReceived = byHeader
	s.routes(s.app.Group(o.BasePath))
	return s, nil
}

func (s *Server) routes(root fiber.Router) {
	root.Use(s.guard)
	root.Get("/healthz", s.health)
	root.Get("/readyz", s.ready)
	root.Get("/", s.front)
	root.Get("/at/:slug", s.page)
	root.Get("/at/:slug/:conversation", s.page)
	root.Get("/shared/:share", s.sharedPage)
	root.Get("/console", s.consolePage)
	root.Get("/console/*", s.consolePage)
	root.Get("/assets/*", s.asset)

	api := root.Group("/api")
	api.Get("/openapi.yaml", s.description)
	api.Get("/schemas/desk.json", s.deskSchema)
	api.Get("/schemas/connections.json", s.connectionsSchema)
	s.visitorRoutes(api)
	s.accountRoutes(api)
	s.makerRoutes(api)
	s.shelfRoutes(api)

	root.Get("/v1/models", s.completionModels)
	root.Post("/v1/chat/completions", s.completions)
}

func (s *Server) visitorRoutes(api fiber.Router) {
	api.Get("/at/:slug", s.face)
	api.Get("/at/:slug/conversations", s.conversations)
	api.Post("/at/:slug/questions", s.ask)
	api.Get("/conversations/:id", s.conversation)
	api.Patch("/conversations/:id", s.rename)
	api.Delete("/conversations/:id", s.remove)
	api.Post("/conversations/:id/restore", s.restore)
	api.Get("/conversations/:id/export", s.export)
	api.Post("/conversations/:id/share", s.share)
	api.Delete("/conversations/:id/share", s.unshare)
	api.Get("/shared/:share", s.shared)
	api.Get("/turns/:id", s.turn)
	api.Delete("/turns/:id", s.takeBack)
	api.Post("/turns/:id/show", s.show)
	api.Get("/turns/:id/events", s.events)
	api.Post("/turns/:id/stop", s.stop)
	api.Get("/turns/:id/attempts", s.attempts)
	api.Post("/turns/:id/attempts", s.again)
	api.Post("/turns/:id/choose", s.choose)
	api.Post("/turns/:id/verdict", s.judge)
	api.Post("/turns/:id/preference", s.prefer)
}

func (s *Server) accountRoutes(api fiber.Router) {
	api.Post("/account", s.addAccount)
	api.Post("/account/password", s.setPassword)
	api.Get("/session", s.whoAmI)
	api.Post("/session", s.signIn)
	api.Delete("/session", s.signOut)
	api.Get("/sessions", s.sessions)
	api.Delete("/sessions/:id", s.endSession)
	api.Post("/login", s.login)
	api.Get("/tokens", s.allowed(scopeManage, s.listTokens))
	api.Post("/tokens", s.allowed(scopeManage, s.addToken))
	api.Delete("/tokens/:name", s.allowed(scopeManage, s.removeToken))
	api.Post("/tokens/:name/restore", s.allowed(scopeManage, s.restoreToken))
}

func (s *Server) makerRoutes(api fiber.Router) {
	read := func(path string, h fiber.Handler) { api.Get(path, s.allowed(scopeRead, h)) }
	read("/desks", s.listDesks)
	read("/desks/:slug", s.showDesk)
	read("/desks/:slug/draft", s.draft)
	read("/desks/:slug/revisions/:number", s.revision)
	read("/desks/:slug/export", s.exportDesk)
	read("/desks/:slug/conversations", s.deskConversations)
	read("/records/:id", s.record)
	read("/records/:id/export", s.exportRecord)
	read("/models", s.listModels)
	read("/connections", s.listConnections)
	read("/milestones", s.milestones)
	read("/folder", s.folder)

	read("/desks/:slug/preferences", s.preferences)
	read("/desks/:slug/recipe", s.deskRecipe)
	read("/traces", s.traces)
	read("/traces/:id", s.trace)
	read("/traces/:id/events", s.traceEvents)
	read("/settings/traces", s.traceKeeping)
	read("/usage", s.usage)
	read("/verdicts", s.verdicts)
	read("/verdicts/causes", s.causes)
	read("/recipes", s.recipes)
	read("/recipes/:name", s.recipe)
	api.Get("/schemas/recipe.json", s.recipeSchema)
	api.Post("/recipes/check", s.allowed(scopeRead, s.checkRecipe))
	api.Post("/traces/:id/runs", s.allowed(scopePublish, s.rerun))
	api.Put("/verdicts/:turn/:attempt", s.allowed(scopePublish, s.find))
	api.Put("/settings/traces", s.allowed(scopeManage, s.setTraceKeeping))
	api.Post("/desks/check", s.allowed(scopeRead, s.check))
	api.Post("/models/probe", s.allowed(scopeRead, s.probe))
	api.Post("/desks", s.allowed(scopePublish, s.publish))
	api.Post("/desks/import", s.allowed(scopePublish, s.importDesk))
	api.Put("/desks/:slug/draft", s.allowed(scopePublish, s.saveDraft))
	api.Delete("/desks/:slug/draft", s.allowed(scopePublish, s.dropDraft))
	api.Post("/desks/:slug/return", s.allowed(scopePublish, s.returnTo))
	api.Post("/desks/:slug/withdraw", s.allowed(scopePublish, s.withdraw))
	api.Post("/desks/:slug/duplicate", s.allowed(scopePublish, s.duplicate))
	api.Delete("/records/:id", s.allowed(scopePublish, s.removeRecord))
	api.Post("/records/:id/restore", s.allowed(scopePublish, s.restoreRecord))
	api.Put("/connections/:name", s.allowed(scopeManage, s.keepConnection))
	api.Delete("/connections/:name", s.allowed(scopeManage, s.removeConnection))
	api.Post("/connections/:name/restore", s.allowed(scopeManage, s.restoreConnection))
	api.Post("/connections/look", s.allowed(scopeManage, s.look))
}

// Serve answers on l until Shutdown.
func (s *Server) Serve(l net.Listener) error {
	return s.app.Listener(l, fiber.ListenConfig{DisableStartupMessage: true})
}

// Shutdown takes no new connections and waits for open ones until ctx ends.
func (s *Server) Shutdown(ctx context.Context) error {
	err := s.app.ShutdownWithContext(ctx)
	if errors.Is(err, context.DeadlineExceeded) {
		return nil // readers that linger are cut off with the process
	}
	return err
}

// guard sets the headers that every answer carries and refuses requests that
// another site makes in a visitor's name.
func (s *Server) guard(c fiber.Ctx) error {
	c.Set("X-Content-Type-Options", "nosniff")
	c.Set("Referrer-Policy", "same-origin")
	c.Set("Cross-Origin-Opener-Policy", "same-origin")
	unsafe := c.Method() != fiber.MethodGet && c.Method() != fiber.MethodHead
	if unsafe && c.Get("Sec-Fetch-Site") == "cross-site" && bearer(c) == "" {
		return fiber.NewError(fiber.StatusForbidden, "Another site tried to act in your name.")
	}
	if err := limitBody(c); err != nil {
		return err
	}
	return c.Next()
}
