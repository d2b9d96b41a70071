package main

import (
	"bytes"
	"context"
	"embed"
	"io/fs"
	"slices"
	"strings"

	"juvalogos/demo/ledger"
	"juvalogos/internal/api"
	"juvalogos/internal/client"
)

//go:embed shelves
var shelves embed.FS

// titles of the sample shelves.
var titles = map[string]string{"handbook": "The members' handbook", "talks": "Recorded talks",
	"archive": "The archive", "ledger": "The ledger"}

// keepLedger makes the shelf of the association's tables, if it is not there.
func keepLedger(ctx context.Context, c *client.Client) error {
	const slug = "ledger"
	there, err := c.Shelves(ctx)
	if err != nil || slices.ContainsFunc(there, func(s api.Shelf) bool { return s.Shelf == slug }) {
		return err
	}
	if _, err := c.MakeShelf(ctx, slug, titles[slug]); err != nil {
		return err
	}
	members, err := ledger.Members()
	if err != nil {
		return err
	}
	for name, body := range map[string][]byte{"Hive weights.csv": ledger.Weights(), "Members and courses.xlsx": members,
		"Honey harvest.csv": ledger.Harvest()} {
		if _, err := c.AddDocument(ctx, slug, name, bytes.NewReader(body)); err != nil {
			return err
		}
	}
	return nil
}

// refer makes the shelf of what the simulated reference site has, if it is not
// there: each article by its topic, the papers by a search, the talk by its page.
func refer(ctx context.Context, c *client.Client, site string) error {
	const slug = "reference"
	there, err := c.Shelves(ctx)
	if err != nil || slices.ContainsFunc(there, func(s api.Shelf) bool { return s.Shelf == slug }) {
		return err
	}
	if _, err := c.MakeShelf(ctx, slug, "The reference site"); err != nil {
		return err
	}
	for _, topic := range []string{"Ling honey", "Larch Hill", "Sun hive", "Wax moth"} {
		if _, err := c.AddTopic(ctx, slug, site, topic); err != nil {
			return err
		}
	}
	if _, err := c.AddPapers(ctx, slug, site, "winter varroa heather", 3); err != nil {
		return err
	}
	_, err = c.AddAddress(ctx, slug, site+"talk")
	return err
}

// fill makes the sample shelves that are not there and puts their documents on
// them; they are read in the background.
func fill(ctx context.Context, c *client.Client) error {
	there, err := c.Shelves(ctx)
	if err != nil {
		return err
	}
	folders, err := shelves.ReadDir("shelves")
	if err != nil {
		return err
	}
	for _, f := range folders {
		slug := f.Name()
		if slices.ContainsFunc(there, func(s api.Shelf) bool { return s.Shelf == slug }) {
			continue
		}
		if _, err := c.MakeShelf(ctx, slug, titles[slug]); err != nil {
			return err
		}
		err := fs.WalkDir(shelves, "shelves/"+slug, func(path string, e fs.DirEntry, err error) error {
			if err != nil || e.IsDir() {
				return err
			}
			file, err := shelves.Open(path)
			if err != nil {
				return err
			}
			defer file.Close()
			_, err = c.AddDocument(ctx, slug, strings.TrimPrefix(path, "shelves/"+slug+"/"), file)
			return err
		})
		if err != nil {
			return err
		}
	}
	return nil
}
