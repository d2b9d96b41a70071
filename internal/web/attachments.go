package web

import (
	"io"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/record"
	"juvalogos/internal/shape"
	"juvalogos/internal/shelf"
)

// What visitors attach to a conversation.

// attachments are the handlers of what visitors attach.
type attachments struct {
	*door
	Desks   *desk.Service
	Shelves *shelf.Library
}

func (s *attachments) routes(api fiber.Router) {
	api.Post("/at/:slug/attachments", s.attach)
	api.Get("/at/:slug/attachments", s.listAttached)
	api.Delete("/at/:slug/attachments/:id", s.detach)
}

// attachedTo is the conversation in the address's query, with whoever
// asks; the zero one if none is named.
func (s *attachments) attachedTo(c fiber.Ctx) (record.Visitor, uuid.UUID, error) {
	who, err := s.visitor(c)
	if err != nil {
		return who, uuid.Nil, err
	}
	id, err := conversationInQuery(c)
	return who, id, err
}

// conversationInQuery is the conversation that an address's query names; the zero one
// if it names none.
func conversationInQuery(c fiber.Ctx) (id uuid.UUID, err error) {
	text := c.Query("conversation")
	if text == "" {
		return id, nil
	}
	if id, err = uuid.Parse(text); err != nil {
		err = fault.Plain(fault.NoConversation)
	}
	return id, err
}

// attach takes documents in; without a conversation they belong to one that is
// to begin, whose id is answered.
func (s *attachments) attach(c fiber.Ctx) error {
	who, conversation, err := s.attachedTo(c)
	if err != nil {
		return err
	}
	slug, err := s.slugAsked(c)
	if err != nil {
		return err
	}
	d, err := s.Desks.Open(c, slug)
	if err != nil {
		return err
	}
	if !d.Settings.Attachments {
		return fiber.NewError(fiber.StatusForbidden, "No documents can be attached at this desk.")
	}
	if conversation == uuid.Nil {
		conversation = uuid.Must(uuid.NewV7())
	}
	taken, err := s.Limits.Reserve(from(c), d.Slug,
		limits.Amounts{limits.Uploads: 1, limits.UploadsAtOnce: 1, limits.UploadBytes: 0})
	if err != nil {
		return err
	}
	defer taken.Done()
	var added []shelf.Added
	err = eachFile(c, func(name string, body io.Reader) error {
		body = &counted{body, taken}
		some, err := s.Shelves.Attach(from(c), conversation, who, d.DeskID, name, body)
		added = append(added, some...)
		return err
	})
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusAccepted).
		JSON(api.Attached{Conversation: conversation.String(), Added: shape.All(added, shape.Added)})
}

// counted counts the bytes of files as they come.
type counted struct {
	io.Reader
	taken *limits.Reservation
}

func (r *counted) Read(into []byte) (int, error) {
	n, err := r.Reader.Read(into)
	r.taken.Take(limits.UploadBytes, int64(n))
	return n, err
}

func (s *attachments) listAttached(c fiber.Ctx) error {
	who, conversation, err := s.attachedTo(c)
	if err != nil {
		return err
	}
	documents, err := s.Shelves.Attached(c, conversation, who)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.AttachmentList{Documents: shape.All(documents, shape.Attachment)})
}

func (s *attachments) detach(c fiber.Ctx) error {
	who, conversation, err := s.attachedTo(c)
	if err != nil {
		return err
	}
	id, err := documentID(c)
	if err != nil {
		return err
	}
	if err := s.Shelves.Detach(c, conversation, who, id); err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}
