package desk

import (
	"context"
	"encoding/json"
	"errors"
	"slices"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/yamlfile"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
)

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
func (s *Service) Import(ctx context.Context, packed []byte, as, by string) (slug string, problems yamlfile.Problems,
	err error) {
	var p Packed
	if err := json.Unmarshal(packed, &p); err != nil || p.Format != PackedFormat {
		return "", nil, fault.Say(fault.Invalid, "This is not a packed desk. Take the file that “Export” or "+
			"“juvalogos desk export” wrote.")
	}
	if as == "" {
		as = p.Slug
	}
	if !deskfile.ValidSlug(as) {
		return "", nil, fault.Say(fault.Invalid, "%q cannot be a desk's address: use small letters, digits and "+
			"single hyphens, like hive-helper.", as)
	}
	if err := s.free(ctx, as); err != nil {
		return as, nil, err
	}
	var revisions []record.Revision
	published := 0
	for i, r := range p.Revisions {
		file := []byte(r.File)
		if r.Number != i+1 || len(file) > yamlfile.LargestFile {
			return as, nil, fault.Say(fault.Invalid, "This packed desk is damaged: its revisions are not in order.")
		}
		if as != p.Slug {
			if file, err = yamlfile.Set(file, "slug", as); err != nil {
				return as, nil, fault.Say(fault.Invalid, "This packed desk is damaged: revision %d cannot be read.",
					r.Number)
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
			Number: r.Number, File: string(record.Clean(file)), Note: record.OneLine(r.Note, longestNote),
			MadeBy: record.OneLine(r.MadeBy, longestNote), MadeAt: r.MadeAt,
		})
	}
	if len(revisions) == 0 && p.Draft == "" {
		return as, nil, fault.Say(fault.Invalid, "This packed desk is empty.")
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
