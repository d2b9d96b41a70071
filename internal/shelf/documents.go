package shelf

import (
	"context"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"

	"juvalogos/core/phrase"
	"juvalogos/core/reading"
	"juvalogos/internal/record"
)

// Added says what became of a file that was added.
type Added struct {
	Document int64  `json:"document"`
	Name     string `json:"name"`
	Fresh    bool   `json:"fresh"` // false: the shelf has the same content already
	Replaced bool   `json:"replaced"`
	Problem  phrase.Phrase
}

// Add puts a file on a shelf and has it read. A ZIP is unpacked, and its files
// are added each on its own.
func (l *Library) Add(ctx context.Context, slug, name, source, by string, body io.Reader) ([]Added, error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return nil, err
	}
	if name = cleanName(name); name == "" {
		return nil, wrong("a file needs a name")
	}
	if strings.HasSuffix(strings.ToLower(name), ".zip") {
		return l.addZip(ctx, f, name, source, by, body)
	}
	one, err := l.add(ctx, f, record.Document{Name: name, Source: source, AddedBy: by}, body, nil)
	if err != nil {
		return nil, err
	}
	return []Added{one}, nil
}

// add puts a file on a shelf, of which its name, where it comes from and who adds it are
// said; before it is read, before is called with its id if it is new.
func (l *Library) add(ctx context.Context, f record.Shelf, d record.Document, body io.Reader,
	before func(id int64) error) (Added, error) {
	name := d.Name
	most := l.most(name)
	hash, size, err := l.Store.Shelves.KeepContent(ctx, body, most)
	if errors.Is(err, record.ErrTooLarge) {
		return Added{Name: name, Problem: phrase.Of("it has more than %d MB", most>>20)}, nil
	}
	if err != nil {
		return Added{}, fmt.Errorf("keep %s: %w", name, err)
	}
	if size == 0 {
		return Added{Name: name, Problem: phrase.Of("it is empty")}, nil
	}
	d.Shelf, d.Hash, d.Size, d.AddedAt = f.ID, hash, size, l.Now()
	id, replaced, fresh, err := l.Store.Shelves.AddDocument(ctx, d)
	if err != nil {
		return Added{}, fmt.Errorf("add %s: %w", name, err)
	}
	if replaced != 0 {
		l.indexes.apply(ctx, f.ID, replaced)
	}
	if !fresh { // what failed before, or was given up, is tried again
		if d, err := l.Store.Shelves.Document(ctx, id); err == nil && d.State == record.Unread {
			if err := l.Store.Shelves.ReadAgain(ctx, id); err != nil {
				return Added{}, err
			}
			fresh = true
		}
	}
	if fresh && before != nil {
		if err := before(id); err != nil {
			return Added{}, err
		}
	}
	if fresh {
		if err := l.queue(ctx, id); err != nil {
			return Added{}, err
		}
	}
	return Added{Document: id, Name: name, Fresh: fresh, Replaced: replaced != 0}, nil
}

func (l *Library) addZip(ctx context.Context, f record.Shelf, name, source, by string, body io.Reader) (all []Added,
	err error) {
	packed, err := io.ReadAll(io.LimitReader(body, int64(l.Limits.Bytes)+1))
	if err != nil {
		return nil, err
	}
	if len(packed) > l.Limits.Bytes {
		return []Added{{Name: name, Problem: phrase.Of("it has more than %d MB", l.Limits.Bytes>>20)}}, nil
	}
	err = l.Reader.Unpack(ctx, name, packed, l.Limits, func(e reading.Entry) error {
		one, err := l.add(ctx, f, record.Document{Name: cleanName(e.Name), Source: source, AddedBy: by},
			strings.NewReader(string(e.Body)), nil)
		all = append(all, one)
		return err
	}, func(p *reading.Problem) { all = append(all, Added{Name: p.File, Problem: p.What}) })
	var p *reading.Problem
	if errors.As(err, &p) {
		return append(all, Added{Name: name, Problem: p.What}), nil
	}
	return all, err
}

