package desk_test

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/models"
	"juvalogos/internal/reply"
	"juvalogos/internal/testbed"
)

func TestMain(m *testing.M) { testbed.Main(m) }

var ctx = context.Background()

func TestADraftIsShownToMakersOnly(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	title := func(slug string) string {
		t.Helper()
		f, err := b.Desks.Face(ctx, slug)
		if err != nil {
			return string(testbed.Code(err))
		}
		return f.Title
	}
	save := func(slug, from, to string) int {
		t.Helper()
		problems, err := b.Desks.SaveDraft(ctx, slug, []byte(strings.Replace(testbed.Desk, from, to, 1)), "me")
		if err != nil {
			t.Fatal(err)
		}
		return len(problems)
	}
	if n := save("helper", "The Helper", "The Better Helper"); n != 0 || title("helper") != "The Helper" ||
		title("~helper") != "The Better Helper" {
		t.Errorf("%d problems; visitors see %q, makers %q", n, title("helper"), title("~helper"))
	}
	if n := save("helper", "model: thyme-mini", "model: nothing"); n != 1 || title("~helper") != "The Better Helper" {
		t.Errorf("with a mistake: %d problems; makers see %q", n, title("~helper"))
	}
	if n := save("helper", "slug: helper", "slug: other"); n != 1 {
		t.Errorf("another slug: %d problems", n)
	}
	if d, err := b.Desks.Draft(ctx, "helper"); err != nil || !strings.Contains(d.File, "slug: other") {
		t.Errorf("a draft with mistakes is not kept: %+v, %v", d, err)
	}
	if n := save("fresh", "slug: helper", "slug: fresh"); n != 0 || title("fresh") != "no-such-desk" ||
		title("~fresh") != "The Helper" {
		t.Errorf("a new desk: %d problems, %q, %q", n, title("fresh"), title("~fresh"))
	}
	r := testbed.Ask(t, b, reply.Question{Text: "How do I light a smoker?"})
	testbed.Settled(t, r)
	tried, err := b.Replies.Ask(ctx, reply.Question{Slug: "~fresh", Visitor: testbed.Alice, Channel: "preview",
		Text: "How do I light a smoker?"})
	if err != nil {
		t.Fatal(err)
	}
	testbed.Settled(t, tried)
	if d, err := b.Desks.Desk(ctx, "fresh"); err != nil || d.QuestionsToday != 0 || d.Published != 0 || d.Draft == nil {
		t.Errorf("trying counts as asking: %+v, %v", d, err)
	}
	testbed.Republish(t, b, "The Helper", "By Somebody Else")
	if d, err := b.Desks.Draft(ctx, "helper"); err != nil || !strings.Contains(d.File, "slug: other") {
		t.Errorf("another's publishing took the draft: %+v, %v", d, err)
	}
	testbed.Republish(t, b)
	for _, slug := range []string{"fresh", "helper"} {
		if err := b.Desks.DropDraft(ctx, slug); err != nil {
			t.Fatal(err)
		}
	}
	if _, err := b.Desks.Desk(ctx, "fresh"); testbed.Code(err) != fault.NoDesk {
		t.Errorf("a desk that was never more than a draft stays: %v", err)
	}
	if title("~helper") != "The Helper" {
		t.Errorf("without a draft makers see %q", title("~helper"))
	}
	if _, err := b.Desks.SaveDraft(ctx, "Not A Slug", []byte("x"), "me"); testbed.Code(err) != fault.Invalid {
		t.Errorf("a bad slug: %v", err)
	}
}

func TestDesksGoBackAndAreWithdrawn(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	testbed.Republish(t, b, "The Helper", "Second")
	title := func() string {
		t.Helper()
		f, err := b.Desks.Face(ctx, "helper")
		if err != nil {
			return string(testbed.Code(err))
		}
		return f.Title
	}
	if _, err := b.Desks.Return(ctx, "helper", 1, "me"); err != nil || title() != "The Helper" {
		t.Errorf("went back to %q, %v", title(), err)
	}
	if err := b.Desks.Withdraw(ctx, "helper", "me"); err != nil || title() != "no-such-desk" {
		t.Errorf("withdrawn: %q, %v", title(), err)
	}
	if err := b.Desks.Withdraw(ctx, "helper", "me"); testbed.Code(err) != fault.NoDesk {
		t.Errorf("withdrawn twice: %v", err)
	}
	if d, err := b.Desks.Desk(ctx, "helper"); err != nil || d.Published != 0 || d.Newest != 2 {
		t.Errorf("%+v, %v", d, err)
	}
	if _, err := b.Desks.Return(ctx, "helper", 2, "me"); err != nil || title() != "Second" {
		t.Errorf("opened again as %q, %v", title(), err)
	}
	if _, err := b.Desks.Return(ctx, "helper", 3, "me"); testbed.Code(err) != fault.NoDesk {
		t.Errorf("a revision that is not there: %v", err)
	}
	file, _ := b.Desks.Models.Connections()
	file[0].Models = file[0].Models[1:]
	b.Desks.Models.Replace(models.File{Connections: file}) // the model is gone
	if _, err := b.Desks.Return(ctx, "helper", 1, "me"); err == nil || title() != "Second" {
		t.Errorf("went back to a desk without a model: %v", err)
	}
}

