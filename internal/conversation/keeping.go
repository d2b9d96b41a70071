package conversation

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/media"
	"juvalogos/internal/record"
	"juvalogos/internal/reply"
	"juvalogos/internal/store"
)

// What visitors do with conversations they had.

// Options are what a Service of conversations is made of.
type Options struct {
	Store   *store.Conversations
	Desks   *desk.Service
	Replies *reply.Service
	Media   *media.Service // nil: there are no pictures
	Log     *slog.Logger
	// Now is the clock; nil means time.Now.
	Now func() time.Time
}

// Service is what visitors and makers do with conversations. It is safe
// for concurrent use.
//
// Unless a method says otherwise it fails with *fault.Problem, whose sentence may
// be shown to whoever asked; what stands behind it is in its Cause and the log.
type Service struct{ Options }

// New returns a service of conversations.
func New(o Options) *Service {
	if o.Now == nil {
		o.Now = time.Now
	}
	return &Service{o}
}

// keepRemoved is how long a removed conversation can be brought back.
const keepRemoved = 30 * 24 * time.Hour

// longestName is in characters, for a title that a visitor gives.
const longestName = 120

// Attempts returns all attempts at a visitor's turn, the first one first.
func (s *Service) Attempts(ctx context.Context, visitor record.Visitor, turn uuid.UUID) ([]record.Attempt, error) {
	attempts, err := s.Store.Attempts(ctx, turn, visitor)
	return attempts, fault.NotFound(s.Log, fault.NoTurn, err)
}

// Choose makes one attempt the one that counts: it is shown and remembered.
func (s *Service) Choose(ctx context.Context, visitor record.Visitor, turn uuid.UUID, attempt int) error {
	if s.Replies.LiveFor(visitor, turn) != nil {
		return fault.Plain(fault.StillWriting)
	}
	return fault.NotFound(s.Log, fault.NoTurn, s.Store.Choose(ctx, turn, visitor, attempt))
}

// TakeBack takes back the last turn of a visitor's conversation and returns its
// question, with the number of turns that remain; with the last one the
// conversation goes too. Show brings it back for 30 days.
func (s *Service) TakeBack(ctx context.Context, visitor record.Visitor, turn uuid.UUID) (question string, left int,
	err error) {
	if s.Replies.LiveFor(visitor, turn) != nil {
		return "", 0, fault.Plain(fault.StillWriting)
	}
	question, left, err = s.Store.TakeBack(ctx, turn, visitor, s.Now())
	return question, left, fault.NotFound(s.Log, fault.NoTurn, err)
}

// Show leads the conversation through a turn: another branch, or one that was
// taken back.
func (s *Service) Show(ctx context.Context, visitor record.Visitor, turn uuid.UUID) error {
	t, err := s.Store.Turn(ctx, turn, visitor)
	if err != nil {
		return fault.NotFound(s.Log, fault.NoTurn, err)
	}
	if s.Replies.Busy(t.Conversation) {
		return fault.Plain(fault.StillWriting)
	}
	return fault.NotFound(s.Log, fault.NoTurn, s.Store.Show(ctx, turn, visitor))
}

// Rename gives a visitor's conversation a title.
func (s *Service) Rename(ctx context.Context, visitor record.Visitor, id uuid.UUID, title string) error {
	title = record.OneLine(title, 0)
	if n := utf8.RuneCountInString(title); n == 0 || n > longestName {
		return fault.Say(fault.Invalid, "Give the conversation a name of up to %d characters.", longestName)
	}
	return fault.NotFound(s.Log, fault.NoConversation, s.Store.Rename(ctx, id, visitor, title))
}

// Share makes a visitor's conversation readable, as it is at any time, to
// whoever has a link that cannot be guessed, and returns the link's end.
func (s *Service) Share(ctx context.Context, visitor record.Visitor, id uuid.UUID) (string, error) {
	share, err := s.Store.Share(ctx, id, visitor, strings.ToLower(rand.Text()))
	return share, fault.NotFound(s.Log, fault.NoConversation, err)
}

// Unshare withdraws the link.
func (s *Service) Unshare(ctx context.Context, visitor record.Visitor, id uuid.UUID) error {
	return fault.NotFound(s.Log, fault.NoConversation, s.Store.Unshare(ctx, id, visitor))
}

// Shared returns a conversation by the end of its link.
func (s *Service) Shared(ctx context.Context, share string) (record.Conversation, []record.Turn, error) {
	c, turns, err := s.Store.Shared(ctx, share)
	return c, turns, fault.NotFound(s.Log, fault.NotShared, err)
}

// Remove takes a visitor's conversation away and stops a reply that is being
// made in it. Restore brings it back for 30 days.
func (s *Service) Remove(ctx context.Context, visitor record.Visitor, id uuid.UUID) error {
	if err := s.Store.Remove(ctx, id, visitor, s.Now()); err != nil {
		return fault.NotFound(s.Log, fault.NoConversation, err)
	}
	s.Replies.StopIn(id)
	return nil
}

// Restore brings a removed conversation back.
func (s *Service) Restore(ctx context.Context, visitor record.Visitor, id uuid.UUID) error {
	return fault.NotFound(s.Log, fault.NoConversation, s.Store.Restore(ctx, id, visitor))
}

// Purge deletes for good what was removed long ago.
func (s *Service) Purge(ctx context.Context) {
	n, err := s.Store.Purge(ctx, s.Now().Add(-keepRemoved))
	switch {
	case err != nil && !errors.Is(err, context.Canceled):
		s.Log.Warn("deleting removed conversations", "error", err)
	case n > 0:
		s.Log.Info("removed conversations are deleted for good", "conversations", n)
	}
}

// Markdown writes a conversation as a document.
func Markdown(deskTitle string, c record.Conversation, turns []record.Turn) string {
	return markdown(deskTitle, c, turns, func(i int) string {
		if n := len(turns[i].Pictures); n > 0 {
			names := make([]string, n)
			for j, m := range turns[i].Pictures {
				names[j] = m.Name
			}
			return "*Asked with: " + strings.Join(names, ", ") + "*\n\n"
		}
		return ""
	})
}

// markdown writes a conversation; pictures are the lines for those of a turn.
func markdown(deskTitle string, c record.Conversation, turns []record.Turn, pictures func(i int) string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "# %s\n\n*%s, %s*\n", c.Title, deskTitle, c.StartedAt.UTC().Format("2 January 2006, 15:04 UTC"))
	for i, t := range turns {
		fmt.Fprintf(&b, "\n## %d. %s\n\n%s%s\n", t.Number, strings.Join(strings.Fields(t.Question), " "), pictures(i),
			strings.TrimSpace(t.Attempt.Reply))
		if p := reply.EndOf(t.Attempt).Problem; p != "" {
			fmt.Fprintf(&b, "\n> %s\n", fault.Sentence(p))
		} else if t.Attempt.State == record.Stopped {
			b.WriteString("\n> This reply was stopped.\n")
		}
	}
	return b.String()
}
