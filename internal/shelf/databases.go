package shelf

import (
	"context"
	"fmt"
	"path"
	"strings"
	"time"

	"juvalogos/core/phrase"
	"juvalogos/core/tables"
	"juvalogos/internal/database"
	"juvalogos/internal/record"
)

// Tables of databases that the owner names are copied onto shelves, and copied anew when it
// is time to look whether they have changed. What is the same as before is not read again.

// fromDatabase begins the source of such a document: database:NAME/TABLE.
const fromDatabase = "database:"

// lookEvery is how often it is seen which are to be looked at.
const lookEvery = 20 * time.Second

// addDatabase puts a table of a database on a shelf, or all that it may have.
func (l *Library) addDatabase(ctx context.Context, slug, address, by string) (all []Added, err error) {
	f, err := l.Shelf(ctx, slug)
	if err != nil {
		return nil, err
	}
	d, table, err := l.database(address)
	if err != nil {
		return nil, wrong("%s", err)
	}
	names := d.Tables
	if table != "" {
		names = []string{table}
	}
	for _, name := range names {
		one, err := l.copyTable(ctx, f, d, name, by)
		if err != nil {
			one = Added{Name: nameOfCopy(d, name), Problem: phrase.Of("%s", err)}
		}
		all = append(all, one)
	}
	return all, nil
}

// database is what an address names: a database, and a table of it or "".
func (l *Library) database(address string) (d database.Database, table string, err error) {
	if l.Tables == nil {
		return d, "", fmt.Errorf("this service asks nothing of tables")
	}
	f, err := database.ReadFile(l.Databases)
	if err != nil {
		return d, "", err
	}
	name, table, _ := strings.Cut(strings.TrimPrefix(address, fromDatabase), "/")
	d, err = f.Named(name)
	return d, table, err
}

func nameOfCopy(d database.Database, table string) string {
	return cleanName(path.Join(d.Name, table) + ".csv")
}

// copyTable copies a table onto a shelf; the error is a sentence for whoever asked, or the
// store's.
func (l *Library) copyTable(ctx context.Context, f record.Shelf, d database.Database, table, by string) (Added, error) {
	began := l.Now()
	c, err := d.Copy(ctx, table)
	if err != nil {
		return Added{}, err
	}
	defer c.Close()
	name := nameOfCopy(d, table)
	kinds := givenBy(name, c.Columns)
	added, err := l.add(ctx, f, record.Document{Name: name, Source: fromDatabase + d.Name + "/" + table, AddedBy: by},
		c,
		func(id int64) error { return l.Tables.Give(ctx, id, kinds) })
	if err == nil && added.Problem.IsZero() {
		err = l.Store.Shelves.Looked(ctx, added.Document, began, l.Now().Add(d.Every))
	}
	return added, err
}

// givenBy are the kinds that columns have in their database, under the names that they will
// have in the engine.
func givenBy(name string, columns []database.Column) []record.GivenKind {
	heads := make([]string, len(columns))
	for i, c := range columns {
		heads[i] = c.Name
	}
	table := tables.Identifier(strings.TrimSuffix(name, path.Ext(name)))
	given := make([]record.GivenKind, len(columns))
	for i, own := range tables.Names(heads) {
		given[i] = record.GivenKind{Table: table, Column: own, Kind: columns[i].Kind, Format: columns[i].Format}
	}
	return given
}

// keepCurrent looks again at tables of databases when it is time, until ctx ends.
func (l *Library) keepCurrent(ctx context.Context) {
	for {
		select {
		case <-ctx.Done():
			return
		case <-time.After(lookEvery):
		}
		if err := l.LookAgain(ctx); err != nil && ctx.Err() == nil {
			l.Log.Warn("it could not be looked whether tables of databases have changed", "error", err)
		}
	}
}

// LookAgain copies those tables of databases anew that it is time to look at. What cannot be
// reached stays as it was, and says so.
func (l *Library) LookAgain(ctx context.Context) error {
	copies, err := l.Store.Shelves.Copies(ctx, fromDatabase)
	if err != nil || len(copies) == 0 || l.Tables == nil {
		return err
	}
	for _, document := range copies {
		if ctx.Err() != nil {
			return nil
		}
		d, table, err := l.database(document.Source)
		every := d.Every
		if err != nil {
			every = time.Minute // the owner may be mending the file
		}
		mine, claimed := l.Store.Shelves.ClaimLook(ctx, document.ID, l.Now(), l.Now().Add(every))
		if claimed != nil {
			return claimed
		}
		if !mine {
			continue
		}
		if err == nil {
			err = l.copyAgain(ctx, document, d, table)
		}
		if err != nil {
			l.Log.Warn("a table of a database stays on its shelf as it was", "document", document.Source, "error", err)
			if err := l.Store.Shelves.NotLooked(ctx, document.ID, phrase.Of("%s", err)); err != nil {
				return err
			}
		}
	}
	return nil
}

func (l *Library) copyAgain(ctx context.Context, document record.Document, d database.Database, table string) error {
	added, err := l.copyTable(ctx, record.Shelf{ID: document.Shelf}, d, table, document.AddedBy)
	if err == nil && !added.Problem.IsZero() {
		err = fmt.Errorf("%s", added.Problem)
	}
	return err
}