func TestADeskTravelsAsOneFile(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	testbed.Republish(t, b, "The Helper", "Second # with a comment")
	if _, err := b.Desks.SaveDraft(ctx, "helper", []byte("slug: helper\nnot yet"), "me"); err != nil {
		t.Fatal(err)
	}
	packed, err := b.Desks.Export(ctx, "helper")
	if err != nil {
		t.Fatal(err)
	}
	text, err := json.Marshal(packed)
	if err != nil {
		t.Fatal(err)
	}
	if _, _, err := b.Desks.Import(ctx, text, "", "me"); testbed.Code(err) != fault.Exists {
		t.Errorf("over itself: %v", err)
	}
	slug, problems, err := b.Desks.Import(ctx, text, "copy", "me")
	if err != nil || slug != "copy" || problems != nil {
		t.Fatalf("%s, %v, %v", slug, problems, err)
	}
	again, err := b.Desks.Export(ctx, "copy")
	if err != nil || len(again.Revisions) != 2 || again.Published != 2 || !strings.Contains(again.Draft, "not yet") {
		t.Errorf("%+v, %v", again, err)
	}
	if want := strings.Replace(packed.Revisions[1].File, "slug: helper", "slug: copy",
		1); again.Revisions[1].File != want {
		t.Errorf("the file became\n%s", again.Revisions[1].File)
	}
	foreign := strings.ReplaceAll(string(text), "thyme-mini", "not-here")
	if slug, problems, err := b.Desks.Import(ctx, []byte(foreign), "elsewhere", "me"); err != nil ||
		len(problems) != 1 {
		t.Errorf("with a model that is not here: %s, %v, %v", slug, problems, err)
	} else if d, err := b.Desks.Desk(ctx, slug); err != nil || d.Published != 0 || d.Newest != 2 {
		t.Errorf("%+v, %v", d, err)
	}
	for _, bad := range []string{"", "{}", "slug: x", `{"format": "juvalogos-desk/1", "slug": "x"}`,
		`{"format": "juvalogos-desk/1", "slug": "x y"}`,
		`{"format": "juvalogos-desk/1", "slug": "x", "revisions": [{"number": 7, "file": "a"}]}`} {
		if _, _, err := b.Desks.Import(ctx, []byte(bad), "", "me"); testbed.Code(err) != fault.Invalid {
			t.Errorf("%s: %v", bad, err)
		}
	}
	if err := b.Desks.Duplicate(ctx, "helper", "copy", "me"); testbed.Code(err) != fault.Exists {
		t.Errorf("duplicated over another: %v", err)
	}
	if err := b.Desks.Duplicate(ctx, "copy", "twin", "me"); err != nil {
		t.Fatal(err)
	}
	if d, err := b.Desks.Draft(ctx, "twin"); err != nil || !strings.HasPrefix(d.File, "slug: twin\n") {
		t.Errorf("the twin: %+v, %v", d, err)
	}
}

func TestAFolderIsWatched(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	folder := t.TempDir()
	write := func(name, text string) {
		t.Helper()
		if err := os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	garden := strings.Replace(testbed.Desk, "slug: helper", "slug: garden", 1)
	write("garden.yaml", garden)
	write("notes.txt", "not a desk")
	told := make(chan desk.FolderFile, 10)
	stopped := make(chan error, 1)
	watching, stop := context.WithCancel(ctx)
	go func() { stopped <- b.Desks.WatchFolder(watching, folder, func(f desk.FolderFile) { told <- f }) }()
	next := func() desk.FolderFile {
		t.Helper()
		select {
		case f := <-told:
			return f
		case <-time.After(30 * time.Second):
			t.Fatal("nothing was taken up")
			panic("unreachable")
		}
	}
	title := func() string {
		f, err := b.Desks.Face(ctx, "garden")
		if err != nil {
			return err.Error()
		}
		return f.Title
	}
	if f := next(); f.Slug != "garden" || f.Revision != 1 || f.Problems != nil || title() != "The Helper" {
		t.Errorf("taken up %+v: %s", f, title())
	}
	write("garden.yaml", strings.Replace(garden, "The Helper", "The Gardener", 1))
	if f := next(); f.Revision != 2 || title() != "The Gardener" {
		t.Errorf("saved %+v: %s", f, title())
	}
	write("garden.yaml", strings.Replace(garden, "title:", "titel:", 1))
	if f := next(); len(f.Problems) != 1 || f.Problems[0].Line != 2 || title() != "The Gardener" {
		t.Errorf("with a mistake %+v: %s", f, title())
	}
	if path, files := b.Desks.Folder(); path != folder || len(files) != 1 || len(files[0].Problems) != 1 {
		t.Errorf("reported: %s, %+v", path, files)
	}
	stop()
	if err := <-stopped; err != nil {
		t.Error(err)
	}
	if err := b.Desks.WatchFolder(ctx, "/nowhere/at/all", nil); err == nil ||
		!strings.Contains(err.Error(), "no folder") {
		t.Errorf("a folder that is not there: %v", err)
	}
}
