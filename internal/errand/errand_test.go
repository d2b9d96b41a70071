package errand_test

import (
	"crypto/sha256"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"

	"juvalogos/internal/api"
	"juvalogos/internal/client"
	"juvalogos/internal/record"
	"juvalogos/internal/testbed"
	"juvalogos/standin/referencesite"
)

func TestMain(m *testing.M) { testbed.Main(m) }

// site starts a reference site, and a service whose desk "reading" may read from it.
func site(t *testing.T, more string) (*referencesite.Site, string, *testbed.Bed) {
	t.Helper()
	s := referencesite.New("/reference")
	server := httptest.NewServer(s)
	t.Cleanup(server.Close)
	b := testbed.New(t, testbed.Options{Visit: []string{strings.TrimPrefix(server.URL, "http://")}})
	at := server.URL + "/reference"
	publish(t, b, fmt.Sprintf(`slug: reading
title: The Reading Desk
purpose: Talks about what you bring.
model: thyme-mini
sampling: {temperature: 0}
bring:
  addresses: true
  sources:
    - {kind: encyclopedia, title: The encyclopedia, address: %[1]s/w/api.php}
    - {kind: papers, title: The papers, address: %[1]s/}
%[2]s`, at, more))
	return s, at, b
}

func publish(t *testing.T, b *testbed.Bed, file string) {
	t.Helper()
	if _, err := b.Client.Publish(t.Context(), "desk.yaml", []byte(file), ""); err != nil {
		t.Fatal(err)
	}
}

// bring has something brought, and waits for it.
func bring(t *testing.T, c *client.Client, desk, conversation string, w api.Wish) api.Errand {
	t.Helper()
	e, err := c.Bring(t.Context(), desk, conversation, w)
	if err != nil {
		t.Fatalf("%+v: %v", w, err)
	}
	e, err = c.Brought(t.Context(), desk, e, nil)
	if err != nil {
		t.Fatalf("%+v: %v", w, err)
	}
	return e
}

// visitor is another visitor than the bed's own client.
func visitor(t *testing.T, b *testbed.Bed, name string) *client.Client {
	t.Helper()
	made, err := b.Client.AddToken(t.Context(), api.NewToken{Name: name, Scopes: []string{"ask"}})
	if err != nil {
		t.Fatal(err)
	}
	return &client.Client{Address: b.Address, Token: made.Secret}
}

// status is how a client's call of an address is answered.
func status(t *testing.T, c *client.Client, address string) int {
	t.Helper()
	r, err := http.NewRequestWithContext(t.Context(), "GET", address, nil)
	if err != nil {
		t.Fatal(err)
	}
	r.Header.Set("Authorization", "Bearer "+c.Token)
	answer, err := http.DefaultClient.Do(r)
	if err != nil {
		t.Fatal(err)
	}
	answer.Body.Close()
	return answer.StatusCode
}

// lookedIn is what the trace of the newest reply says of where was looked.
func lookedIn(t *testing.T, b *testbed.Bed) string {
	t.Helper()
	all, err := b.Client.Traces(t.Context(), nil)
	if err != nil || len(all) == 0 {
		t.Fatalf("traces: %v", err)
	}
	trace, err := b.Client.Trace(t.Context(), all[0].ID)
	if err != nil {
		t.Fatal(err)
	}
	for _, span := range trace.Spans {
		for _, note := range span.Notes {
			if strings.HasPrefix(note, "the question bears on") {
				return note
			}
		}
	}
	return ""
}

func ask(t *testing.T, c *client.Client, desk, conversation, text string) (api.Begin, api.Outcome, string) {
	t.Helper()
	var begin api.Begin
	var reply strings.Builder
	outcome, err := c.Ask(t.Context(), client.Question{Desk: desk, Conversation: conversation, Text: text},
		client.Follower{Begin: func(b api.Begin) { begin = b }, Text: func(s string) { reply.WriteString(s) }})
	if err != nil || outcome.State != "done" {
		t.Fatalf("%s: %+v, %v", text, outcome, err)
	}
	if outcome.Reply != nil {
		return begin, outcome, *outcome.Reply
	}
	return begin, outcome, reply.String()
}

