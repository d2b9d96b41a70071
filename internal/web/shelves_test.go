package web_test

import (
	"bytes"
	"fmt"
	"io"
	"mime/multipart"
	"net/http"
	"strings"
	"testing"

	"juvalogos/internal/testbed"
)

// slow gives its bytes out in pieces, as a file that arrives.
type slow struct{ left int }

func (s *slow) Read(p []byte) (int, error) {
	if s.left == 0 {
		return 0, io.EOF
	}
	n := min(len(p), s.left, 1<<16)
	copy(p, bytes.Repeat([]byte("honey and wax. "), n/15+1))
	s.left -= n
	return n, nil
}

func TestFilesAreTakenInWhileTheyArrive(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	token := "Bearer " + testbed.Token
	if r, text := call(t, http.DefaultClient, "POST", b.Address+"/api/shelves",
		`{"shelf":"handbook","title":"The handbook"}`, "Authorization", token); r.StatusCode != 201 ||
		!strings.Contains(text, `"title":"The handbook"`) {
		t.Fatalf("%d %s", r.StatusCode, text)
	}
	body, w := io.Pipe()
	form := multipart.NewWriter(w)
	const large = 9 << 20 // more than any other body may have
	go func() {
		part, _ := form.CreateFormFile("file", "../../large.txt")
		_, _ = io.Copy(part, &slow{large})
		part, _ = form.CreateFormFile("file", "small.md")
		_, _ = io.WriteString(part, "# Wasps\n\nMake the entrance narrow.")
		form.Close()
		w.Close()
	}()
	request, _ := http.NewRequest("POST", b.Address+"/api/shelves/handbook/documents", body)
	request.Header.Set("Content-Type", form.FormDataContentType())
	request.Header.Set("Authorization", token)
	r, err := http.DefaultClient.Do(request)
	if err != nil {
		t.Fatal(err)
	}
	text, _ := io.ReadAll(r.Body)
	r.Body.Close()
	if r.StatusCode != 202 || !strings.Contains(string(text), `"name":"large.txt"`) ||
		!strings.Contains(string(text), `"name":"small.md"`) {
		t.Fatalf("%d %s", r.StatusCode, text)
	}
	var small int64
	testbed.Until(t, "they are read", func() bool {
		documents, err := b.Client.ShelfDocuments(t.Context(), "handbook")
		if err != nil {
			t.Fatal(err)
		}
		done := len(documents) == 2
		for _, d := range documents {
			done = done && d.State == "ready"
			if d.Name == "small.md" {
				small = d.ID
			} else if d.Size != large {
				t.Fatalf("%d bytes arrived", d.Size)
			}
		}
		return done
	})
	get := func(path string, headers ...string) (int, string, http.Header) {
		r, text := call(t, visitor(t), "GET", b.Address+path, "", headers...)
		return r.StatusCode, text, r.Header
	}
	path := fmt.Sprintf("/shelves/handbook/documents/%d", small)
	if code, text, _ := get("/api"+path+"/passages", "Authorization", token); code != 200 ||
		!strings.Contains(text, "Make the entrance narrow.") {
		t.Errorf("%d %s", code, text)
	}
	code, text2, header := get("/api"+path+"/original", "Authorization", token)
	if code != 200 || text2 != "# Wasps\n\nMake the entrance narrow." ||
		!strings.Contains(header.Get("Content-Disposition"), "small.md") ||
		header.Get("Content-Type") != "application/octet-stream" {
		t.Errorf("%d %q %v", code, text2, header)
	}
	// Visitors see it only at a desk that answers from it, and not who added it.
	if code, _, _ := get("/api" + path + "/text"); code != 401 {
		t.Errorf("without a token: %d", code)
	}
	if code, _, _ := get("/api/at/helper" + path + "/text"); code != 404 {
		t.Errorf("at another desk: %d", code)
	}
	if _, err := b.Client.Publish(t.Context(), "lib.yaml", []byte("slug: lib\ntitle: Library\npurpose: Tests.\n"+
		"model: thyme-mini\nshelves: [handbook]\n"), ""); err != nil {
		t.Fatal(err)
	}
	if code, text, _ := get("/api/at/lib" + path + "/text"); code != 200 ||
		!strings.Contains(text, `"blocks":[{"kind":"heading"`) || strings.Contains(text, `"added_by":"test"`) {
		t.Errorf("%d %s", code, text)
	}
	// The search and the map.
	if r, text := call(t, http.DefaultClient, "POST", b.Address+"/api/shelves/handbook/search",
		`{"query":"wasps at the entrance","limit":3}`, "Authorization", token); r.StatusCode != 200 ||
		!strings.Contains(text, `"title":"Wasps"`) || !strings.Contains(text, `"place":"line 3"`) {
		t.Errorf("%d %s", r.StatusCode, text)
	}
	for body, want := range map[string]int{`{"query":""}`: 422, `{"query":"x","limit":1000}`: 422, `nonsense`: 422} {
		if r, _ := call(t, http.DefaultClient, "POST", b.Address+"/api/shelves/handbook/search", body, "Authorization",
			token); r.StatusCode != want {
			t.Errorf("%s: %d", body, r.StatusCode)
		}
	}
	if code, text, _ := get("/api/shelves/handbook/map?query=wasps", "Authorization", token); code != 200 ||
		!strings.Contains(text, `"asked":`) {
		t.Errorf("%d %s", code, text)
	}
	if code, text, _ := get("/api/shelves/nowhere", "Authorization", token); code != 404 ||
		!strings.Contains(text, `There is no shelf \"nowhere\".`) {
		t.Errorf("%d %s", code, text)
	}
	if r, _ := call(t, http.DefaultClient, "POST", b.Address+"/api/shelves/handbook/documents", "no form",
		"Authorization", token); r.StatusCode != 422 {
		t.Errorf("no form: %d", r.StatusCode)
	}
}

