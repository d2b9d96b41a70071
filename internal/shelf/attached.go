package shelf

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/phrase"
	"juvalogos/internal/record"
)

// What visitors attach to a conversation is on a shelf of its own. Its name
// tells whose it is; whoever lets somebody at a shelf of this name asks
// MayOpen first.
const privatePrefix = "attached-"

// Private reports whether a shelf's name is that of a conversation's own shelf, or of
// a tray.
func Private(slug string) bool {
	return strings.HasPrefix(slug, privatePrefix) || strings.HasPrefix(slug, trayPrefix)
}

// Own is the name of a conversation's own shelf.
func Own(conversation uuid.UUID) string { return privatePrefix + conversation.String() }

// MostAttached is how many documents a conversation may have.
const MostAttached = 10

// Attach puts a visitor's file on the shelf of a conversation that is theirs or
// is to begin.
func (l *Library) Attach(ctx context.Context, conversation uuid.UUID, visitor record.Visitor, desk int64, name string,
	body io.Reader) ([]Added, error) {
	a, err := l.own(ctx, conversation, visitor, desk, DefaultSettings())
	if err != nil {
		return nil, err
	}
	there, err := l.Store.Shelves.Documents(ctx, a.ID)
	if err != nil {
		return nil, err
	}
	if len(there) >= MostAttached {
		return []Added{{Name: cleanName(name), Problem: phrase.Of("a conversation takes %d documents at most; remove "+
			"one first",
			MostAttached)}}, nil
	}
	if strings.HasSuffix(strings.ToLower(name), ".zip") {
		return []Added{{Name: cleanName(name), Problem: phrase.Of("it is a ZIP; attach the files themselves")}}, nil
	}
	l.indexes.use(a.Slug, a.ID)
	return l.Add(ctx, a.Slug, name, "", "visitor", body)
}

// Attend puts a text of ours on the shelf of a conversation, in the place of the one that
// has its name, and returns the document's id.
func (l *Library) Attend(ctx context.Context, conversation uuid.UUID, visitor record.Visitor, desk int64, name string,
	body io.Reader) (int64, error) {
	a, err := l.own(ctx, conversation, visitor, desk, DefaultSettings())
	if err != nil {
		return 0, err
	}
	l.indexes.use(a.Slug, a.ID)
	added, err := l.Add(ctx, a.Slug, name, "", "visitor", body)
	switch {
	case err != nil:
		return 0, err
	case len(added) != 1 || !added[0].Problem.IsZero():
		return 0, fmt.Errorf("%s was not kept: %v", name, added)
	}
	return added[0].Document, nil
}

// own is the shelf of a conversation that is the visitor's or is to begin; it is made
// if there is none.
func (l *Library) own(ctx context.Context, conversation uuid.UUID, visitor record.Visitor, desk int64,
	s Settings) (record.Attached, error) {
	a, err := l.Store.Shelves.AttachedTo(ctx, conversation, visitor)
	if errors.Is(err, record.ErrNotFound) {
		a, err = l.makeAttached(ctx, conversation, visitor, desk, s)
	}
	if errors.Is(err, record.ErrNotFound) || errors.Is(err, record.ErrDuplicate) || err == nil && a.DeskID != desk {
		return a, missing("there is no such conversation of yours")
	}
	return a, err
}

func (l *Library) makeAttached(ctx context.Context, conversation uuid.UUID, visitor record.Visitor, desk int64,
	s Settings) (a record.Attached, err error) {
	settings, err := json.Marshal(s)
	if err != nil {
		return a, err
	}
	a = record.Attached{Slug: Own(conversation), Settings: settings, Conversation: conversation,
		Visitor: visitor, DeskID: desk}
	a.ID, err = l.Store.Shelves.MakeAttached(ctx, a, l.Now())
	return a, err
}

// Attached lists what a visitor attached to a conversation.
func (l *Library) Attached(ctx context.Context, conversation uuid.UUID, visitor record.Visitor) ([]record.Document,
	error) {
	a, err := l.Store.Shelves.AttachedTo(ctx, conversation, visitor)
	if errors.Is(err, record.ErrNotFound) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return l.Store.Shelves.Documents(ctx, a.ID)
}

// Detach takes back what a visitor attached.
func (l *Library) Detach(ctx context.Context, conversation uuid.UUID, visitor record.Visitor, id int64) error {
	a, err := l.Store.Shelves.AttachedTo(ctx, conversation, visitor)
	if errors.Is(err, record.ErrNotFound) {
		return missing("there is no such document")
	}
	if err != nil {
		return err
	}
	return l.RemoveDocument(ctx, a.Slug, id)
}

// Forget deletes for good what a conversation's shelf has whose name ends in an ending,
// in every version it was there in.
func (l *Library) Forget(ctx context.Context, conversation uuid.UUID, visitor record.Visitor, ending string) error {
	a, err := l.Store.Shelves.AttachedTo(ctx, conversation, visitor)
	if errors.Is(err, record.ErrNotFound) {
		return nil
	}
	if err != nil {
		return err
	}
	ids, err := l.Store.Shelves.Forget(ctx, a.ID, ending)
	for _, id := range ids {
		l.indexes.apply(ctx, a.ID, id)
	}
	return err
}

// MayOpen reports whether a visitor may see a document on a conversation's shelf or
// on a tray.
func (l *Library) MayOpen(ctx context.Context, slug string, document int64, visitor record.Visitor) bool {
	if strings.HasPrefix(slug, trayPrefix) {
		yes, err := l.Store.Errands.MayRead(ctx, document, visitor)
		return err == nil && yes
	}
	conversation, err := uuid.Parse(strings.TrimPrefix(slug, privatePrefix))
	if err != nil {
		return false
	}
	_, err = l.Store.Shelves.AttachedTo(ctx, conversation, visitor)
	return err == nil
}

// AttachedShelf returns the name of a conversation's shelf once all that is on
// it has been read; "" if there is none.
func (l *Library) AttachedShelf(ctx context.Context, conversation uuid.UUID, visitor record.Visitor) (string, error) {
	a, err := l.Store.Shelves.AttachedTo(ctx, conversation, visitor)
	if errors.Is(err, record.ErrNotFound) {
		return "", nil
	}
	if err != nil {
		return "", err
	}
	for {
		f, err := l.Store.Shelves.Shelf(ctx, a.Slug)
		if err != nil || f.Unread == 0 {
			return a.Slug, err
		}
		select {
		case <-ctx.Done():
			return "", context.Cause(ctx)
		case <-time.After(100 * time.Millisecond):
		}
	}
}

// idleFor is for how long a conversation's shelf stays in memory unused.
const idleFor = 10 * time.Minute

// mostAttachedPassages is how many passages of conversations' shelves stay in memory,
// of all together.
const mostAttachedPassages = 40_000

// putAway drops the shelves of conversations from memory that nobody asked for
// lately, and of the others those asked for longest ago where they are very many
// together; they are filled again when somebody asks.
func (l *indexes) putAway() {
	l.mu.Lock()
	defer l.mu.Unlock()
	var private []int64
	for id, v := range l.live {
		if v.private {
			private = append(private, id)
		}
	}
	slices.SortFunc(private, func(a, b int64) int { return l.live[b].used.Compare(l.live[a].used) })
	held := 0
	for i, id := range private {
		v := l.live[id]
		if v.index != nil {
			held += v.index.Len()
		}
		if l.Now().Sub(v.used) > idleFor || held > mostAttachedPassages && i > 0 {
			delete(l.live, id)
		}
	}
}