// A topic by another name is found under its own, shown, asked about and cited; who
// comes later waits for nothing.
func TestATopic(t *testing.T) {
	s, at, b := site(t, "")
	e := bring(t, b.Client, "reading", "", api.Wish{About: "ling honey"})
	if e.State != "ready" || e.Kind != "topic" || len(e.Works) != 1 || e.Brought != 1 || e.Kept != 0 || e.Nearest {
		t.Fatalf("got %+v\n%s", e, b.Log)
	}
	w := e.Works[0]
	if w.Name != "Heather honey" || w.Kind != "article" || w.Address != at+"/wiki/Heather_honey" ||
		w.State != "ready" ||
		w.Dated.Format(time.DateOnly) != "2026-09-14" || w.Words < 80 || len(w.Headings) == 0 ||
		!strings.Contains(w.Beginning, "heather") || e.Source != "The encyclopedia" {
		t.Errorf("it is shown as %+v from %q", w, e.Source)
	}
	_, outcome, reply := ask(t, b.Client, "reading", e.Conversation, "How much water may heather honey hold?")
	sources := client.Sources(outcome)
	if !strings.Contains(reply, "23") || sources == nil || len(sources.Passages) == 0 ||
		sources.Passages[0].Title != "Heather honey" || !sources.Supported {
		t.Errorf("%q rests on %+v", reply, sources)
	}
	// The visitor opens it at the place; another one, who has not brought it, does not.
	p := sources.Passages[0]
	text := fmt.Sprintf("%s/api/at/reading/shelves/%s/documents/%d/text", b.Address, p.Shelf, p.Document)
	if status := status(t, b.Client, text); status != 200 {
		t.Errorf("the source answers %d", status)
	}
	other := visitor(t, b, "other")
	if status := status(t, other, text); status != 404 {
		t.Errorf("to somebody else the source answers %d", status)
	}
	// Under other names it is not fetched again, nor for somebody else.
	before := s.Asked("")
	for _, name := range []string{"Ling  Honey", "ling honey"} {
		if e := bring(t, other, "reading", "", api.Wish{About: name}); e.State != "ready" || e.Kept != 1 ||
			e.Works[0].Name != "Heather honey" || e.Works[0].State != "ready" {
			t.Errorf("%s: %+v", name, e)
		}
	}
	if n := s.Asked(""); n != before {
		t.Errorf("%d more calls of the site for what is there", n-before)
	}
	if e := bring(t, other, "reading", "", api.Wish{About: "Heather honey"}); e.Kept != 1 || s.Asked("") != before+1 {
		t.Errorf("by its own name: %d more calls, %+v", s.Asked("")-before, e)
	}
	// What one has brought is listed to no other.
	if all, err := other.Errands(t.Context(), "reading", e.Conversation); err != nil || len(all) != 0 {
		t.Errorf("another visitor sees %+v, %v", all, err)
	}
	if _, err := other.Errand(t.Context(), "reading", e.ID); err == nil {
		t.Error("another visitor sees the errand")
	}
}

// A name with several meanings is told with them; one is chosen. One that is misspelt
// gets the nearest; of one that nobody knows that is said.
func TestMeaningsAndMisspelling(t *testing.T) {
	_, _, b := site(t, "")
	e := bring(t, b.Client, "reading", "", api.Wish{About: "cluster"})
	if e.State != "choose" || len(e.Meanings) != 2 || e.Meanings[1].Title != "Swarm cluster" ||
		!strings.Contains(e.Meanings[1].About, "scouts") {
		t.Fatalf("got %+v", e)
	}
	if _, err := b.Client.ChooseMeaning(t.Context(), "reading", e.ID, "Sun hive"); err == nil {
		t.Error("something else was chosen")
	}
	e, err := b.Client.ChooseMeaning(t.Context(), "reading", e.ID, "Swarm cluster")
	if err == nil {
		e, err = b.Client.Brought(t.Context(), "reading", e, nil)
	}
	if err != nil || e.State != "ready" || e.Works[0].Name != "Swarm cluster" {
		t.Fatalf("chosen: %+v, %v", e, err)
	}
	for written, found := range map[string]string{"hether honey": "Heather honey", "Wax mtoh": "Wax moth",
		"sun-hive": "Sun hive", "larch hil": "Larch Hill"} {
		if e := bring(t, b.Client, "reading", "", api.Wish{About: written}); e.State != "ready" || !e.Nearest ||
			e.Works[0].Name != found {
			t.Errorf("%s: %+v", written, e)
		}
	}
	if e := bring(t, b.Client, "reading", "", api.Wish{About: "zeppelins over Prague"}); e.State != "failed" ||
		!strings.Contains(e.Problem, "zeppelins over Prague") {
		t.Errorf("nothing: %+v", e)
	}
}

