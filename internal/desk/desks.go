package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/yamlfile"
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
		return &Problem{Code: NoDesk, Sentence: fmt.Sprintf("There is no desk %q.", slug)}
	}
	return err
}

// Revision returns one revision of a desk.
func (s *Service) Revision(ctx context.Context, slug string, number int) (record.Revision, error) {
	r, err := s.Store.Desks.Revision(ctx, slug, number)
	if errors.Is(err, record.ErrNotFound) {
		return r, &Problem{Code: NoDesk, Sentence: fmt.Sprintf("The desk %q has no revision %d.", slug, number)}
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
			return &Problem{Code: NoDesk, Sentence: fmt.Sprintf("There is no published desk %q.", slug)}
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
	return record.Draft{DeskID: d.DeskID, Slug: slug, File: d.File, Good: d.File, ChangedBy: d.ChangedBy, ChangedAt: d.ChangedAt}, nil
}

// SaveDraft keeps a desk file that is being worked on and returns what is
// wrong with it, if anything. The desk at slug need not exist.
func (s *Service) SaveDraft(ctx context.Context, slug string, text []byte, by string) (yamlfile.Problems, error) {
	problems, err := s.Problems(slug, text)
	if err != nil {
		return nil, err
	}
	if !deskfile.ValidSlug(slug) {
		return nil, &Problem{Code: Invalid, Sentence: fmt.Sprintf("%q cannot be a desk's address: use small letters, digits and single hyphens, like hive-helper.", slug)}
	}
	if len(text) > yamlfile.LargestFile {
		return problems, nil // not kept; the problem says why
	}
	if err := s.Store.Desks.SaveDraft(ctx, slug, string(clean(text)), problems == nil, by, s.Now()); err != nil {
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
		return &Problem{Code: NoDesk, Sentence: fmt.Sprintf("The desk %q has no draft.", slug)}
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
		return &Problem{Code: Taken, Sentence: fmt.Sprintf("There is a desk %q already. Choose another address.", slug)}
	case !errors.Is(err, record.ErrNotFound):
		return err
	}
	return nil
}

// Packed is a desk with all its revisions as one file, in JSON.
type Packed struct {
	Format    string           `json:"format"` // PackedFormat
	Slug      string           `json:"slug"`
	Published int              `json:"published"` // 0: none
	Revisions []PackedRevision `json:"revisions"` // the oldest first
	Draft     string           `json:"draft,omitempty"`
}

// PackedRevision is a revision in it.
type PackedRevision struct {
	Number int       `json:"number"`
	Note   string    `json:"note,omitempty"`
	MadeBy string    `json:"made_by"`
	MadeAt time.Time `json:"made_at"`
	File   string    `json:"file"`
}

// PackedFormat names the format of Packed.
const PackedFormat = "juvalogos-desk/1"

// Export packs a desk.
func (s *Service) Export(ctx context.Context, slug string) (Packed, error) {
	d, err := s.Desk(ctx, slug)
	if err != nil {
		return Packed{}, err
	}
	p := Packed{Format: PackedFormat, Slug: slug, Published: d.Published, Revisions: []PackedRevision{}}
	if draft, err := s.Store.Desks.Draft(ctx, slug); err == nil {
		p.Draft = draft.File
	} else if !errors.Is(err, record.ErrNotFound) {
		return p, err
	}
	list, err := s.Store.Desks.Revisions(ctx, slug)
	for _, r := range slices.Backward(list) {
		p.Revisions = append(p.Revisions, PackedRevision{r.Number, r.Note, r.MadeBy, r.MadeAt, r.File})
	}
	return p, err
}

// Import unpacks a desk, at another slug if as is not empty. Revisions keep
// their numbers. A desk whose published file does not fit the models here is
// left unpublished: problems say why.
func (s *Service) Import(ctx context.Context, packed []byte, as, by string) (slug string, problems yamlfile.Problems, err error) {
	var p Packed
	if err := json.Unmarshal(packed, &p); err != nil || p.Format != PackedFormat {
		return "", nil, &Problem{Code: Invalid, Sentence: "This is not a packed desk. Take the file that “Export” or “juvalogos desk export” wrote."}
	}
	if as == "" {
		as = p.Slug
	}
	if !deskfile.ValidSlug(as) {
		return "", nil, &Problem{Code: Invalid, Sentence: fmt.Sprintf("%q cannot be a desk's address: use small letters, digits and single hyphens, like hive-helper.", as)}
	}
	if err := s.free(ctx, as); err != nil {
		return as, nil, err
	}
	var revisions []record.Revision
	published := 0
	for i, r := range p.Revisions {
		file := []byte(r.File)
		if r.Number != i+1 || len(file) > yamlfile.LargestFile {
			return as, nil, &Problem{Code: Invalid, Sentence: "This packed desk is damaged: its revisions are not in order."}
		}
		if as != p.Slug {
			if file, err = yamlfile.Set(file, "slug", as); err != nil {
				return as, nil, &Problem{Code: Invalid, Sentence: fmt.Sprintf("This packed desk is damaged: revision %d cannot be read.", r.Number)}
			}
		}
		if r.Number == p.Published {
			if problems, err = s.Problems(as, file); err != nil {
				return as, nil, err
			}
			if problems == nil {
				published = r.Number
			}
		}
		revisions = append(revisions, record.Revision{
			Number: r.Number, File: string(clean(file)), Note: tidy(r.Note, longestNote), MadeBy: tidy(r.MadeBy, longestNote), MadeAt: r.MadeAt,
		})
	}
	if len(revisions) == 0 && p.Draft == "" {
		return as, nil, &Problem{Code: Invalid, Sentence: "This packed desk is empty."}
	}
	if err := s.Store.Desks.Import(ctx, as, revisions, published); err != nil {
		return as, nil, err
	}
	if p.Draft != "" {
		draft := []byte(p.Draft)
		if as != p.Slug {
			if changed, err := yamlfile.Set(draft, "slug", as); err == nil {
				draft = changed
			}
		}
		if _, err := s.SaveDraft(ctx, as, draft, by); err != nil {
			return as, problems, err
		}
	}
	s.forget(as)
	s.Log.Info("desk imported", "desk", as, "revisions", len(revisions), "by", by)
	return as, problems, nil
}
