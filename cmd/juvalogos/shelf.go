package main

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
)

var shelfCommands = []command{
	{"create", "make a shelf", shelfCreate},
	{"add", "put files on a shelf", shelfAdd},
	{"list", "list the shelves", shelfList},
	{"show", "show a shelf's documents", shelfShow},
	{"search", "see what a question would find", shelfSearch},
	{"set", "see or change how a shelf is split and searched", shelfSet},
	{"embed", "have the shelf's model embed its passages", shelfEmbed},
	{"remove", "take documents off a shelf, or a shelf away", shelfRemove},
}

func shelfCreate(args []string) error {
	f := newFlags("shelf create [flags] SHELF", "Makes a shelf: a set of documents that desks may answer from.",
		"juvalogos shelf create -title \"The members' handbook\" handbook")
	title := f.String("title", "", "what people read; made of the name if left out")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, 1, "name one shelf", func(c *client.Client, names []string) error {
		made, err := c.MakeShelf(context.Background(), names[0], *title)
		if err != nil || *asJSON {
			return printed(*asJSON, made, err)
		}
		fmt.Printf("%s is made. Fill it: juvalogos shelf add %s FILE...\n", made.Shelf, made.Shelf)
		return nil
	})
}

// printed prints a value as JSON unless something failed.
func printed(asJSON bool, v any, err error) error {
	if err != nil || !asJSON {
		return err
	}
	return printJSON(v)
}

func shelfAdd(args []string) error {
	f := newFlags("shelf add [flags] SHELF FILE|FOLDER|ADDRESS...",
		"Puts files on a shelf, all files of folders, and what addresses lead to: a page or a file, the pages\n"+
			"of a sitemap, the captions of a recorded talk. With -topic it is an encyclopedia's article on it,\n"+
			"with -search the papers that a repository finds; the address is then that of one of its pages. Files\n"+
			"are read in the background; one that cannot be read does not stop the others. The same content is not "+
			"added twice.",
		"juvalogos shelf add -wait handbook handbook/ leaflet.pdf")
	wait := f.Bool("wait", false, "wait until they are read, and say what is wrong with which")
	topic := f.String("topic", "", "fetch the article on this topic from the encyclopedia at the address (MediaWiki "+
		"action API)")
	search := f.String("search", "", "search for papers in the repository at the address (OpenSearch with Atom)")
	most := f.Int("most", 5, "how many papers at most, 1 to 50")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 2, manyNames, "name a shelf, and files, folders or addresses",
		func(c *client.Client, names []string) error {
			if *topic != "" && *search != "" {
				return usageError("give -topic or -search, not both")
			}
			ctx, cancel := interruptible()
			defer cancel()
			added := []api.Added{}
			for _, given := range names[1:] {
				add := addFrom
				if strings.HasPrefix(given, "http://") || strings.HasPrefix(given, "https://") {
					add = func(ctx context.Context, c *client.Client, slug, address string) ([]api.Added, error) {
						switch {
						case *topic != "":
							return c.AddTopic(ctx, slug, address, *topic)
						case *search != "":
							return c.AddPapers(ctx, slug, address, *search, *most)
						}
						return c.AddAddress(ctx, slug, address)
					}
				} else if *topic != "" || *search != "" {
					return usageError("-topic and -search go with the address of a page, like https://example.org/")
				}
				some, err := add(ctx, c, names[0], given)
				added = append(added, some...)
				if err != nil {
					return err
				}
			}
			if *wait {
				if err := waitUntilRead(ctx, c, names[0], added); err != nil {
					return err
				}
			}
			if *asJSON {
				return printJSON(added)
			}
			failed := 0
			for _, a := range added {
				switch {
				case a.Problem != "":
					failed++
					show("%s: %s\n", a.Name, a.Problem)
				case !a.Fresh:
					show("%s: is there already\n", a.Name)
				case a.Replaced:
					show("%s: replaced\n", a.Name)
				default:
					show("%s: added\n", a.Name)
				}
			}
			if failed > 0 {
				return fmt.Errorf("%d of %d files could not be read", failed, len(added))
			}
			return nil
		})
}

// addFrom adds a file, or all files of a folder, those that are hidden left
// out.
func addFrom(ctx context.Context, c *client.Client, slug, given string) (added []api.Added, err error) {
	err = filepath.WalkDir(given, func(path string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if hidden := strings.HasPrefix(e.Name(), ".") && path != given; hidden || e.IsDir() {
			if hidden && e.IsDir() {
				return fs.SkipDir
			}
			return nil
		}
		name := filepath.Base(path)
		if within, err := filepath.Rel(given, path); err == nil && within != "." {
			name = filepath.ToSlash(within)
		}
		file, err := os.Open(path)
		if err != nil {
			return err
		}
		defer file.Close()
		some, err := c.AddDocument(ctx, slug, name, file)
		added = append(added, some...)
		return err
	})
	return added, err
}