// Every kind of address is read, or it is said which of all reasons there is.
func TestAddresses(t *testing.T) {
	s, at, b := site(t, "")
	s.Nap = 10 * time.Second // longer than visits last here
	for _, c := range []struct{ path, kind, name, says string }{
		{"/wiki/Sun_hive", "page", "Sun hive", ""},
		{"/moved", "page", "Sun hive", ""},
		{"/papers/3.pdf", "file", "Waggle dances on the moor", ""},
		{"/talk", "talk", "Why we weigh hives", ""},
		{"/app", "", "", "a program in the page"},
		{"/slow", "", "", "did not answer within 5 seconds"},
		{"/members", "", "", "sign in"},
		{"/empty", "", "", "is empty"},
		{"/drafts/Sun_hive", "", "", "asks programs not to read"},
		{"/nothing-here", "", "", "no such page"},
	} {
		e := bring(t, b.Client, "reading", "", api.Wish{About: at + c.path})
		if c.says != "" {
			if e.State != "failed" || !strings.Contains(e.Problem, c.says) || len(e.Works) != 0 {
				t.Errorf("%s: %s %q", c.path, e.State, e.Problem)
			}
			continue
		}
		if e.State != "ready" || len(e.Works) != 1 || e.Works[0].Kind != c.kind ||
			!strings.HasSuffix(e.Works[0].Name, c.name) || e.Works[0].State != "ready" || e.Works[0].Words == 0 {
			t.Errorf("%s: %+v", c.path, e)
		}
	}
	for address, says := range map[string]string{
		"https://elsewhere.example/a":                    "not among the places",
		strings.Replace(at, "127.0.0.1", "localhost", 1): "not among the places",
		"file:///etc/passwd":                             "http:// or https://",
		"nonsense://":                                    "no address",
	} {
		if e := bring(t, b.Client, "reading", "", api.Wish{About: address, Kind: "address"}); e.State != "failed" ||
			!strings.Contains(e.Problem, says) {
			t.Errorf("%s: %s %q", address, e.State, e.Problem)
		}
	}
	e := bring(t, b.Client, "reading", "", api.Wish{About: at + "/sitemap.xml"})
	if e.State != "ready" || e.Total != e.Brought || e.Total < 8 || len(e.Failed) != 0 {
		t.Errorf("a sitemap: %+v", e)
	}
	// The page that moved, and the one on the sitemap, are the same.
	_, outcome, _ := ask(t, b.Client, "reading", e.Conversation, "Who designed the sun hive?")
	if all := client.Sources(outcome).Passages; len(all) == 0 || !strings.Contains(all[0].Text, "Jorun Bask") {
		t.Errorf("it rests on %+v", all)
	}
	// Who asks to be left alone is, whatever is wanted of them then.
	for _, path := range []string{"/busy", "/wiki/Cluster"} {
		if e := bring(t, b.Client, "reading", "", api.Wish{About: at + path}); e.State != "failed" ||
			!strings.Contains(e.Problem, "come again in") || s.Asked("/wiki/Cluster") > 1 {
			t.Errorf("%s: %s %q", path, e.State, e.Problem)
		}
	}
}

