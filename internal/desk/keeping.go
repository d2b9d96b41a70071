package desk

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/google/uuid"

	"juvalogos/internal/record"
)

// What visitors do with conversations they had.

// keepRemoved is how long a removed conversation can be brought back.
const keepRemoved = 30 * 24 * time.Hour

// keepAccess is how long a removed token or connection can be.
const keepAccess = time.Hour

// longestName is in characters, for a title that a visitor gives.
const longestName = 120

// Attempts returns all attempts at a visitor's turn, the first one first.
func (s *Service) Attempts(ctx context.Context, visitor record.Visitor, turn uuid.UUID) ([]record.Attempt, error) {
	attempts, err := s.Store.Conversations.Attempts(ctx, turn, visitor)
	return attempts, s.found(NoTurn, err)
}

// Choose makes one attempt the one that counts: it is shown and remembered.
func (s *Service) Choose(ctx context.Context, visitor record.Visitor, turn uuid.UUID, attempt int) error {
	if s.liveReply(visitor, turn) != nil {
		return &Problem{Code: StillWriting, Sentence: Sentence(StillWriting)}
	}
	return s.found(NoTurn, s.Store.Conversations.Choose(ctx, turn, visitor, attempt))
}

// TakeBack takes back the last turn of a visitor's conversation and returns its
// question, with the number of turns that remain; with the last one the
// conversation goes too. Show brings it back for 30 days.
func (s *Service) TakeBack(ctx context.Context, visitor record.Visitor, turn uuid.UUID) (question string, left int, err error) {
	if s.liveReply(visitor, turn) != nil {
		return "", 0, &Problem{Code: StillWriting, Sentence: Sentence(StillWriting)}
	}
	question, left, err = s.Store.Conversations.TakeBack(ctx, turn, visitor, s.Now())
	return question, left, s.found(NoTurn, err)
}

// Show leads the conversation through a turn: another branch, or one that was
// taken back.
func (s *Service) Show(ctx context.Context, visitor record.Visitor, turn uuid.UUID) error {
	t, err := s.Store.Conversations.Turn(ctx, turn, visitor)
	if err != nil {
		return s.found(NoTurn, err)
	}
	s.mu.Lock()
	busy := s.busy[t.Conversation] != nil
	s.mu.Unlock()
	if busy {
		return &Problem{Code: StillWriting, Sentence: Sentence(StillWriting)}
	}
	return s.found(NoTurn, s.Store.Conversations.Show(ctx, turn, visitor))
}

// Rename gives a visitor's conversation a title.
func (s *Service) Rename(ctx context.Context, visitor record.Visitor, id uuid.UUID, title string) error {
	title = tidy(title, 0)
	if n := utf8.RuneCountInString(title); n == 0 || n > longestName {
		return &Problem{Code: Invalid, Sentence: fmt.Sprintf("Give the conversation a name of up to %d characters.", longestName)}
	}
	return s.found(NoConversation, s.Store.Conversations.Rename(ctx, id, visitor, title))
}

// tidy makes one line of what somebody typed, of at most so many characters; 0
// is any number.
func tidy(text string, most int) string {
	text = strings.Join(strings.Fields(string(clean([]byte(text)))), " ")
	if runes := []rune(text); most > 0 && len(runes) > most {
		text = string(runes[:most])
	}
	return text
}

// Share makes a visitor's conversation readable, as it is at any time, to
// whoever has a link that cannot be guessed, and returns the link's end.
func (s *Service) Share(ctx context.Context, visitor record.Visitor, id uuid.UUID) (string, error) {
	share, err := s.Store.Conversations.Share(ctx, id, visitor, strings.ToLower(rand.Text()))
	return share, s.found(NoConversation, err)
}

// Unshare withdraws the link.
func (s *Service) Unshare(ctx context.Context, visitor record.Visitor, id uuid.UUID) error {
	return s.found(NoConversation, s.Store.Conversations.Unshare(ctx, id, visitor))
}

// Shared returns a conversation by the end of its link.
func (s *Service) Shared(ctx context.Context, share string) (record.Conversation, []record.Turn, error) {
	c, turns, err := s.Store.Conversations.Shared(ctx, share)
	return c, turns, s.found(NotShared, err)
}

// Remove takes a visitor's conversation away and stops a reply that is being
// made in it. Restore brings it back for 30 days.
func (s *Service) Remove(ctx context.Context, visitor record.Visitor, id uuid.UUID) error {
	if err := s.Store.Conversations.Remove(ctx, id, visitor, s.Now()); err != nil {
		return s.found(NoConversation, err)
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if r := s.busy[id]; r != nil {
		r.cancel(errStopped)
	}
	return nil
}

// Restore brings a removed conversation back.
func (s *Service) Restore(ctx context.Context, visitor record.Visitor, id uuid.UUID) error {
	return s.found(NoConversation, s.Store.Conversations.Restore(ctx, id, visitor))
}

// found turns the store's errors into Problems; nil stays nil.
func (s *Service) found(code Code, err error) error {
	if err == nil {
		return nil
	}
	return s.notFound(code, err)
}

// purge deletes for good what was removed long ago.
func (s *Service) purge(ctx context.Context) {
	if err := s.Store.Accounts.PurgeAccess(ctx, s.Now().Add(-keepAccess)); err != nil && ctx.Err() == nil {
		s.Log.Warn("deleting removed tokens and connections", "error", err)
	}
	n, err := s.Store.Conversations.Purge(ctx, s.Now().Add(-keepRemoved))
	switch {
	case err != nil && !errors.Is(err, context.Canceled):
		s.Log.Warn("deleting removed conversations", "error", err)
	case n > 0:
		s.Log.Info("removed conversations are deleted for good", "conversations", n)
	}
}

// Markdown writes a conversation as a document.
func Markdown(deskTitle string, c record.Conversation, turns []record.Turn) string {
	var b strings.Builder
	fmt.Fprintf(&b, "# %s\n\n*%s, %s*\n", c.Title, deskTitle, c.StartedAt.UTC().Format("2 January 2006, 15:04 UTC"))
	for _, t := range turns {
		fmt.Fprintf(&b, "\n## %d. %s\n\n%s\n", t.Number, strings.Join(strings.Fields(t.Question), " "), strings.TrimSpace(t.Attempt.Reply))
		if p := EndOf(t.Attempt).Problem; p != "" {
			fmt.Fprintf(&b, "\n> %s\n", Sentence(p))
		} else if t.Attempt.State == record.Stopped {
			b.WriteString("\n> This reply was stopped.\n")
		}
	}
	return b.String()
}
