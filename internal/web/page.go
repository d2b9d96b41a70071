package web

import (
	"bytes"
	"encoding/json"
	"fmt"
	"html"
	"io/fs"
	"mime"
	"path"
	"strings"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/api"
	"juvalogos/internal/conversation"
	"juvalogos/internal/desk"
)

// pages are the built console's files: the one HTML document, which is filled
// in for each desk, and assets, which never change under their names.
type pages struct {
	fs       fs.FS
	basePath string
	before   string // the document up to the place to fill
	after    string
}

// fillMark stands in console/index.html where the service adds a desk's own
// title, description and data.
const fillMark = "<!--desk-->"

func loadPages(console fs.FS, basePath string) (*pages, error) {
	document, err := fs.ReadFile(console, "index.html")
	if err != nil {
		return nil, fmt.Errorf("the console is not built into this program; build with make: %w", err)
	}
	before, after, ok := strings.Cut(string(document), fillMark)
	if !ok {
		return nil, fmt.Errorf("console/index.html has no %s", fillMark)
	}
	return &pages{console, basePath, before, after}, nil
}

// securityPolicy allows the page what it needs and nothing from elsewhere:
// whatever a model writes, it cannot make a browser fetch from another site.
const securityPolicy = "default-src 'none'; script-src 'self'; style-src 'self' 'unsafe-inline'; font-src 'self'; " +
	"img-src 'self' data: blob:; media-src 'self' blob:; connect-src 'self'; form-action 'none'; frame-src 'self'; " +
	"frame-ancestors 'self'; " +
	"base-uri 'self'"

// documents are the handlers of the pages and their files.
type documents struct {
	*door
	Desks         *desk.Service
	Conversations *conversation.Service
	pages         *pages
}

func (s *documents) routes(root fiber.Router) {
	root.Get("/", s.front)
	root.Get("/at/:slug", s.page)
	root.Get("/at/:slug/:conversation", s.page)
	root.Get("/shared/:share", s.sharedPage)
	root.Get("/quiz/:take", s.quizPage)
	root.Get("/quiz-results/:results", s.quizResultsPage)
	root.Get("/console", s.consolePage)
	root.Get("/console/*", s.consolePage)
	root.Get("/assets/*", s.asset)
}

// front answers whoever comes without a desk's address.
func (s *documents) front(c fiber.Ctx) error { return s.document(c, api.PageData{}) }

// consolePage answers with the makers' document; the page finds out by itself
// whether somebody is signed in.
func (s *documents) consolePage(c fiber.Ctx) error {
	c.Set("X-Robots-Tag", "noindex")
	return s.document(c, api.PageData{Console: true})
}

// page answers with a desk's document, its face already in it, so that the page
// can show itself without asking again.
func (s *documents) page(c fiber.Ctx) error {
	if _, err := s.visitor(c); err != nil {
		return err
	}
	_, _, signedIn := s.session(c)
	slug, err := s.slugAsked(c)
	page := api.PageData{Slug: slug, Maker: signedIn == nil, Preview: strings.HasPrefix(slug, desk.DraftMark)}
	if err != nil {
		page.Problem = s.trouble(c, err)
	}
	return s.document(c, page)
}

// sharedPage answers with the document of a shared conversation.
func (s *documents) sharedPage(c fiber.Ctx) error {
	c.Set("X-Robots-Tag", "noindex")
	page := api.PageData{Shared: c.Params("share")}
	conversation, _, err := s.Conversations.Shared(c, page.Shared)
	if err != nil {
		page.Problem = s.trouble(c, err)
	}
	page.Slug = conversation.Slug
	return s.document(c, page)
}

// quizPage answers with the document in which a quiz is taken.
func (s *documents) quizPage(c fiber.Ctx) error {
	if _, err := s.visitor(c); err != nil {
		return err
	}
	c.Set("X-Robots-Tag", "noindex")
	return s.document(c, api.PageData{Quiz: c.Params("take")})
}

// quizResultsPage answers with the document that shows how a quiz went.
func (s *documents) quizResultsPage(c fiber.Ctx) error {
	c.Set("X-Robots-Tag", "noindex")
	return s.document(c, api.PageData{QuizResults: c.Params("results")})
}

// trouble describes an error in the page's own shape; the answer gets its
// status.
func (s *documents) trouble(c fiber.Ctx, err error) *api.Trouble {
	b := s.describe(c, err)
	c.Status(b.Status)
	return &api.Trouble{Code: b.Code, Detail: b.Detail, Phrase: b.Phrase, ID: b.ID}
}

// document fills the console's document in.
func (s *documents) document(c fiber.Ctx, page api.PageData) error {
	page.Base, page.Currency = s.BasePath, s.Currency
	title, purpose := "Juvalogos", "Ask at a desk."
	if page.Slug != "" && page.Problem == nil {
		face, err := faceAt(c, s.Desks, page.Slug)
		if err == nil {
			page.Desk = &face
			title, purpose = face.Title, face.Purpose
		} else {
			page.Problem = s.trouble(c, err)
		}
	}
	filling, err := json.Marshal(page) // escapes < and >, so it may stand in HTML
	if err != nil {
		return err
	}
	var b bytes.Buffer
	b.WriteString(s.pages.before)
	fmt.Fprintf(&b, "<base href=\"%s/\"><title>%s</title><meta name=\"description\" content=\"%s\">",
		html.EscapeString(s.BasePath), html.EscapeString(title), html.EscapeString(purpose))
	fmt.Fprintf(&b, "<script type=\"application/json\" id=\"page-data\">%s</script>", filling)
	b.WriteString(s.pages.after)
	c.Set("Content-Type", "text/html; charset=utf-8")
	c.Set("Cache-Control", "no-store")
	c.Set("Content-Security-Policy", securityPolicy)
	return c.Send(b.Bytes())
}

// asset answers with a built file, compressed if the browser takes that.
func (s *documents) asset(c fiber.Ctx) error {
	name := path.Join("assets", path.Clean("/"+c.Params("*")))
	c.Set("Content-Type", mime.TypeByExtension(path.Ext(name)))
	c.Set("Cache-Control", "public, max-age=31536000, immutable")
	c.Set("Vary", "Accept-Encoding")
	for _, packed := range []struct{ encoding, ending string }{{"br", ".br"}, {"gzip", ".gz"}} {
		if !strings.Contains(c.Get("Accept-Encoding"), packed.encoding) {
			continue
		}
		if data, err := fs.ReadFile(s.pages.fs, name+packed.ending); err == nil {
			c.Set("Content-Encoding", packed.encoding)
			return c.Send(data)
		}
	}
	data, err := fs.ReadFile(s.pages.fs, name)
	if err != nil {
		c.Set("Cache-Control", "no-store")
		return fiber.ErrNotFound
	}
	return c.Send(data)
}