// Of thirty papers all but the broken one come, and can be asked about before the
// last is there.
func TestPapers(t *testing.T) {
	_, _, b := site(t, "")
	e, err := b.Client.Bring(t.Context(), "reading", "", api.Wish{About: "colonies", Kind: "search"})
	if err != nil {
		t.Fatal(err)
	}
	_, _, reply := ask(t, b.Client, "reading", e.Conversation, "How much of all pollen loads did the goat willow give?")
	steps := map[string]bool{}
	e, err = b.Client.Brought(t.Context(), "reading", e, func(e api.Errand) {
		steps[fmt.Sprintf("%d of %d", e.Brought, e.Total)] = true
	})
	if err != nil || e.Total != 30 || e.Brought != 30 {
		t.Fatalf("%+v, %v", e, err)
	}
	if reply == "" {
		t.Error("no reply while papers come")
	}
	broken := 0
	for _, w := range e.Works {
		if w.State == "failed" {
			broken++
			if !strings.Contains(w.Problem, "broken") && !strings.Contains(w.Problem, "PDF") {
				t.Errorf("the broken one: %q", w.Problem)
			}
		} else if w.State != "ready" || w.Kind != "paper" || len(w.Documents) != 2 || w.Dated.IsZero() ||
			!strings.Contains(w.Beginning, "Ilse") && !strings.Contains(w.Beginning, "Holm") {
			t.Errorf("%s: %+v", w.Name, w)
		}
	}
	if broken != 1 {
		t.Errorf("%d are broken", broken)
	}
	_, _, reply = ask(t, b.Client, "reading", e.Conversation, "How much of all pollen loads did the goat willow give?")
	if !strings.Contains(reply, "17.5") {
		t.Errorf("got %q", reply)
	}
	// The same search for somebody else needs nothing.
	began := time.Now()
	if again := bring(t, visitor(t, b, "other"), "reading", "",
		api.Wish{About: "Colonies", Kind: "search"}); again.Kept < 29 {
		t.Errorf("in %v: %d kept", time.Since(began), again.Kept)
	}
}

// Two articles that disagree do not get mixed up: what a question does not name is
// asked of what was spoken of last.
func TestFollowUpsDoNotMixThings(t *testing.T) {
	_, _, b := site(t, "")
	alder := bring(t, b.Client, "reading", "", api.Wish{About: "Alder skep"})
	bring(t, b.Client, "reading", alder.Conversation, api.Wish{About: "Larch skep"})
	for _, c := range []struct{ question, about, has string }{
		{"What does the Alder skep weigh when it is empty?", "Alder skep", "4 kilograms"},
		{"Who wove the first one?", "Alder skep", "Edda Reen"},
		{"And the Larch skep, who wove the first of those?", "Larch skep", ""},
		{"How many combs does it hold?", "Larch skep", "eleven"},
		{"Is the Alder skep wide?", "Alder skep", ""},
		{"Where was it in winter?", "Alder skep", ""},
	} {
		_, outcome, reply := ask(t, b.Client, "reading", alder.Conversation, c.question)
		if got := lookedIn(t, b); got != "the question bears on: "+c.about {
			t.Errorf("%s: %s", c.question, got)
		}
		if !strings.Contains(reply, c.has) {
			t.Errorf("%s %q", c.question, reply)
		}
		all := client.Sources(outcome).Passages
		for _, p := range all {
			if p.Title != c.about {
				t.Errorf("%s rests on %s: %q", c.question, p.Title, p.Text)
			}
		}
		if len(all) == 0 {
			t.Errorf("%s rests on nothing", c.question)
		}
	}
	// One that compares is asked of both.
	ask(t, b.Client, "reading", alder.Conversation, "What do both of them weigh when empty?")
	if got := lookedIn(t, b); got != "the question bears on: Alder skep; Larch skep" {
		t.Errorf("comparing: %q", got)
	}
	// Put away, the one is not answered from any more, nor asked about; taken up, it is.
	if err := b.Client.PutAway(t.Context(), "reading", alder.ID); err != nil {
		t.Fatal(err)
	}
	_, outcome, reply := ask(t, b.Client, "reading", alder.Conversation, "Who wove the first Alder skep?")
	for _, p := range client.Sources(outcome).Passages {
		if p.Title == "Alder skep" {
			t.Errorf("%q rests on what was put away", reply)
		}
	}
	if err := b.Client.TakeUp(t.Context(), "reading", alder.ID); err != nil {
		t.Fatal(err)
	}
	_, outcome, reply = ask(t, b.Client, "reading", alder.Conversation, "Who wove the first Alder skep?")
	if all := client.Sources(outcome).Passages; len(all) == 0 || all[0].Title != "Alder skep" {
		t.Errorf("taken up again: %q rests on %+v", reply, all)
	}
}

