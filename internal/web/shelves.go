package web

import (
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/gofiber/fiber/v3"
	"github.com/valyala/fasthttp"

	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/shape"
	"juvalogos/internal/shelf"
)

// Shelves and their documents, for makers.

func (s *Server) shelfRoutes(api fiber.Router) {
	// What visitors attach is theirs alone.
	api.Use("/shelves/:shelf", func(c fiber.Ctx) error {
		if shelf.Private(c.Params("shelf")) {
			return fiber.NewError(fiber.StatusNotFound, "What visitors attach to a conversation is seen by nobody else.")
		}
		return c.Next()
	})
	read := func(path string, h fiber.Handler) { api.Get(path, s.allowed(scopeRead, h)) }
	read("/shelves", s.listShelves)
	read("/shelves/:shelf", s.showShelf)
	read("/shelves/:shelf/settings", s.shelfSettings)
	read("/shelves/:shelf/embedding", s.shelfEmbedding)
	read("/shelves/:shelf/documents", s.listDocuments)
	read("/shelves/:shelf/documents/:id/passages", s.listPassages)
	read("/shelves/:shelf/documents/:id/text", s.documentText)
	read("/shelves/:shelf/documents/:id/original", s.original)
	read("/shelves/:shelf/documents/:id/pages/:page", s.pagePicture)
	read("/shelves/:shelf/map", s.mapShelf)
	api.Post("/shelves/:shelf/search", s.allowed(scopeRead, s.searchShelf))
	api.Post("/shelves", s.allowed(scopePublish, s.makeShelf))
	api.Delete("/shelves/:shelf", s.allowed(scopePublish, s.removeShelf))
	api.Put("/shelves/:shelf/settings", s.allowed(scopePublish, s.changeShelf))
	api.Post("/shelves/:shelf/embedding", s.allowed(scopePublish, s.embedShelf))
	api.Post("/shelves/:shelf/documents", arriving(s.allowed(scopePublish, s.addDocuments)))
	api.Post("/shelves/:shelf/addresses", s.allowed(scopePublish, s.addAddress))
	api.Post("/shelves/:shelf/cancel", s.allowed(scopePublish, s.cancelReading))
	api.Delete("/shelves/:shelf/documents/:id", s.allowed(scopePublish, s.removeDocument))
	api.Post("/shelves/:shelf/documents/:id/restore", s.allowed(scopePublish, s.restoreDocument))
	api.Post("/shelves/:shelf/documents/:id/read", s.allowed(scopePublish, s.readDocument))
	// For visitors of a desk that answers from the shelf.
	api.Get("/at/:slug/shelves/:shelf/documents/:id/text", s.atDesk(s.documentText))
	api.Get("/at/:slug/shelves/:shelf/documents/:id/original", s.atDesk(s.original))
	api.Get("/at/:slug/shelves/:shelf/documents/:id/pages/:page", s.atDesk(s.pagePicture))
	s.attachmentRoutes(api)
}

// atDesk lets visitors see what a desk answers from.
func (s *Server) atDesk(h fiber.Handler) fiber.Handler {
	return func(c fiber.Ctx) error {
		slug, err := s.slugAsked(c)
		if err != nil {
			return err
		}
		f, err := s.Desks.Face(c, slug)
		if err != nil {
			return err
		}
		name := c.Params("shelf")
		if shelf.Private(name) {
			who, err := s.visitor(c)
			if err != nil {
				return err
			}
			if !s.Shelves.MayOpen(c, name, who) {
				return fiber.NewError(fiber.StatusNotFound, "Only whoever attached this document to the conversation can open it.")
			}
			return h(c)
		}
		if slices.Contains(f.Shelves, name) {
			return h(c)
		}
		return fiber.NewError(fiber.StatusNotFound, "This desk does not answer from that document any more.")
	}
}

func (s *Server) listShelves(c fiber.Ctx) error {
	shelves, err := s.Store.Shelves.Shelves(c)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.ShelfList{Shelves: shape.All(shelves, shape.Shelf)})
}

func (s *Server) showShelf(c fiber.Ctx) error {
	f, err := s.Shelves.Shelf(c, c.Params("shelf"))
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(shape.Shelf(f))
}

func (s *Server) makeShelf(c fiber.Ctx) error {
	var b api.NewShelf
	if err := readJSON(c, &b); err != nil {
		return err
	}
	f, err := s.Shelves.Make(c, b.Shelf, b.Title, by(c))
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusCreated).JSON(shape.Shelf(f))
}