func waitUntilRead(ctx context.Context, c *client.Client, slug string, added []api.Added) error {
	for {
		documents, err := c.ShelfDocuments(ctx, slug)
		if err != nil {
			return err
		}
		state := map[int64]api.Document{}
		for _, d := range documents {
			state[d.ID] = d
		}
		waiting := 0
		for i, a := range added {
			d := state[a.Document]
			if d.State == "waiting" || d.State == "reading" {
				waiting++
			}
			if d.State == "failed" {
				added[i].Problem = d.Problem
			}
		}
		if waiting == 0 {
			return nil
		}
		select {
		case <-ctx.Done():
			return context.Cause(ctx)
		case <-time.After(200 * time.Millisecond):
		}
	}
}

func shelfList(args []string) error {
	f := newFlags("shelf list [flags]", "Lists the shelves.", "juvalogos shelf list")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 0, 0, "", func(c *client.Client, _ []string) error {
		all, err := c.Shelves(context.Background())
		if err != nil {
			return err
		}
		return list(*asJSON, all, "There are none yet. Make one: juvalogos shelf create handbook",
			"SHELF, TITLE, DOCUMENTS, TO READ, FAILED, PASSAGES, WORDS", func(s api.Shelf) []any {
				return []any{s.Shelf, s.Title, s.Documents, s.Waiting, s.Failed, s.Passages, s.Words}
			})
	})
}

func shelfShow(args []string) error {
	f := newFlags("shelf show [flags] SHELF", "Shows a shelf's documents, and what is wrong with those that could "+
		"not be read.", "juvalogos shelf show handbook")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, 1, "name one shelf", func(c *client.Client, names []string) error {
		all, err := c.ShelfDocuments(context.Background(), names[0])
		if err != nil {
			return err
		}
		return list(*asJSON, all, "Nothing is on it yet. Fill it: juvalogos shelf add "+names[0]+" FILE...",
			"ID, NAME, STATE, TITLE, WORDS, PASSAGES, LANGUAGE", func(d api.Document) []any {
				state := string(d.State)
				if d.Problem != "" {
					state += ": " + d.Problem
				}
				return []any{d.ID, d.Name, state, d.Title, d.Words, d.Passages, d.Language}
			})
	})
}

func shelfSearch(args []string) error {
	f := newFlags("shelf search [flags] SHELF QUESTION", "Shows which passages of a shelf a question would find, and "+
		"why.", "juvalogos shelf search handbook \"How much sugar for the winter?\"")
	limit := f.Int("limit", 5, "the most passages")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 2, manyNames, "name a shelf, and ask something",
		func(c *client.Client, names []string) error {
			found, err := c.SearchShelf(context.Background(), names[0], strings.Join(names[1:], " "), *limit)
			if err != nil || *asJSON {
				return printed(*asJSON, found, err)
			}
			if len(found.Hits) == 0 {
				fmt.Println("Nothing was found.")
				return nil
			}
			for i, h := range found.Hits {
				where := h.Title
				if len(h.Path) > 0 && h.Path[len(h.Path)-1] != h.Title {
					where += " > " + h.Path[len(h.Path)-1]
				}
				if h.Place != "" {
					where += ", " + h.Place
				}
				rank := func(n int) string {
					if n == 0 {
						return "-"
					}
					return strconv.Itoa(n)
				}
				show("%d. %s (document %d, passage %d)\n   score %.2f; by words %s, by meaning %s; has: %s\n"+
					"   %s\n"+
					"\n", i+1, where, h.Document, h.Passage,
					h.Score, rank(h.LexicalRank), rank(h.VectorRank), strings.Join(h.Matched, ", "),
					shortened(h.Text, 300))
			}
			fmt.Printf("Likely to answer: %.0f %%\n", 100*found.Answers)
			return nil
		})
}

func shortened(text string, most int) string {
	runes := []rune(strings.Join(strings.Fields(text), " "))
	if len(runes) > most {
		return string(runes[:most]) + " …"
	}
	return string(runes)
}

func shelfRemove(args []string) error {
	f := newFlags("shelf remove [flags] SHELF [DOCUMENT...]",
		"Takes documents off a shelf, by their ids: they are gone from answers at once. Without any it takes\n"+
			"the shelf away with all that is on it, which needs -yes.", "juvalogos shelf remove handbook 12")
	yes := f.Bool("yes", false, "take the whole shelf away")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, manyNames, "name a shelf", func(c *client.Client, names []string) error {
		if len(names) == 1 {
			if !*yes {
				return usageError("this takes away the shelf with all that is on it: give -yes if you mean it, or " +
					"name documents")
			}
			if err := c.RemoveShelf(context.Background(), names[0]); err != nil {
				return err
			}
			return printed(*asJSON, map[string]string{"removed": names[0]}, nil)
		}
		removed := []int64{}
		for _, text := range names[1:] {
			id, err := strconv.ParseInt(text, 10, 64)
			if err != nil {
				return usageError(fmt.Sprintf("%q is no document's id; juvalogos shelf show %s lists them", text,
					names[0]))
			}
			if err := c.RemoveDocument(context.Background(), names[0], id); err != nil {
				return err
			}
			removed = append(removed, id)
		}
		if *asJSON {
			return printJSON(map[string]any{"removed": removed})
		}
		fmt.Printf("%d removed\n", len(removed))
		return nil
	})
}
