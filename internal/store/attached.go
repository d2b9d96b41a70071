package store

import (
	"context"
	"encoding/json"
	"time"

	"github.com/google/uuid"

	"juvalogos/internal/record"
)

// MakeAttached makes the shelf of a conversation: one that is the visitor's at
// the desk, or one that is to begin. It fails with ErrNotFound if there is such
// a conversation of somebody else, and with ErrDuplicate if it has a shelf.
func (s *Shelves) MakeAttached(ctx context.Context, a record.Attached, at time.Time) (id int64, err error) {
	err = s.pool.QueryRow(ctx, `
		insert into shelf (slug, title, settings, made_by, made_at, conversation, visitor, desk)
		select $1, '', $2, '', $3, $4, $5, $6
		where not exists (select from conversation
			where id = $4 and (visitor <> $5 or desk <> $6 or removed_at is not null))
		returning id`, a.Slug, a.Settings, at, a.Conversation, a.Visitor[:], a.DeskID).Scan(&id)
	return id, known(err)
}

// AttachedTo returns the shelf of a conversation of a visitor that was not
// removed; ErrNotFound if there is none.
func (s *Shelves) AttachedTo(ctx context.Context, conversation uuid.UUID, visitor record.Visitor) (a record.Attached,
	err error) {
	rows, err := s.pool.Query(ctx, `
		select f.id, f.slug, f.settings, f.conversation, f.visitor, f.desk from shelf f left
			join conversation c on c.id = f.conversation
		where f.conversation = $1 and f.visitor = $2 and c.removed_at is null`, conversation, visitor[:])
	if err != nil {
		return a, err
	}
	return only(rows, func(a *record.Attached) columns {
		return columns{
			"id": &a.ID, "slug": &a.Slug, "settings": &a.Settings, "conversation": &a.Conversation,
			"visitor": (*visitorScan)(&a.Visitor), "desk": &a.DeskID,
		}
	})
}

// Announced reports whether something was attached to a conversation of a
// visitor at a desk that is still to begin.
func (s *Shelves) Announced(ctx context.Context, conversation uuid.UUID, visitor record.Visitor, desk int64) (yes bool,
	err error) {
	err = s.pool.QueryRow(ctx, `select (exists (select from shelf
			where conversation = $1 and visitor = $2 and desk = $3)
		or exists (select from media where conversation = $1 and visitor = $2 and desk = $3))
		and not exists (select from conversation where id = $1)`, conversation, visitor[:], desk).Scan(&yes)
	return yes, err
}

// BroughtBy returns whose document one is, if a visitor attached it; ErrNotFound if it
// is on a shelf that makers fill, or is not there.
func (s *Shelves) BroughtBy(ctx context.Context, document int64) (who record.Visitor, err error) {
	err = s.pool.QueryRow(ctx, `select f.visitor from document d join shelf f on f.id = d.shelf
		where d.id = $1 and f.visitor is not null and not f.tray`, document).Scan((*visitorScan)(&who))
	return who, known(err)
}

// ShelfSettings returns the settings of the shelf with an id.
func (s *Shelves) ShelfSettings(ctx context.Context, id int64) (settings json.RawMessage, err error) {
	err = s.pool.QueryRow(ctx, `select settings from shelf where id = $1`, id).Scan(&settings)
	return settings, known(err)
}

// ShelfSlug returns the name of the shelf with an id.
func (s *Shelves) ShelfSlug(ctx context.Context, id int64) (slug string, err error) {
	err = s.pool.QueryRow(ctx, `select slug from shelf where id = $1`, id).Scan(&slug)
	return slug, known(err)
}