// What an address with a query leads to is for whoever brought it alone, and so is
// what is answered as private; makers do not see that it was wanted.
func TestWhatIsForOneAlone(t *testing.T) {
	s, at, b := site(t, "")
	secret := at + "/wiki/Larch_Hill?ticket=4711"
	e := bring(t, b.Client, "reading", "", api.Wish{About: secret})
	if e.State != "ready" {
		t.Fatalf("got %+v", e)
	}
	_, outcome, _ := ask(t, b.Client, "reading", e.Conversation, "What is Larch Hill?")
	if sources := client.Sources(outcome); sources == nil || len(sources.Passages) == 0 {
		t.Error("it is not answered from")
	}
	if note := lookedIn(t, b); note != "" {
		t.Errorf("the trace that makers see says %q", note)
	}
	before := s.Asked("/wiki/Larch_Hill")
	if e := bring(t, b.Client, "reading", "", api.Wish{About: secret}); e.State != "ready" || e.Kept != 1 ||
		s.Asked("/wiki/Larch_Hill") != before {
		t.Errorf("once more for the same: %+v", e)
	}
	if e := bring(t, visitor(t, b, "other"), "reading", "", api.Wish{About: secret}); e.Kept != 0 ||
		s.Asked("/wiki/Larch_Hill") != before+1 {
		t.Errorf("for another: %+v", e)
	}
	withPassword := strings.Replace(at, "http://", "http://ada:honeypot@", 1) + "/wiki/Wax_moth"
	e = bring(t, b.Client, "reading", "", api.Wish{About: withPassword})
	if e.State != "ready" || strings.Contains(fmt.Sprintf("%+v", e), "honeypot") {
		t.Errorf("with a password: %+v", e)
	}
	wanted, err := b.Client.Wanted(t.Context(), "reading", 30)
	if err != nil || len(wanted) != 0 {
		t.Errorf("makers see %+v, %v", wanted, err)
	}
	if log := b.Log.String(); strings.Contains(log, "honeypot") || strings.Contains(log, "4711") {
		t.Error("the log tells of it")
	}
}

// After the time that the desk sets an article is looked at again: unchanged it stays,
// changed it is fetched anew, and the conversation from before keeps what it was told.
func TestWhatHasChanged(t *testing.T) {
	s, _, b := site(t, "  fresh_hours: 2\n")
	old := bring(t, b.Client, "reading", "", api.Wish{About: "Sun hive"})
	ask(t, b.Client, "reading", old.Conversation, "Who designed the sun hive?")
	b.Later(3 * time.Hour)
	if e := bring(t, b.Client, "reading", "", api.Wish{About: "Sun hive"}); e.State != "ready" || e.Kept != 1 {
		t.Errorf("unchanged: %+v", e)
	}
	s.Change("Sun hive", "<p>The <b>sun hive</b> was designed by Nora Wren in 1979, as was found out lately.</p>")
	if e := bring(t, b.Client, "reading", "", api.Wish{About: "Sun hive"}); e.Kept != 1 {
		t.Errorf("before its time: %+v", e)
	}
	b.Later(3 * time.Hour)
	e := bring(t, b.Client, "reading", "", api.Wish{About: "Sun hive"})
	if e.State != "ready" || e.Kept != 0 {
		t.Fatalf("changed: %+v", e)
	}
	if _, _, reply := ask(t, b.Client, "reading", e.Conversation,
		"Who designed the sun hive?"); !strings.Contains(reply,
		"Nora Wren") {
		t.Errorf("now: %q", reply)
	}
	_, outcome, _ := ask(t, b.Client, "reading", old.Conversation, "Who designed the sun hive?")
	if all := client.Sources(outcome).Passages; len(all) == 0 || !strings.Contains(all[0].Text, "Jorun Bask") {
		t.Errorf("the old conversation rests on %+v", all)
	}
}

