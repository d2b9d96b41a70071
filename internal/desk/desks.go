package desk

import (
	"context"
	"errors"
	"fmt"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/yamlfile"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
)

// What makers do with desks that are there.

// longestNote is in characters, of what a revision says is new.
const longestNote = 300

// Desks lists all desks with today's figures.
func (s *Service) Desks(ctx context.Context) ([]record.DeskSummary, error) {
	return s.Store.Desks.Desks(ctx, s.today())
}

// Desk returns one desk with today's figures.
func (s *Service) Desk(ctx context.Context, slug string) (record.DeskSummary, error) {
	d, err := s.Store.Desks.Desk(ctx, slug, s.today())
	return d, noDesk(slug, err)
}

// today is when it began.
func (s *Service) today() time.Time {
	now := s.Now()
	return time.Date(now.Year(), now.Month(), now.Day(), 0, 0, 0, 0, now.Location())
}

func noDesk(slug string, err error) error {
	if errors.Is(err, record.ErrNotFound) {
		return fault.Say(fault.NoDesk, "There is no desk %q.", slug)
	}
	return err
}

// Revision returns one revision of a desk.
func (s *Service) Revision(ctx context.Context, slug string, number int) (record.Revision, error) {
	r, err := s.Store.Desks.Revision(ctx, slug, number)
	if errors.Is(err, record.ErrNotFound) {
		return r, fault.Say(fault.NoDesk, "The desk %q has no revision %d.", slug, number)
	}
	return r, err
}

// Return makes an earlier revision the published one, if it still has no
// mistakes: its model may be gone.
func (s *Service) Return(ctx context.Context, slug string, number int, by string) (record.Revision, error) {
	r, err := s.Revision(ctx, slug, number)
	if err != nil {
		return r, err
	}
	if _, err := s.Check(fmt.Sprintf("revision %d", number), []byte(r.File)); err != nil {
		return r, err
	}
	if err := s.Store.Desks.Return(ctx, slug, number); err != nil {
		return r, noDesk(slug, err)
	}
	s.forget(slug)
	s.Log.Info("desk returned to an earlier revision", "desk", slug, "revision", number, "by", by)
	return r, nil
}

// Withdraw closes a desk to visitors; its revisions and conversations stay.
func (s *Service) Withdraw(ctx context.Context, slug, by string) error {
	if err := s.Store.Desks.Withdraw(ctx, slug); err != nil {
		if errors.Is(err, record.ErrNotFound) {
			return fault.Say(fault.NoDesk, "There is no published desk %q.", slug)
		}
		return err
	}
	s.forget(slug)
	s.Log.Info("desk withdrawn", "desk", slug, "by", by)
	return nil
}

// Draft returns a desk's draft; one without a draft has its published or
// newest file for one.
func (s *Service) Draft(ctx context.Context, slug string) (record.Draft, error) {
	draft, err := s.Store.Desks.Draft(ctx, slug)
	if !errors.Is(err, record.ErrNotFound) {
		return draft, err
	}
	d, err := s.Store.Desks.Desk(ctx, slug, s.today())
	if err != nil {
		return draft, noDesk(slug, err)
	}
	return record.Draft{DeskID: d.DeskID, Slug: slug, File: d.File, Good: d.File, ChangedBy: d.ChangedBy,
		ChangedAt: d.ChangedAt}, nil
}

// SaveDraft keeps a desk file that is being worked on and returns what is
// wrong with it, if anything. The desk at slug need not exist.
func (s *Service) SaveDraft(ctx context.Context, slug string, text []byte, by string) (yamlfile.Problems, error) {
	problems, err := s.Problems(slug, text)
	if err != nil {
		return nil, err
	}
	if !deskfile.ValidSlug(slug) {
		return nil, fault.Say(fault.Invalid, "%q cannot be a desk's address: use small letters, digits and single "+
			"hyphens, like hive-helper.", slug)
	}
	if len(text) > yamlfile.LargestFile {
		return problems, nil // not kept; the problem says why
	}
	if err := s.Store.Desks.SaveDraft(ctx, slug, string(record.Clean(text)), problems == nil, by, s.Now()); err != nil {
		return nil, err
	}
	s.forget(slug)
	return problems, nil
}

// Problems are those of a desk file that is to be the one at slug.
func (s *Service) Problems(slug string, text []byte) (yamlfile.Problems, error) {
	f, err := s.Check("desk file", text)
	var problems yamlfile.Problems
	if err != nil && !errors.As(err, &problems) {
		return nil, err
	}
	if f.Slug != "" && f.Slug != slug {
		at := yamlfile.Locate(text, "slug")
		problems = append(problems, yamlfile.Problem{
			File: "desk file", Line: at.Line, Column: at.Column,
			Message: fmt.Sprintf("slug: this desk is at %q; to have it at another address, duplicate it", slug),
		})
	}
	return problems, nil
}

// DropDraft forgets a draft, and a desk that was never more than one.
func (s *Service) DropDraft(ctx context.Context, slug string) error {
	err := s.Store.Desks.DropDraft(ctx, slug)
	s.forget(slug)
	if errors.Is(err, record.ErrNotFound) {
		return fault.Say(fault.NoDesk, "The desk %q has no draft.", slug)
	}
	return err
}

// Duplicate makes a draft at another slug of a desk's file as it is edited now.
func (s *Service) Duplicate(ctx context.Context, slug, as, by string) error {
	draft, err := s.Draft(ctx, slug)
	if err != nil {
		return err
	}
	if err := s.free(ctx, as); err != nil {
		return err
	}
	text, err := yamlfile.Set([]byte(draft.File), "slug", as)
	if err != nil {
		return err
	}
	_, err = s.SaveDraft(ctx, as, text, by)
	return err
}

// free makes sure that there is no desk at a slug.
func (s *Service) free(ctx context.Context, slug string) error {
	switch _, err := s.Store.Desks.Desk(ctx, slug, s.today()); {
	case err == nil:
		return fault.Say(fault.Exists, "There is a desk %q already. Choose another address.", slug)
	case !errors.Is(err, record.ErrNotFound):
		return err
	}
	return nil
}

// Revisions returns all revisions of a desk, the newest first.
func (s *Service) Revisions(ctx context.Context, slug string) ([]record.Revision, error) {
	return s.Store.Desks.Revisions(ctx, slug)
}

// ShelfChanges tells what changed on a revision's shelves since it was
// published.
func (s *Service) ShelfChanges(ctx context.Context, r record.Revision) ([]record.ShelfChange, error) {
	return s.Store.Desks.ShelfChanges(ctx, r.DeskID, r.Number)
}

// Milestones finds out how far a maker is on the way from a model to a page.
func (s *Service) Milestones(ctx context.Context) (record.Milestones, error) {
	return s.Store.Desks.Milestones(ctx)
}
