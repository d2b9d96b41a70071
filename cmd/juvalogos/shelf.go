package main

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"juvalogos/core/evidence"
	"juvalogos/internal/api"
	"juvalogos/internal/client"
)

var shelfCommands = []command{
	{"create", "make a shelf", shelfCreate},
	{"add", "put files on a shelf", shelfAdd},
	{"list", "list the shelves", shelfList},
	{"show", "show a shelf's documents", shelfShow},
	{"tables", "see what tables hold, and put kinds of columns right", shelfTables},
	{"search", "see what a question would find", shelfSearch},
	{"read", "read documents anew, or say what was left out of one", shelfRead},
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
			"of a sitemap, the captions of a recorded talk; database:NAME/TABLE is a table of a PostgreSQL that\n"+
			"the owner named (start -tables), database:NAME all of them, kept current. With -topic it is an\n"+
			"encyclopedia's article on it, with -search the papers that a repository finds; the address is then\n"+
			"that of one of its pages. Files are read in the background; one that cannot be read does not stop\n"+
			"the others. The same content is not added twice.",
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
				if strings.HasPrefix(given, "http://") || strings.HasPrefix(given, "https://") ||
					strings.HasPrefix(given, "database:") {
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
		"not be read. READ is how much was read of what a reader of the original reads; below 98 % an\n"+
		"exclamation mark warns. LEFT OUT are words that were left out on purpose or by mistake, or are not\n"+
		"searched; juvalogos shelf read -why tells more of one document.", "juvalogos shelf show handbook")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 1, 1, "name one shelf", func(c *client.Client, names []string) error {
		all, err := c.ShelfDocuments(context.Background(), names[0])
		if err != nil {
			return err
		}
		return list(*asJSON, all, "Nothing is on it yet. Fill it: juvalogos shelf add "+names[0]+" FILE...",
			"ID, NAME, STATE, TITLE, WORDS, READ, LEFT OUT, PASSAGES, LANGUAGE", func(d api.Document) []any {
				state := string(d.State)
				if d.Problem != "" {
					state += ": " + d.Problem
				}
				if d.LookedAt != nil {
					state += ", as it was " + d.LookedAt.Local().Format("2006-01-02 15:04")
				}
				if d.LookProblem != "" {
					state += "; it stays so: " + d.LookProblem
				}
				return []any{d.ID, d.Name, state, d.Title, d.Words, readShare(d), leftOut(d.LeftOut), d.Passages,
					d.Language}
			})
	})
}

// readShare is how much of a document was read, for a table.
func readShare(d api.Document) string {
	switch {
	case d.Share == 0: // it is not known
		return "-"
	case d.Share < evidence.LeastShare:
		return fmt.Sprintf("%.1f %% !", 100*d.Share)
	}
	return fmt.Sprintf("%.1f %%", 100*d.Share)
}

// leftOut says shortly what was left out.
func leftOut(all []api.LeftOut) string {
	var parts []string
	for _, o := range all {
		switch {
		case o.Words > 0:
			parts = append(parts, fmt.Sprintf("%s %d", o.Why, o.Words))
		default:
			parts = append(parts, counted(o.Count, o.Why))
		}
	}
	if len(parts) == 0 {
		return "-"
	}
	return strings.Join(parts, ", ")
}

// counted names things that were left out whose words are not known.
func counted(n int, why evidence.Why) string {
	what := map[evidence.Why]string{evidence.Pictures: "picture", evidence.Blank: "empty page",
		evidence.Computed: "row"}[why]
	if what == "" {
		what = "part"
	}
	if n != 1 {
		what += "s"
	}
	return fmt.Sprintf("%d %s", n, what)
}

// reasons say why something is left out, in the service's own words.
var reasons = map[evidence.Why]string{
	evidence.Navigation:  "menus",
	evidence.Header:      "the header of the page or of pages",
	evidence.Footer:      "the footer of the page or of pages",
	evidence.Repeated:    "stands on many pages of it",
	evidence.PageNumbers: "numbers of pages",
	evidence.Contents:    "lists of contents and indexes: shown, not searched",
	evidence.Shared:      "stands in many documents of the shelf: shown, not searched",
	evidence.Comments:    "comments of those who worked on it",
	evidence.Deleted:     "deleted by changes that are tracked",
	evidence.Unseen:      "what no reader sees",
	evidence.Pictures:    "pictures in it, whose words are not read",
	evidence.Blank:       "pages on which no text was found, not even in their pictures",
	evidence.Unreadable:  "letters of fonts that do not say which they are",
	evidence.Computed:    "rows of tables: worked out where they are asked for, not searched",
	evidence.Missing:     "parts that it names and does not have, or that are broken",
	evidence.Lost:        "could not be placed",
}