// Where the desk says so visitors read the passages that replies rest on, and no whole
// documents; makers see on the shelf who reads what.
func TestVisitorsReadPassagesOnly(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	token := "Bearer " + testbed.Token
	do := func(method, path, body string, more ...string) (*http.Response, string) {
		return call(t, &http.Client{}, method, b.Address+path, body, append(more, "Authorization", token)...)
	}
	do("POST", "/api/shelves", `{"shelf":"handbook","title":"The handbook"}`)
	added, err := b.Client.AddDocument(ctx, "handbook", "minutes.md",
		strings.NewReader("# Lending\n\nThe extractor is "+
			"lent for three days.\n\n# Secrets\n\nThe treasure lies under the old mill."))
	if err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "it is read", func() bool {
		f, err := b.Client.Shelf(ctx, "handbook")
		return err == nil && f.Waiting == 0 && f.Passages > 0
	})
	for slug, more := range map[string]string{"open": "", "closed": "readable: passages\n"} {
		if _,
			err := b.Client.Publish(ctx, slug+".yaml",
			[]byte("slug: "+slug+"\ntitle: "+slug+"\npurpose: Reads.\nmodel: "+
				"thyme-mini\nshelves: [handbook]\n"+more), ""); err != nil {
			t.Fatal(err)
		}
	}
	for _, part := range []string{"text", "original"} {
		document := fmt.Sprintf("/shelves/handbook/documents/%d/%s", added[0].Document, part)
		if r, text := call(t, visitor(t), "GET", b.Address+"/api/at/open"+document, ""); r.StatusCode != 200 ||
			!strings.Contains(text, "treasure") {
			t.Errorf("%s, open: %d %s", part, r.StatusCode, text)
		}
		if r, text := call(t, visitor(t), "GET", b.Address+"/api/at/closed"+document, ""); r.StatusCode != 403 ||
			strings.Contains(text, "treasure") {
			t.Errorf("%s, passages only: %d %s", part, r.StatusCode, text)
		}
	}
	if _, text := do("GET", "/api/shelves/handbook", ""); !strings.Contains(text,
		`{"desk":"closed","passages_only":true,"title":"closed"},{"desk":"open","passages_only":false,"title":"open"}`) {
		t.Errorf("who reads: %s", text)
	}
}