// Stopping ends an errand on its way.
func TestStopping(t *testing.T) {
	s, at, b := site(t, "")
	s.Nap = 50 * time.Second
	e, err := b.Client.Bring(t.Context(), "reading", "", api.Wish{About: at + "/slow"})
	if err != nil || e.State != "running" {
		t.Fatalf("%+v, %v", e, err)
	}
	began := time.Now()
	if err := b.Client.StopErrand(t.Context(), "reading", e.ID); err != nil {
		t.Fatal(err)
	}
	if e, err = b.Client.Brought(t.Context(), "reading", e, nil); err != nil || e.State != "stopped" {
		t.Errorf("%+v, %v", e, err)
	}
	if took := time.Since(began); took > s.Nap-5*time.Second {
		t.Errorf("it was stopped after %v", took)
	}
	s.Nap = time.Millisecond
	// What was stopped is brought when it is tried again.
	e, err = b.Client.ChooseMeaning(t.Context(), "reading", e.ID, "")
	if err == nil {
		e, err = b.Client.Brought(t.Context(), "reading", e, nil)
	}
	if err != nil || e.State != "ready" || e.Works[0].Name != "The slow page" {
		t.Errorf("tried again: %+v, %v", e, err)
	}
}

// One of the desk's own documents is talked about alone.
func TestOneDocumentOfTheDesks(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	if _, err := b.Client.MakeShelf(t.Context(), "leaflets", "Leaflets"); err != nil {
		t.Fatal(err)
	}
	for name, text := range map[string]string{
		"smoker.md": "# Lighting a smoker\n\nA smoker is lit with dry grass. The smoke has to be cool before it " +
			"reaches the bees.\n",
		"feeder.md": "# Feeding in autumn\n\nA colony is fed 15 kilograms of sugar before the middle of September.\n",
	} {
		if _, err := b.Client.AddDocument(t.Context(), "leaflets", name, strings.NewReader(text)); err != nil {
			t.Fatal(err)
		}
	}
	publish(t, b, "slug: leaflets\ntitle: Leaflets\npurpose: Answers from leaflets.\nmodel: thyme-mini\n"+
		"sampling: {temperature: 0}\nshelves: [leaflets]\nbring: {documents: true}\n")
	var titles api.TitleList
	testbed.Until(t, "they are read", func() bool {
		var err error
		titles, err = b.Client.Titles(t.Context(), "leaflets", "")
		return err == nil && len(titles.Titles) == 2
	})
	if found, err := b.Client.Titles(t.Context(), "leaflets", "smok"); err != nil || len(found.Titles) != 1 {
		t.Errorf("found %+v, %v", found, err)
	}
	e := bring(t, b.Client, "leaflets", "", api.Wish{Kind: "document", Shelf: "leaflets",
		Document: titles.Titles[1].Document})
	if e.State != "ready" || e.Works[0].Name != "Lighting a smoker" {
		t.Fatalf("got %+v", e)
	}
	_, outcome, reply := ask(t, b.Client, "leaflets", e.Conversation, "How much sugar is a colony fed?")
	if sources := client.Sources(outcome); sources == nil || sources.Supported || strings.Contains(reply, "15") {
		t.Errorf("from another leaflet: %q", reply)
	}
	_, _, reply = ask(t, b.Client, "leaflets", e.Conversation, "What is a smoker lit with?")
	if !strings.Contains(reply, "dry grass") {
		t.Errorf("got %q", reply)
	}
	for _, bad := range []api.Wish{{Kind: "document", Shelf: "handbook", Document: 1}, {About: "smoker"},
		{About: "http://127.0.0.1/"}, {Kind: "search", About: "x"}, {Kind: "thing", About: "x"}, {}} {
		if e, err := b.Client.Bring(t.Context(), "leaflets", "", bad); err == nil {
			t.Errorf("%+v: %+v", bad, e)
		}
	}
}

