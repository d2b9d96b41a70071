package e2e

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"fmt"
	"hash/crc32"
	"io"
	"mime/multipart"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/confined"
	"juvalogos/internal/testbed"
)

// attacked watches a service, and all that it started but the database, by the
// system's count while it is attacked.
type attacked struct {
	*process
	browser *http.Client
	last    *string // what was attached last: CONVERSATION/documents/ID
}

// during does something and returns how long it took and the most memory, in MB,
// that the service held meanwhile beyond what it held before.
func (a attacked) during(do func()) (took time.Duration, megabytes int64) {
	held := func() int64 { return confined.Resident(a.cmd.Process.Pid) }
	before, most := held(), int64(0)
	end := make(chan struct{})
	var watching sync.WaitGroup
	watching.Go(func() {
		for {
			select {
			case <-end:
				return
			case <-time.After(5 * time.Millisecond):
				most = max(most, held())
			}
		}
	})
	began := time.Now()
	do()
	took = time.Since(began)
	close(end)
	watching.Wait()
	return took, max(0, most-before) >> 20
}

// post sends a body as a visitor and returns the status and what was answered.
func (a attacked) post(path, contentType string, body []byte, headers ...string) (int, string) {
	request, err := http.NewRequest("POST", a.address+path, bytes.NewReader(body))
	if err != nil {
		a.t.Fatal(err)
	}
	request.Header.Set("Content-Type", contentType)
	for i := 0; i < len(headers); i += 2 {
		request.Header.Set(headers[i], headers[i+1])
	}
	response, err := a.browser.Do(request)
	if err != nil {
		return 0, err.Error() // it was cut off
	}
	defer response.Body.Close()
	text, _ := io.ReadAll(response.Body)
	return response.StatusCode, string(text)
}

