package shelf_test

import (
	"net/http/httptest"
	"strings"
	"testing"

	"juvalogos/internal/testbed"
	"juvalogos/standin/referencesite"
)

func TestArticlesAndPapersFromAReferenceSite(t *testing.T) {
	server := httptest.NewServer(referencesite.Handler("/reference"))
	t.Cleanup(server.Close)
	site := server.URL + "/reference/"
	b := testbed.New(t, testbed.Options{FetchPrivate: true})
	if _, err := b.Client.MakeShelf(t.Context(), "reference", "Reference"); err != nil {
		t.Fatal(err)
	}
	// An article is kept under its canonical title, by whatever name and from
	// whatever address it was asked for.
	for i, asked := range []struct{ address, topic string }{
		{site, "Ling honey"}, {site, "Heather honey"}, {site + "w/api.php", "bell honey"},
		{site + "wiki/Wax_moth", "thixotropic jelly"},
	} {
		added, err := b.Client.AddTopic(t.Context(), "reference", asked.address, asked.topic)
		if err != nil || len(added) != 1 || added[0].Name != "Heather honey.html" || added[0].Problem != "" ||
			added[0].Fresh != (i == 0) {
			t.Errorf("%+v: %+v, %v", asked, added, err)
		}
	}
	if added, err := b.Client.AddTopic(t.Context(), "reference", site, "Zeppelins"); err != nil || len(added) != 1 ||
		added[0].Problem == "" {
		t.Errorf("an unknown topic: %+v, %v", added, err)
	}
	// Papers come with their PDFs and with what is known of them.
	added, err := b.Client.AddPapers(t.Context(), "reference", site, "heather colonies", 2)
	if err != nil || len(added) != 4 || !strings.HasSuffix(added[0].Name, ".pdf") ||
		!strings.HasSuffix(added[1].Name, ".about.md") {
		t.Fatalf("%+v, %v", added, err)
	}
	if again, err := b.Client.AddPapers(t.Context(), "reference", server.URL+
		"/reference/search?q={searchTerms}&n={count}&p={startPage?}", "heather colonies", 2); err != nil ||
		len(again) != 4 || again[0].Fresh {
		t.Errorf("the same papers again: %+v, %v", again, err)
	}
	testbed.Until(t, "all is read", func() bool {
		s, err := b.Client.Shelf(t.Context(), "reference")
		if err != nil {
			t.Fatal(err)
		}
		return s.Documents == 5 && s.Waiting == 0 && s.Failed == 0
	})
	for question, title := range map[string]string{
		"how much water may heather honey hold": "Heather honey",
		"how fast is a second of waggling":      "How far do bees fly for heather? Waggle dances on the moor",
	} {
		found, err := b.Client.SearchShelf(t.Context(), "reference", question, 3)
		if err != nil || len(found.Hits) == 0 || found.Hits[0].Title != title {
			t.Errorf("%s: %+v, %v", question, found, err)
		}
	}
	// What is not such a site says so.
	for _, wrong := range []struct{ address, topic, search, want string }{
		{server.URL + "/reference/talk.vtt", "x", "", "does not answer as an encyclopedia"},
		{server.URL + "/reference/talk.vtt", "", "x", "no OpenSearch description"},
		{server.URL + "/nothing", "x", "", "404"},
		{"nowhere", "x", "", "is no address"},
		{server.URL + "/reference/w/api.php?q={searchTerms}", "", "x", "does not answer with Atom"},
	} {
		if wrong.topic != "" {
			_, err = b.Client.AddTopic(t.Context(), "reference", wrong.address, wrong.topic)
		} else {
			_, err = b.Client.AddPapers(t.Context(), "reference", wrong.address, wrong.search, 5)
		}
		if err == nil || !strings.Contains(err.Error(), wrong.want) {
			t.Errorf("%+v: %v", wrong, err)
		}
	}
	// Addresses of this machine are refused unless that was allowed.
	shut := testbed.New(t, testbed.Options{})
	if _, err := shut.Client.MakeShelf(t.Context(), "reference", "Reference"); err != nil {
		t.Fatal(err)
	}
	if _, err := shut.Client.AddTopic(t.Context(), "reference", site, "Ling honey"); err == nil ||
		!strings.Contains(err.Error(), "private network") {
		t.Errorf("a private address: %v", err)
	}
}