// Makers see what was wanted and what was not found, and what it took.
func TestWhatWasWanted(t *testing.T) {
	_, at, b := site(t, "")
	other := visitor(t, b, "other")
	bring(t, b.Client, "reading", "", api.Wish{About: "ling honey"})
	bring(t, other, "reading", "", api.Wish{About: "heather honey"})
	bring(t, other, "reading", "", api.Wish{About: "Zeppelins"})
	bring(t, other, "reading", "", api.Wish{About: "moor pollen", Kind: "search"})
	var wanted []api.Wanted
	testbed.Until(t, "all is counted", func() bool {
		var err error
		wanted, err = b.Client.Wanted(t.Context(), "reading", 7)
		return err == nil && len(wanted) == 3
	})
	if w := wanted[0]; w.Name != "Heather honey" || w.Times != 2 || w.Fetched != 1 || !w.Found ||
		w.Address != at+"/wiki/Heather_honey" || w.Bytes == 0 {
		t.Errorf("the most wanted: %+v", w)
	}
	for _, w := range wanted {
		if w.Name == "zeppelins" && w.Found {
			t.Errorf("found: %+v", w)
		}
	}
	sums, err := b.Client.BroughtSums(t.Context(), url.Values{"by": {"desk,kind"}})
	if err != nil || len(sums.Rows) != 2 || strings.Join(sums.Rows[1].Keys, " ") != "reading topic" ||
		sums.Rows[1].Errands != 3 || sums.Rows[1].Works != 2 || sums.Rows[1].Kept != 1 || sums.Rows[1].Failed != 1 {
		t.Errorf("sums: %+v, %v", sums, err)
	}
	if _, err := b.Client.BroughtSums(t.Context(), url.Values{"by": {"weather"}}); err == nil {
		t.Error("added up by the weather")
	}
}

// A recipe takes an address and reads what is there; the conversation does not rest on
// it.
func TestAStepReadsAnAddress(t *testing.T) {
	_, at, b := site(t, "")
	publish(t, b, `slug: digest
title: A page in short
purpose: Says what a page is about.
model: thyme-mini
recipe: page.recipe.yaml
own_recipe: |
  recipe: page
  about: Reads a page.
  inputs:
    - {name: question, type: text, need: true}
    - {name: page, type: address, need: true}
  steps:
    - name: seen
      do: read
      from: {address: page}
      set: {tokens: 60}
    - name: shown
      do: join
      from: {title: seen.title, text: seen.text}
  reply: shown.text
`)
	read := func(page string) (string, bool) {
		var reply strings.Builder
		outcome, err := b.Client.Ask(t.Context(), client.Question{Desk: "digest", Text: "What does it say?",
			Inputs: map[string]string{"page": page}}, client.Follower{Text: func(s string) { reply.WriteString(s) }})
		if err == nil && outcome.Reply != nil {
			return *outcome.Reply, outcome.State == "done"
		}
		return reply.String(), err == nil && outcome.State == "done"
	}
	got, ok := read(at + "/moved")
	if !ok || !strings.HasPrefix(got, "Sun hive\n\n") || !strings.Contains(got, "woven of rye straw") ||
		len(got) > 500 {
		t.Errorf("got %q, %v", got, ok)
	}
	if _, ok := read(at + "/app"); ok {
		t.Error("a page all script was read")
	}
	for _, bad := range []string{"http://10.0.0.1/", "http://localhost:1/", "file:///etc/passwd"} {
		if got, ok := read(bad); ok {
			t.Errorf("%s was read: %q", bad, got)
		}
	}
}