// attach attaches a file and waits until it is read or refused; it returns what
// became of it.
func (a attacked) attach(name string, body []byte) string {
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	part, _ := w.CreateFormFile("file", name)
	_, _ = part.Write(body)
	w.Close()
	status, text := a.post("/api/at/reader/attachments", w.FormDataContentType(), form.Bytes())
	var added api.Attached
	if err := json.Unmarshal([]byte(text), &added); status != 202 || err != nil {
		a.t.Fatalf("%s: %d %s", name, status, text)
	}
	*a.last = fmt.Sprintf("%s/documents/%d", added.Conversation, added.Added[0].Document)
	if p := added.Added[0].Problem; p != "" {
		return p
	}
	for {
		response, err := a.browser.Get(a.address + "/api/at/reader/attachments?conversation=" + added.Conversation)
		if err != nil {
			a.t.Fatal(err)
		}
		var list api.AttachmentList
		err = json.NewDecoder(response.Body).Decode(&list)
		response.Body.Close()
		if err != nil || len(list.Documents) != 1 {
			a.t.Fatalf("%s: %+v %v", name, list, err)
		}
		if d := list.Documents[0]; d.State == "ready" || d.State == "failed" {
			return string(d.State) + " " + d.Problem
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// bigPNG is the head of a picture of so many dots each way, and next to nothing of
// the picture.
func bigPNG(size int) []byte {
	chunk := func(kind string, data []byte) []byte {
		all := append([]byte(kind), data...)
		head := []byte{byte(len(data) >> 24), byte(len(data) >> 16), byte(len(data) >> 8), byte(len(data))}
		sum := crc32.ChecksumIEEE(all)
		return append(append(head, all...), byte(sum>>24), byte(sum>>16), byte(sum>>8), byte(sum))
	}
	n := []byte{byte(size >> 24), byte(size >> 16), byte(size >> 8), byte(size)}
	png := []byte("\x89PNG\r\n\x1a\n")
	png = append(png, chunk("IHDR", append(append(n, n...), 8, 2, 0, 0, 0))...)
	return append(append(png, chunk("IDAT", []byte("x"))...), chunk("IEND", nil)...)
}

// hugePage is a PDF of less than a kilobyte with a page of 200 inches each way, and a
// few words on it.
const hugePage = "%PDF-1.4\n1 0 obj<</Type/Catalog/Pages 2 0 R>>endobj\n" +
	"2 0 obj<</Type/Pages/Kids[3 0 R]/Count 1>>endobj\n" +
	"3 0 obj<</Type/Page/Parent 2 0 R/MediaBox[0 0 14400 14400]/Contents 4 0 R" +
	"/Resources<</Font<</F<</Type/Font/Subtype/Type1/BaseFont/Helvetica>>>>>>>>endobj\n" +
	"4 0 obj<</Length 52>>stream\nBT /F 400 Tf 900 900 Td (The hive is open.) Tj ET    \nendstream endobj\n" +
	"trailer<</Root 1 0 R>>\n"

// draw has the first page of what was attached last drawn, and returns the status.
func (a attacked) draw() int {
	response, err := a.browser.Get(a.address + "/api/at/reader/shelves/attached-" + *a.last + "/pages/1.png")
	if err != nil {
		a.t.Fatal(err)
	}
	defer response.Body.Close()
	_, _ = io.Copy(io.Discard, response.Body)
	return response.StatusCode
}

// TestTheServiceIsAttacked attacks the program as it is run, as it was attacked
// before, and measures from outside: it stays small, answers soon, and goes on.
func TestTheServiceIsAttacked(t *testing.T) {
	t.Parallel()
	jar, _ := cookiejar.New(nil)
	a := attacked{startProcess(t), &http.Client{Jar: jar, Timeout: 5 * time.Minute}, new("")}
	if _, err := a.client.Publish(ctx, "reader.yaml", []byte("slug: reader\ntitle: Reader\npurpose: Reads.\n"+
		"model: thyme-mini\nattachments: true\n"), ""); err != nil {
		t.Fatal(err)
	}
	if _, err := a.client.Publish(ctx, "more.yaml", []byte(varyingDesk), ""); err != nil {
		t.Fatal(err)
	}
	a.attach("first.md", []byte("# First\n\nIt is read.")) // what is made once is made
	var bomb bytes.Buffer
	for body := make([]byte, 256<<20); bomb.Len() == 0 || bomb.Len() > 4096; body = bytes.Clone(bomb.Bytes()) {
		bomb.Reset()
		w := gzip.NewWriter(&bomb)
		_, _ = w.Write(body)
		w.Close()
	}
	token := "Bearer " + a.client.Token
	for _, attack := range []struct {
		name      string
		megabytes int64
		within    time.Duration
		do        func() (said string)
		says      string
	}{
		{"a packed body", 80, 60 * time.Second, func() string {
			status, _ := a.post("/api/session", "application/json", bomb.Bytes(), "Content-Encoding", "gzip, gzip")
			return fmt.Sprint(status)
		}, "415"},
		{"a body under another's limit", 120, 60 * time.Second, func() string {
			conn, err := net.Dial("tcp", strings.TrimPrefix(a.address, "http://"))
			if err != nil {
				t.Fatal(err)
			}
			defer conn.Close()
			_ = conn.SetDeadline(time.Now().Add(15 * time.Second))
			fmt.Fprintf(conn, "POST /api/session#/api/at/x/attachments HTTP/1.1\r\nHost: x\r\nContent-Type: "+
				"application/json\r\nContent-Length: %d\r\n\r\n", 600<<20)
			sent := 0
			for piece := make([]byte, 256<<10); sent < 600<<20; {
				n, err := conn.Write(piece)
				sent += n
				if err != nil {
					break
				}
			}
			return fmt.Sprint(sent < 64<<20)
		}, "true"},
		{"a huge page", 1300, 120 * time.Second, func() string {
			return a.attach("huge.pdf", []byte(hugePage)) + fmt.Sprint(a.draw())
		}, "ready 200"},
		{"a huge picture", 150, 60 * time.Second, func() string { return a.attach("huge.png", bigPNG(30_000)) },
			"failed it is too large a picture"},
		{"20,000 unknown keys", 200, 60 * time.Second, func() string {
			var file strings.Builder
			for i := range 20_000 {
				fmt.Fprintf(&file, "key%d: 1\n", i)
			}
			status, _ := a.post("/api/desks/check", "application/yaml", []byte(file.String()), "Authorization", token)
			return fmt.Sprint(status)
		}, "422"},
		{"unfinished links", 1400, 120 * time.Second, func() string {
			quick := make(chan string)
			go func() {
				other := attacked{a.process, &http.Client{Timeout: time.Minute}, new("")}
				jar, _ := cookiejar.New(nil)
				other.browser.Jar = jar
				began := time.Now()
				quick <- fmt.Sprint(other.attach("other.md", []byte("# Other\n\nMine.")),
					time.Since(began) < 45*time.Second)
			}()
			first := a.attach("links.md", bytes.Repeat([]byte("[a](b"), 976_000/5))
			return <-quick + " " + first
		}, "ready true failed it could not be read"},
		{"a template that doubles", 300, 60 * time.Second, func() string {
			brief := "{{$x := printf \"%1000s\" \"x\"}}"
			for range 20 {
				brief += "{{$x = printf \"%s%s\" $x $x}}"
			}
			return recipeWith(a, token, brief+"{{$x}}{{$x}}{{$x}}{{$x}}{{$x}}{{$x}}{{$x}}{{$x}}")
		}, "step-failed"},
		{"a loop that never ends", 200, 120 * time.Second, func() string {
			return recipeWith(a, token, "{{range 1000000000000}}{{end}}")
		}, "step-failed"},
		{"pictures of 600 MB at once", 600, 180 * time.Second, func() string { return manyPictures(a, 16, 38<<20) },
			"16 refused"},
	} {
		var said string
		took, megabytes := a.during(func() { said = attack.do() })
		t.Logf("%s: %v, %d MB, %.80s", attack.name, took.Round(time.Millisecond), megabytes, said)
		if !strings.Contains(said, attack.says) {
			t.Errorf("%s: %s", attack.name, said)
		}
		if took > attack.within || megabytes > attack.megabytes {
			t.Errorf("%s took %v and %d MB", attack.name, took, megabytes)
		}
		if _, err := a.client.Desks(ctx); err != nil {
			t.Fatalf("after %s: %v", attack.name, err)
		}
	}
}

// manyPictures has many visitors give a large picture at once, and says how many were
// refused.
func manyPictures(a attacked, visitors, size int) string {
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	part, _ := w.CreateFormFile("file", "broken.png")
	_, _ = part.Write(append(bigPNG(90), make([]byte, size)...))
	w.Close()
	var refused atomic.Int64
	var all sync.WaitGroup
	for range visitors {
		all.Go(func() {
			jar, _ := cookiejar.New(nil)
			one := attacked{a.process, &http.Client{Jar: jar, Timeout: 5 * time.Minute}, new("")}
			status, text := one.post("/api/at/more/pictures", w.FormDataContentType(), form.Bytes())
			var given api.PicturesGiven
			if json.Unmarshal([]byte(text), &given) == nil && status == 201 && len(given.Refused) == 1 {
				refused.Add(1)
			}
		})
	}
	all.Wait()
	return fmt.Sprint(refused.Load(), " refused")
}

// recipeWith asks at a desk whose recipe composes its prompt with a template, and
// returns what became of it.
func recipeWith(a attacked, token, template string) string {
	recipe := fmt.Sprintf("recipe: wild\nabout: It is wild.\ninputs:\n  - {name: question, type: text}\nsteps:\n"+
		"  - name: ask\n    do: compose\n    from: {topic: question}\n    set: {user: %q}\n"+
		"  - name: answer\n    do: generate\n    from: {prompt: ask.prompt}\nreply: answer.text\n", template)
	file := fmt.Sprintf("slug: wild\ntitle: Wild\npurpose: It is.\nmodel: thyme-mini\nrecipe: wild.recipe.yaml\n"+
		"own_recipe: %q\n", recipe)
	if status, text := a.post("/api/desks", "application/yaml", []byte(file), "Authorization", token); status > 201 {
		return text
	}
	_, text := a.post("/api/at/wild/questions", "application/json", []byte(`{"question":"How?"}`), "Accept",
		"application/json", "Authorization", token)
	return text
}

// TestAModelThatNeverEnds has the program ask a server that says words for ever, and
// one that says nothing for ever but shows signs of life.
func TestAModelThatNeverEnds(t *testing.T) {
	t.Parallel()
	said := make(chan int64, 1)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !strings.HasSuffix(r.URL.Path, "/chat/completions") {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Content-Type", "text/event-stream")
		line := "data: {\"choices\":[{\"delta\":{\"content\":\"" + strings.Repeat("word ", 2000) + "\"}}]}\n\n"
		var all int64
		for r.Context().Err() == nil && all < 20<<30 {
			n, err := io.WriteString(w, line)
			all += int64(n)
			if err != nil {
				break
			}
		}
		select {
		case said <- all:
		default:
		}
	}))
	defer server.Close()
	a := attacked{startProcess(t), &http.Client{Timeout: time.Minute}, nil}
	connections := filepath.Join(a.data, "connections.yaml")
	if err := os.WriteFile(connections, []byte("connections:\n  - name: shed\n    address: "+server.URL+
		"/v1\n    key: env:E2E_KEY\n    models:\n      - {name: thyme-mini, context: 4096}\n"), 0o644); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "the connection is taken up", func() bool {
		models, err := a.client.Models(ctx)
		return err == nil && len(models) == 1 && strings.Contains(a.out.String()+fmt.Sprint(models), "thyme-mini")
	})
	time.Sleep(3 * time.Second) // desks that are open follow within a second
	var text string
	took, megabytes := a.during(func() {
		_, text = a.post("/api/at/helper/questions", "application/json", []byte(`{"question":"How?"}`), "Accept",
			"application/json")
	})
	t.Logf("%v, %d MB, a reply of %d bytes, of %d MB that were sent", took.Round(time.Millisecond), megabytes,
		len(text), <-said>>20)
	if took > 90*time.Second || megabytes > 200 || len(text) < 10_000 || len(text) > 3<<20 {
		t.Errorf("%v, %d MB, a reply of %d bytes: %.200s", took, megabytes, len(text), text)
	}
}