func (s *Server) removeShelf(c fiber.Ctx) error {
	if err := s.Shelves.Remove(c, c.Params("shelf")); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

// addDocuments takes files in while they arrive: each part of the form is kept
// piece by piece, and read in the background.
func (s *Server) addDocuments(c fiber.Ctx) error {
	var added []shelf.Added
	err := eachFile(c, func(name string, body io.Reader) error {
		some, err := s.Shelves.Add(c, c.Params("shelf"), name, "", by(c), body)
		added = append(added, some...)
		return err
	})
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusAccepted).JSON(api.AddedList{Added: shape.All(added, shape.Added)})
}

// arriving lets a handler take files in while they arrive. What is left of the
// body when it refuses them is not to be taken for another request.
func arriving(h fiber.Handler) fiber.Handler {
	return func(c fiber.Ctx) error {
		err := h(c)
		if err != nil && c.Request().IsBodyStream() {
			_, _ = io.CopyN(io.Discard, c.Request().BodyStream(), largestBody)
			c.Response().Header.SetConnectionClose()
		}
		return err
	}
}

// eachFile hands over the files of a form while they arrive.
func eachFile(c fiber.Ctx, do func(name string, body io.Reader) error) error {
	kind, parameters, err := mime.ParseMediaType(c.Get("Content-Type"))
	if err != nil || kind != "multipart/form-data" {
		return invalid("Send files as multipart/form-data, each in a part with a file name.")
	}
	body := io.Reader(strings.NewReader(string(c.Request().Body())))
	if c.Request().IsBodyStream() {
		body = c.Request().BodyStream()
	}
	form := multipart.NewReader(body, parameters["boundary"])
	for {
		part, err := form.NextPart()
		if errors.Is(err, io.EOF) {
			return nil
		}
		if err != nil {
			return invalid("The files did not arrive whole. What arrived was added; send the others again.")
		}
		// FileName drops folders; the name in the header has them.
		_, disposition, _ := mime.ParseMediaType(part.Header.Get("Content-Disposition"))
		name := disposition["filename"]
		if name == "" {
			continue
		}
		if err := do(name, part); err != nil {
			return err
		}
	}
}

// addAddress fetches what an address leads to, an encyclopedia's article on a
// topic, or what a search in a paper repository finds.
func (s *Server) addAddress(c fiber.Ctx) error {
	var b api.NewAddress
	if err := readJSON(c, &b); err != nil {
		return err
	}
	var added []shelf.Added
	var err error
	switch {
	case b.Topic != "" && b.Search != "":
		return fiber.NewError(fiber.StatusBadRequest, "Give a topic or a search, not both.")
	case b.Topic != "":
		added, err = s.Shelves.AddTopic(c, c.Params("shelf"), b.Address, b.Topic, by(c))
	case b.Search != "":
		added, err = s.Shelves.AddPapers(c, c.Params("shelf"), b.Address, b.Search, b.Most, by(c))
	default:
		added, err = s.Shelves.AddAddress(c, c.Params("shelf"), b.Address, by(c))
	}
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusAccepted).JSON(api.AddedList{Added: shape.All(added, shape.Added)})
}

func (s *Server) listDocuments(c fiber.Ctx) error {
	documents, err := s.Shelves.Documents(c, c.Params("shelf"))
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.DocumentList{Documents: shape.All(documents, shape.Document)})
}

func documentID(c fiber.Ctx) (int64, error) {
	id, err := strconv.ParseInt(c.Params("id"), 10, 64)
	if err != nil {
		return 0, fiber.NewError(fiber.StatusNotFound, "There is no such document.")
	}
	return id, nil
}

// onDocument does something with the document of the address.
func onDocument(c fiber.Ctx, do func(shelf string, id int64) error) error {
	id, err := documentID(c)
	if err != nil {
		return err
	}
	if err := do(c.Params("shelf"), id); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *Server) removeDocument(c fiber.Ctx) error {
	return onDocument(c, func(shelf string, id int64) error { return s.Shelves.RemoveDocument(c, shelf, id) })
}

func (s *Server) restoreDocument(c fiber.Ctx) error {
	return onDocument(c, func(shelf string, id int64) error { return s.Shelves.RestoreDocument(c, shelf, id) })
}

func (s *Server) readDocument(c fiber.Ctx) error {
	return onDocument(c, func(shelf string, id int64) error { return s.Shelves.ReadAgain(c, shelf, id) })
}

func (s *Server) cancelReading(c fiber.Ctx) error {
	n, err := s.Shelves.Cancel(c, c.Params("shelf"))
	if err != nil {
		return err
	}
	return c.JSON(api.Cancelled{Cancelled: n})
}

func (s *Server) listPassages(c fiber.Ctx) error {
	id, err := documentID(c)
	if err != nil {
		return err
	}
	d, passages, err := s.Shelves.Passages(c, c.Params("shelf"), id)
	if err != nil {
		return err
	}
	return c.JSON(api.PassageList{Document: shape.Document(d), Passages: shape.All(passages, shape.Passage)})
}