// A model with a price embeds what was brought once the visitor has seen the price; one
// without a price does so at once. What it took is counted.
func TestEmbedding(t *testing.T) {
	for price, agrees := range map[float64]bool{0: false, 400: true} {
		t.Run(fmt.Sprint(price), func(t *testing.T) {
			s := referencesite.New("/reference")
			server := httptest.NewServer(s)
			t.Cleanup(server.Close)
			b := testbed.New(t, testbed.Options{Visit: []string{strings.TrimPrefix(server.URL, "http://")},
				EmbeddingPrice: price})
			publish(t, b,
				"slug: reading\ntitle: R\npurpose: P.\nmodel: thyme-mini\nbring:\n  embedding: clover-embed\n"+
					"  sources: [{kind: encyclopedia, title: E, address: "+server.URL+"/reference/w/api.php}]\n")
			e := bring(t, b.Client, "reading", "", api.Wish{About: "Winter cluster"})
			if agrees {
				if e.Estimate.Tokens < 100 || e.Estimate.Cost <= 0 {
					t.Fatalf("the estimate: %+v", e.Estimate)
				}
				if n := b.Model.Embedded(); n != 0 {
					t.Errorf("%d texts were embedded before anybody agreed", n)
				}
				if err := b.Client.AgreeToCost(t.Context(), "reading", e.ID); err != nil {
					t.Fatal(err)
				}
			}
			var sums api.Brought
			testbed.Until(t, "it is embedded", func() bool {
				var err error
				sums, err = b.Client.BroughtSums(t.Context(), url.Values{"by": {"conversation"}})
				return err == nil && len(sums.Rows) == 1 && sums.Rows[0].Tokens > 0
			})
			if cost := sums.Rows[0].Cost; (cost > 0) != agrees {
				t.Errorf("it cost %v", cost)
			}
			if e, err := b.Client.Errand(t.Context(), "reading", e.ID); err != nil || e.Estimate.Tokens != 0 {
				t.Errorf("afterwards the estimate is %+v, %v", e.Estimate, err)
			}
			before := b.Model.Embedded()
			ask(t, b.Client, "reading", e.Conversation, "How warm is the core of the winter cluster?")
			if b.Model.Embedded() != before+1 {
				t.Errorf("for the question %d texts were embedded", b.Model.Embedded()-before)
			}
		})
	}
}

// A desk that answers with the very words does so from what was brought, and says how
// sure it is.
func TestTheVeryWords(t *testing.T) {
	_, _, b := site(t, "recipe: extract\n")
	e := bring(t, b.Client, "reading", "", api.Wish{About: "Winter cluster"})
	_, outcome, reply := ask(t, b.Client, "reading", e.Conversation, "How many bees deep is the coat of the cluster?")
	if !strings.HasPrefix(reply, "**") || !strings.Contains(reply, "sure") || client.Sources(outcome) == nil {
		t.Errorf("got %q", reply)
	}
}

// What an instance left that is no more another one brings to its end.
func TestAnErrandThatWasLeft(t *testing.T) {
	_, at, b := site(t, "")
	first := bring(t, b.Client, "reading", "", api.Wish{About: "Sun hive"})
	owner := sha256.Sum256([]byte("token:test"))
	before, err := b.Store.Errands.Errand(t.Context(), uuid.MustParse(first.ID), owner)
	if err != nil {
		t.Fatal(err)
	}
	left := record.Errand{ID: uuid.Must(uuid.NewV7()), Conversation: before.Conversation, Visitor: owner,
		DeskID: before.DeskID, Kind: record.ByTopic, Source: at + "/w/api.php", Wanted: "Larch Hill", Most: 30,
		MadeAt: time.Now()}
	if err := b.Store.Errands.Begin(t.Context(), left, 424242); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "the errand is brought to its end", func() bool {
		e, err := b.Client.Errand(t.Context(), "reading", left.ID.String())
		return err == nil && e.State == "ready" && !e.Reading && e.Works[0].Name == "Larch Hill"
	})
}

// What no conversation rests on any more goes from the tray in time, and what one rests
// on stays.
func TestTheTrayIsCleared(t *testing.T) {
	_, _, b := site(t, "")
	kept := bring(t, b.Client, "reading", "", api.Wish{About: "Sun hive"})
	ask(t, b.Client, "reading", kept.Conversation, "Who designed it?")
	bring(t, b.Client, "reading", "", api.Wish{About: "Wax moth"}) // its conversation never begins
	gone, err := b.Store.Errands.Purge(t.Context(), time.Now().Add(time.Minute))
	if err != nil || gone != 1 {
		t.Errorf("%d went, %v", gone, err)
	}
	_, outcome, _ := ask(t, b.Client, "reading", kept.Conversation, "Where was it designed?")
	if s := client.Sources(outcome); s == nil || len(s.Passages) == 0 {
		t.Error("what is rested on went too")
	}
}