// cleanName is a file's name as it is kept: folders stay, ways out of them and
// signs that cannot be seen do not.
func cleanName(name string) string {
	name = strings.ToValidUTF8(strings.ReplaceAll(name, `\`, "/"), "")
	name = strings.Map(func(r rune) rune {
		if r < 0x20 || r == 0x7f {
			return -1
		}
		return r
	}, name)
	name = strings.TrimPrefix(path.Clean("/"+name), "/")
	if len(name) > 300 {
		name = strings.ToValidUTF8(name[len(name)-300:], "")
	}
	return name
}

// Documents lists a shelf's documents.
func (l *Library) Documents(ctx context.Context, slug string) ([]record.Document, error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return nil, err
	}
	return l.Store.Shelves.Documents(ctx, f.ID)
}

// One returns a document that is on a shelf, with its shelf.
func (l *Library) One(ctx context.Context, slug string, id int64) (record.Shelf, record.Document, error) {
	return l.document(ctx, slug, id)
}

// document returns a document that is on a shelf.
func (l *Library) document(ctx context.Context, slug string, id int64) (record.Shelf, record.Document, error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return f, record.Document{}, err
	}
	d, err := l.Store.Shelves.Document(ctx, id)
	if errors.Is(err, record.ErrNotFound) || err == nil && d.Shelf != f.ID {
		return f, d, missing("there is no document %d on the shelf %q", id, slug)
	}
	return f, d, err
}

// RemoveDocument takes a document off a shelf; no answer rests on it from now
// on.
func (l *Library) RemoveDocument(ctx context.Context, slug string, id int64) error {
	f, d, err := l.document(ctx, slug, id)
	if err != nil {
		return err
	}
	if err := l.Store.Shelves.RemoveDocument(ctx, f.ID, d.ID, l.Now()); err != nil {
		return err
	}
	l.indexes.apply(ctx, f.ID, id)
	return nil
}

// RestoreDocument puts it back.
func (l *Library) RestoreDocument(ctx context.Context, slug string, id int64) error {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return err
	}
	err = l.Store.Shelves.RestoreDocument(ctx, f.ID, id)
	if errors.Is(err, record.ErrNotFound) {
		return missing("there is no document %d to bring back", id)
	}
	if errors.Is(err, record.ErrDuplicate) {
		return wrong("another document of that name is on the shelf now; remove it first")
	}
	if err != nil {
		return err
	}
	l.indexes.apply(ctx, f.ID, id)
	return nil
}

// ReadAgain has a document read anew.
func (l *Library) ReadAgain(ctx context.Context, slug string, id int64) error {
	if _, _, err := l.document(ctx, slug, id); err != nil {
		return err
	}
	if err := l.Store.Shelves.ReadAgain(ctx, id); err != nil {
		return err
	}
	return l.queue(ctx, id)
}

// ReadShelfAgain has all documents of a shelf read anew, those too that could not
// be read, and returns how many.
func (l *Library) ReadShelfAgain(ctx context.Context, slug string) (int, error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return 0, err
	}
	n, err := l.Store.Shelves.ReadAllAgain(ctx, f.ID)
	if err != nil {
		return 0, err
	}
	return n, l.queueUnread(ctx)
}

// Cancel gives up what waits to be read or is being read, and returns how many
// documents.
func (l *Library) Cancel(ctx context.Context, slug string) (int, error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return 0, err
	}
	return l.Store.Shelves.CancelReading(ctx, f.ID, phrase.Of("reading it was cancelled; read it again when you want "+
		"it"))
}

// Original reads a document's file as it was added.
func (l *Library) Original(ctx context.Context, slug string, id int64) (record.Document, io.Reader, error) {
	_, d, err := l.document(ctx, slug, id)
	if err != nil {
		return d, nil, err
	}
	return d, l.Store.Shelves.Content(ctx, d.Hash), nil
}

// Passages lists a document's passages as a model would see them.
func (l *Library) Passages(ctx context.Context, slug string, id int64) (record.Document, []record.StoredPassage,
	error) {
	_, d, err := l.document(ctx, slug, id)
	if err != nil {
		return d, nil, err
	}
	all, err := l.Store.Shelves.PassagesOf(ctx, id)
	return d, all, err
}

// Blocks returns what was read of a document.
func (l *Library) Blocks(ctx context.Context, slug string, id int64) (record.Document, []reading.Block, error) {
	_, d, err := l.document(ctx, slug, id)
	if err != nil {
		return d, nil, err
	}
	packed, err := l.Store.Shelves.Blocks(ctx, id)
	if err != nil || packed == nil {
		return d, nil, err
	}
	blocks, err := unpack(packed)
	return d, blocks, err
}