func shelfRead(args []string) error {
	f := newFlags("shelf read [flags] [SHELF [DOCUMENT...]]",
		"Reads a shelf's documents anew, or those whose ids are given; with -all those of all shelves. They are\n"+
			"found meanwhile as they were read before. With -why it reads nothing, and says of each document what\n"+
			"was left out and why.", "juvalogos shelf read handbook\njuvalogos shelf read -why handbook 12")
	all := f.Bool("all", false, "all shelves")
	why := f.Bool("why", false, "only say what was left out and why")
	asJSON := f.Bool("json", false, "print JSON")
	return onService(f, args, 0, manyNames, "name a shelf", func(c *client.Client, names []string) error {
		ctx := context.Background()
		switch {
		case len(names) == 0 && !*all:
			return usageError("name a shelf, or give -all")
		case len(names) > 0 && *all:
			return usageError("give -all or name a shelf, not both")
		case *why && *all:
			return usageError("-why goes with one shelf")
		}
		ids, err := idsOf(names)
		if err != nil {
			return err
		}
		if *why {
			return sayWhy(ctx, c, names[0], ids, *asJSON)
		}
		n := len(ids)
		switch {
		case *all:
			shelves, err := c.Shelves(ctx)
			if err != nil {
				return err
			}
			for _, s := range shelves {
				some, err := c.ReadShelf(ctx, s.Shelf)
				if err != nil {
					return err
				}
				n += some
			}
		case len(ids) == 0:
			if n, err = c.ReadShelf(ctx, names[0]); err != nil {
				return err
			}
		}
		for _, id := range ids {
			if err := c.ReadDocument(ctx, names[0], id); err != nil {
				return err
			}
		}
		if *asJSON {
			return printJSON(map[string]int{"documents": n})
		}
		fmt.Printf("%d documents are read anew in the background; juvalogos shelf list shows how many are left.\n", n)
		return nil
	})
}

// idsOf are the documents' ids that follow a shelf's name.
func idsOf(names []string) (ids []int64, err error) {
	for _, text := range names[min(1, len(names)):] {
		id, err := strconv.ParseInt(text, 10, 64)
		if err != nil {
			return nil, usageError(fmt.Sprintf("%q is no document's id; juvalogos shelf show %s lists them", text,
				names[0]))
		}
		ids = append(ids, id)
	}
	return ids, nil
}

// sayWhy says of documents what was left out.
func sayWhy(ctx context.Context, c *client.Client, slug string, ids []int64, asJSON bool) error {
	documents, err := c.ShelfDocuments(ctx, slug)
	if err != nil {
		return err
	}
	if len(ids) > 0 {
		documents = slices.DeleteFunc(documents, func(d api.Document) bool { return !slices.Contains(ids, d.ID) })
	}
	if asJSON {
		return printJSON(documents)
	}
	for _, d := range documents {
		warning := ""
		if d.Share > 0 && d.Share < evidence.LeastShare {
			warning = "; answers know nothing of the rest"
		}
		show("%s: %d words, %s of what a reader of the original reads%s\n", d.Name, d.Words,
			strings.TrimSuffix(readShare(d), " !"), warning)
		for _, o := range d.LeftOut {
			amount := fmt.Sprintf("%d words", o.Words)
			if o.Words == 0 {
				amount = counted(o.Count, o.Why)
			}
			show("  %s: %s", amount, reasons[o.Why])
			switch {
			case o.Words > len(strings.Fields(o.Sample)) && o.Sample != "":
				show(": “%s …”", o.Sample)
			case o.Sample != "":
				show(": “%s”", o.Sample)
			}
			show("\n")
		}
	}
	return nil
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
				show("%d. %s (document %d, passage %d)\n   score %.2f; by words %s, by meaning %s, by sentences %s; "+
					"has: %s\n   %s\n\n", i+1, where, h.Document, h.Passage,
					h.Score, rank(h.LexicalRank), rank(h.VectorRank), rank(h.SenseRank), strings.Join(h.Matched, ", "),
					shortened(h.Text, 300))
			}
			fmt.Printf("Likely to answer: %.0f %%; this shelf wants %.0f %%\n", 100*found.Answers, 100*found.Least)
			if found.AskedIn != "" {
				fmt.Printf("The question is in another language (%s) than the documents (%s): only names and numbers "+
					"could be compared\n", found.AskedIn, strings.Join(found.In, ", "))
			}
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
		removed, err := idsOf(names)
		if err != nil {
			return err
		}
		for _, id := range removed {
			if err := c.RemoveDocument(context.Background(), names[0], id); err != nil {
				return err
			}
		}
		if *asJSON {
			return printJSON(map[string]any{"removed": removed})
		}
		fmt.Printf("%d removed\n", len(removed))
		return nil
	})
}
