package web

import (
	"mime"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"

	"juvalogos/internal/api"
	"juvalogos/internal/shape"
)

func (s *shelves) listDocuments(c fiber.Ctx) error {
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

func (s *shelves) removeDocument(c fiber.Ctx) error {
	return onDocument(c, func(shelf string, id int64) error { return s.Shelves.RemoveDocument(c, shelf, id) })
}

func (s *shelves) restoreDocument(c fiber.Ctx) error {
	return onDocument(c, func(shelf string, id int64) error { return s.Shelves.RestoreDocument(c, shelf, id) })
}

func (s *shelves) readDocument(c fiber.Ctx) error {
	return onDocument(c, func(shelf string, id int64) error { return s.Shelves.ReadAgain(c, shelf, id) })
}

func (s *shelves) readShelf(c fiber.Ctx) error {
	n, err := s.Shelves.ReadShelfAgain(c, c.Params("shelf"))
	if err != nil {
		return err
	}
	return c.JSON(api.ReadAnew{Documents: n})
}

func (s *shelves) cancelReading(c fiber.Ctx) error {
	n, err := s.Shelves.Cancel(c, c.Params("shelf"))
	if err != nil {
		return err
	}
	return c.JSON(api.Cancelled{Cancelled: n})
}

func (s *shelves) listPassages(c fiber.Ctx) error {
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
func (s *shelves) documentText(c fiber.Ctx) error {
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

func (s *shelves) original(c fiber.Ctx) error {
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
	c.Set("Content-Disposition", mime.FormatMediaType("attachment",
		map[string]string{"filename": d.Name[strings.LastIndexByte(d.Name, '/')+1:]}))
	return c.SendStream(body, int(d.Size))
}

// pagePicture is a page of a PDF as a picture.
func (s *shelves) pagePicture(c fiber.Ctx) error {
	id, err := documentID(c)
	if err != nil {
		return err
	}
	page, err := strconv.Atoi(strings.TrimSuffix(c.Params("page"), ".png"))
	if err != nil {
		return fiber.NewError(fiber.StatusNotFound, "There is no such page.")
	}
	picture, err := s.Shelves.PagePicture(from(c), c.Params("shelf"), id, page)
	if err != nil {
		return err
	}
	c.Set("Content-Type", "image/png")
	c.Set("Cache-Control", "private, max-age=3600")
	return c.Send(picture)
}