// documentText is a document as it was read.
func (s *Server) documentText(c fiber.Ctx) error {
	id, err := documentID(c)
	if err != nil {
		return err
	}
	d, blocks, err := s.Shelves.Blocks(c, c.Params("shelf"), id)
	if err != nil {
		return err
	}
	body := shape.Document(d)
	if c.Params("slug") != "" { // visitors need not know who added it
		body.AddedBy = ""
	}
	return c.JSON(api.DocumentText{Document: body, Blocks: blocks})
}

func (s *Server) original(c fiber.Ctx) error {
	id, err := documentID(c)
	if err != nil {
		return err
	}
	d, body, err := s.Shelves.Original(c, c.Params("shelf"), id)
	if err != nil {
		return err
	}
	// A document is data here, whatever it is: it is saved, and never shown as a
	// page of ours.
	c.Set("Content-Type", "application/octet-stream")
	c.Set("Content-Security-Policy", "sandbox; default-src 'none'")
	c.Set("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": d.Name[strings.LastIndexByte(d.Name, '/')+1:]}))
	return c.SendStream(body, int(d.Size))
}

// pagePicture is a page of a PDF as a picture.
func (s *Server) pagePicture(c fiber.Ctx) error {
	id, err := documentID(c)
	if err != nil {
		return err
	}
	page, err := strconv.Atoi(strings.TrimSuffix(c.Params("page"), ".png"))
	if err != nil {
		return fiber.NewError(fiber.StatusNotFound, "There is no such page.")
	}
	picture, err := s.Shelves.PagePicture(c, c.Params("shelf"), id, page)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "image/png")
	c.Set("Cache-Control", "private, max-age=3600")
	return c.Send(picture)
}

func (s *Server) searchShelf(c fiber.Ctx) error {
	q := api.ShelfQuery{Limit: 10}
	if err := readJSON(c, &q); err != nil {
		return err
	}
	if strings.TrimSpace(q.Query) == "" || q.Limit < 1 || q.Limit > 100 {
		return invalid("Give a query, and a limit between 1 and 100.")
	}
	r, err := s.Shelves.Search(c, []string{c.Params("shelf")}, shelf.Query{Text: q.Query, Within: q.Within, Limit: q.Limit})
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.ShelfFound{Hits: shape.All(r.Found, shape.Hit), Answers: r.Answers})
}

// mapShelf lays a shelf's passages out in two dimensions.
func (s *Server) mapShelf(c fiber.Ctx) error {
	points, asked, err := s.Shelves.Map(c, c.Params("shelf"), c.Query("query"))
	if err != nil {
		return err
	}
	answer := api.ShelfMap{Points: shape.All(points, shape.Point)}
	if asked != nil {
		at := shape.Point(*asked)
		answer.Asked = &at
	}
	return c.JSON(answer)
}

// uploadTime is how long the files of one request may take to arrive.
const uploadTime = 2 * time.Hour

// takesFiles reports whether a request adds files to a shelf.
func takesFiles(h *fasthttp.RequestHeader) bool {
	path, _, _ := strings.Cut(string(h.RequestURI()), "?")
	return string(h.Method()) == fiber.MethodPost && (strings.Contains(path, "/api/shelves/") && strings.HasSuffix(path, "/documents") ||
		strings.Contains(path, "/api/at/") && strings.HasSuffix(path, "/attachments"))
}

// tooLong reports whether a request announces a body that is larger than it may
// be.
func tooLong(h *fasthttp.RequestHeader) bool {
	return h.ContentLength() > largestBody && !takesFiles(h)
}

// byHeader gives files the time they need to arrive.
func byHeader(h *fasthttp.RequestHeader) fasthttp.RequestConfig {
	if takesFiles(h) {
		return fasthttp.RequestConfig{ReadTimeout: uploadTime}
	}
	return fasthttp.RequestConfig{}
}

// limitBody refuses bodies that are larger than they may be; only files that
// are added to a shelf may be read while they arrive.
func limitBody(c fiber.Ctx) error {
	r := c.Request()
	if !r.IsBodyStream() || takesFiles(&r.Header) {
		return nil
	}
	if tooLong(&r.Header) {
		return fiber.ErrRequestEntityTooLarge
	}
	body, err := io.ReadAll(io.LimitReader(r.BodyStream(), largestBody+1))
	if err != nil {
		return fmt.Errorf("read a request: %w", err)
	}
	if len(body) > largestBody {
		return fiber.ErrRequestEntityTooLarge
	}
	r.SetBodyRaw(body)
	return nil
}

// shelfProblem tells how an answer says what a shelf refused.
func shelfProblem(p *shelf.Problem) (status int, code desk.Code) {
	if p.Missing {
		return fiber.StatusNotFound, codeNoRoute
	}
	return fiber.StatusUnprocessableEntity, desk.Invalid
}
