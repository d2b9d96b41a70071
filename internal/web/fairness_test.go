package web_test

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/netip"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"juvalogos/internal/limits"
	"juvalogos/internal/models"
	"juvalogos/internal/testbed"
)

// oneAtOnce makes the test bed's connection answer one question after the other.
func oneAtOnce(b *testbed.Bed) {
	file, _ := b.Connections.Models.Connections()
	file[0].AtOnce = 1
	b.Connections.Models.Replace(models.File{Connections: file})
}

// flood asks n questions with one cookie, each in a conversation of its own, and
// returns when all are in line or refused; statuses are how they were answered.
func flood(t *testing.T, b *testbed.Bed, n int, headers ...string) (statuses map[int]int, last *http.Response) {
	t.Helper()
	browser := visitor(t)
	call(t, browser, "GET", b.Address+"/api/at/helper/conversations", "", headers...) // the cookie
	statuses = map[int]int{}
	for i := range n {
		request, err := http.NewRequestWithContext(t.Context(), "POST", b.Address+"/api/at/helper/questions",
			strings.NewReader(fmt.Sprintf(`{"question":"How do I light a smoker, time %d?"}`, i)))
		if err != nil {
			t.Fatal(err)
		}
		request.Header.Set("Content-Type", "application/json")
		for h := 0; h < len(headers); h += 2 {
			request.Header.Set(headers[h], headers[h+1])
		}
		response, err := browser.Do(request) // the stream stays open
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { response.Body.Close() })
		statuses[response.StatusCode]++
		last = response
	}
	return statuses, last
}

// One cookie asks 300 questions; the next visitor is served second.
func TestTheSecondVisitorIsServedSecond(t *testing.T) {
	b := testbed.New(t, testbed.Options{Patience: time.Minute})
	b.Model.Set(testbed.Slow)
	oneAtOnce(b)
	statuses, _ := flood(t, b, 300)
	if statuses[200] != 300 {
		t.Fatalf("the flood: %v", statuses)
	}
	request, _ := http.NewRequest("POST", b.Address+"/api/at/helper/questions",
		strings.NewReader(`{"question":"How do I light a smoker?"}`))
	request.Header.Set("Content-Type", "application/json")
	response, err := visitor(t).Do(request)
	if err != nil {
		t.Fatal(err)
	}
	defer response.Body.Close()
	began := time.Now()
	lines := bufio.NewScanner(response.Body)
	place := 0
	for lines.Scan() {
		data, is := strings.CutPrefix(lines.Text(), "data: ")
		var e struct {
			Kind, Text string
			Place      int
		}
		if !is || json.Unmarshal([]byte(data), &e) != nil {
			continue
		}
		if e.Kind == "in-line" && place == 0 {
			place = e.Place
			b.Model.Set(testbed.Fast)
		}
		if e.Text != "" {
			break
		}
	}
	if place != 1 {
		t.Errorf("it stood at place %d", place)
	}
	t.Logf("served after %v", time.Since(began))
}

// With the usual limits a flood is refused: told when to try again, and shown to
// makers; another visitor asks as if nothing were.
func TestAFloodIsRefused(t *testing.T) {
	b := testbed.New(t, testbed.Options{Limits: limits.Defaults, Patience: time.Minute})
	b.Model.Set(testbed.Slow)
	statuses, last := flood(t, b, 30)
	if statuses[200] != 4 || statuses[429] != 26 { // four are being written
		t.Errorf("%v", statuses)
	}
	if seconds, err := strconv.Atoi(last.Header.Get("Retry-After")); err != nil || seconds < 1 || seconds > 60 {
		t.Errorf("try again: %q", last.Header.Get("Retry-After"))
	}
	b.Model.Set(testbed.Fast)
	if r, text := call(t, visitor(t), "POST", b.Address+"/api/at/helper/questions",
		`{"question":"How do I light a smoker?"}`, "Accept", "application/json"); r.StatusCode != 200 {
		t.Errorf("another visitor: %d %s", r.StatusCode, text)
	}
	got, err := b.Client.Limits(ctx)
	if err != nil || len(got.Limits) != len(limits.Defaults) || len(got.Refusals) != 1 ||
		got.Refusals[0].Times != 26 || got.Refusals[0].Parties != 1 || got.Refusals[0].Desk != "helper" {
		t.Errorf("makers see %+v, %v", got.Refusals, err)
	}
}

// Whoever asks without a cookie is a newcomer each time; the address counts.
func TestNoCookieIsNoWayRoundLimits(t *testing.T) {
	few, err := limits.Parse("questions.address=5/1m")
	if err != nil {
		t.Fatal(err)
	}
	b := testbed.New(t, testbed.Options{Limits: few})
	statuses := map[int]int{}
	for range 12 {
		r, _ := call(t, &http.Client{}, "POST", b.Address+"/api/at/helper/questions",
			`{"question":"How do I light a smoker?"}`, "Accept", "application/json")
		statuses[r.StatusCode]++
	}
	if statuses[200] != 5 || statuses[429] != 7 {
		t.Errorf("%v", statuses)
	}
}

// What headers say of where a request comes from is believed of named proxies
// alone, and of those only what lies before the last one that is not.
func TestAddressesBehindProxies(t *testing.T) {
	few, err := limits.Parse("questions.address=1/10m")
	if err != nil {
		t.Fatal(err)
	}
	ask := func(b *testbed.Bed, headers ...string) int {
		r, _ := call(t, &http.Client{}, "POST", b.Address+"/api/at/helper/questions",
			`{"question":"How do I light a smoker?"}`, append(headers, "Accept", "application/json")...)
		return r.StatusCode
	}
	open := testbed.New(t, testbed.Options{Limits: few})
	if a, b := ask(open, "X-Forwarded-For", "192.0.2.1"), ask(open, "X-Forwarded-For", "192.0.2.2"); a != 200 ||
		b != 429 {
		t.Errorf("a header of a stranger's is believed: %d %d", a, b)
	}
	behind := testbed.New(t, testbed.Options{Limits: few, Proxies: []netip.Prefix{
		netip.MustParsePrefix("127.0.0.0/8"), netip.MustParsePrefix("10.0.0.0/8")}})
	for i, c := range []struct {
		name, value string
		status      int
	}{
		{"X-Forwarded-For", "192.0.2.1", 200},
		{"X-Forwarded-For", "192.0.2.1", 429},
		{"X-Forwarded-For", "192.0.2.2", 200},
		{"X-Forwarded-For", "192.0.2.99, 192.0.2.2", 429}, // what its own client made up
		{"X-Forwarded-For", "192.0.2.2, 10.1.2.3", 429},   // a proxy behind a proxy
		{"Forwarded", `for=192.0.2.3;proto=https`, 200},
		{"Forwarded", `for="192.0.2.3:8080", for=10.0.0.1`, 429},
		{"Forwarded", `for="[2001:db8::1]:4711"`, 200},
		{"Forwarded", `For="[2001:db8::1]"`, 429},
		{"Forwarded", `for=unknown, for=192.0.2.4`, 200},
	} {
		if got := ask(behind, c.name, c.value); got != c.status {
			t.Errorf("%d: %s: %s: %d, not %d", i, c.name, c.value, got, c.status)
		}
	}
}

// Over https cookies carry the prefix that keeps others from setting them, and the
// browser is told to come by https only.
func TestCookiesOverHTTPS(t *testing.T) {
	for base, prefix := range map[string]string{"": "__Host-", "/ask": "__Secure-"} {
		b := testbed.New(t,
			testbed.Options{BasePath: base, Proxies: []netip.Prefix{netip.MustParsePrefix("127.0.0.1/32")}})
		r, _ := call(t, &http.Client{}, "GET", b.Address+"/api/at/helper/conversations", "", "X-Forwarded-Proto",
			"https")
		cookie := r.Header.Get("Set-Cookie")
		if !strings.HasPrefix(cookie, prefix+"juvalogos_visitor=") ||
			!strings.Contains(strings.ToLower(cookie), "secure") ||
			!strings.Contains(strings.ToLower(cookie), "path="+base+"/;") ||
			strings.Contains(strings.ToLower(cookie), "domain=") {
			t.Errorf("%q: %s", base, cookie)
		}
		if hsts := r.Header.Get("Strict-Transport-Security"); hsts == "" {
			t.Error("no HSTS over https")
		}
		r, _ = call(t, &http.Client{}, "GET", b.Address+"/api/at/helper/conversations", "")
		if cookie := r.Header.Get("Set-Cookie"); !strings.HasPrefix(cookie, "juvalogos_visitor=") ||
			r.Header.Get("Strict-Transport-Security") != "" {
			t.Errorf("over http: %s", cookie)
		}
		// The unprefixed one, which a neighbouring host can set, is not taken.
		mine, _, _ := strings.Cut(cookie, ";")
		_, value, _ := strings.Cut(mine, "=")
		r, _ = call(t, &http.Client{}, "GET", b.Address+"/api/at/helper/conversations", "", "X-Forwarded-Proto",
			"https",
			"Cookie", "juvalogos_visitor="+value)
		if r.Header.Get("Set-Cookie") == "" {
			t.Error("a cookie without the prefix is taken over https")
		}
	}
}

// A visitor's cookie is ours or not taken; one that an earlier version gave, and
// under which there is something, goes on.
func TestOnlyOurCookiesAreTaken(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	list := func(cookie string) (fresh string, body string) {
		r, body := call(t, &http.Client{}, "GET", b.Address+"/api/at/helper/conversations", "", "Cookie",
			"juvalogos_visitor="+cookie)
		fresh, _, _ = strings.Cut(r.Header.Get("Set-Cookie"), ";")
		return strings.TrimPrefix(fresh, "juvalogos_visitor="), body
	}
	for _, made := range []string{"aaaaaaaaaaaaaaaaaaaaaaaaaa", "AAAAAAAAAAAAAAAAAAAAAAAAAA.AAAA", "x", ".", ""} {
		if fresh, _ := list(made); fresh == "" {
			t.Errorf("%q is taken", made)
		}
	}
	ours, _ := list("")
	if again, _ := list(ours); again != "" {
		t.Errorf("our own %q is not taken", ours)
	}
	secret, _, _ := strings.Cut(ours, ".")
	call(t, &http.Client{}, "POST", b.Address+"/api/at/helper/questions", `{"question":"How do I light a smoker?"}`,
		"Cookie", "juvalogos_visitor="+ours, "Accept", "application/json")
	marked, body := list(secret) // as it was before cookies were marked
	if marked != ours || !strings.Contains(body, "How do I light a smoker?") {
		t.Errorf("an earlier cookie: %q, %s", marked, body)
	}
}

// Uploads: so many at once, by a visitor and in all.
func TestUploadsAtOnce(t *testing.T) {
	few, err := limits.Parse("uploads-at-once.visitor=2")
	if err != nil {
		t.Fatal(err)
	}
	b := testbed.New(t, testbed.Options{Limits: few})
	if _, err := b.Client.Publish(ctx, "reader.yaml", []byte("slug: reader\ntitle: Reader\npurpose: Reads.\n"+
		"model: thyme-mini\nattachments: true\n"), ""); err != nil {
		t.Fatal(err)
	}
	browser := visitor(t)
	call(t, browser, "GET", b.Address+"/api/at/reader/conversations", "")
	end := make(chan struct{})
	var mu sync.Mutex
	var statuses []int
	var all sync.WaitGroup
	for range 5 {
		all.Go(func() {
			request, _ := http.NewRequest("POST", b.Address+"/api/at/reader/attachments", &held{until: end})
			request.Header.Set("Content-Type", "multipart/form-data; boundary=x")
			response, err := browser.Do(request)
			if err != nil {
				return // refused before its body was read
			}
			response.Body.Close()
			mu.Lock()
			statuses = append(statuses, response.StatusCode)
			mu.Unlock()
		})
	}
	deadline := time.Now().Add(10 * time.Second)
	for refusals := 0; refusals < 3 && time.Now().Before(deadline); time.Sleep(20 * time.Millisecond) {
		got, err := b.Client.Limits(ctx)
		if err != nil {
			t.Fatal(err)
		}
		refusals = 0
		for _, r := range got.Refusals {
			refusals += r.Times
		}
	}
	close(end)
	all.Wait()
	slices.Sort(statuses)
	if n := len(statuses); n < 2 || statuses[0] != 202 || statuses[1] != 202 || n > 2 && statuses[2] != 429 {
		t.Errorf("%v", statuses)
	}
}

// held is a form whose end comes only when it may.
type held struct {
	until chan struct{}
	sent  int
}

func (h *held) Read(into []byte) (int, error) {
	h.sent++
	switch h.sent {
	case 1:
		return copy(into, "--x\r\nContent-Disposition: form-data; name=f; filename=a.md\r\n\r\n# A"), nil
	case 2:
		<-h.until
		return copy(into, "\r\n--x--\r\n"), nil
	}
	return 0, io.EOF
}

// A reply is followed by so many streams of a visitor at once; those that end make room.
func TestStreamsAtOnce(t *testing.T) {
	few, err := limits.Parse("streams.visitor=3")
	if err != nil {
		t.Fatal(err)
	}
	b := testbed.New(t, testbed.Options{Limits: few})
	b.Model.Set(testbed.Slow)
	browser := visitor(t)
	call(t, browser, "GET", b.Address+"/api/at/helper/conversations", "")
	open := func(path, body string) *http.Response {
		method := "GET"
		if body != "" {
			method = "POST"
		}
		request, _ := http.NewRequestWithContext(t.Context(), method, b.Address+path, strings.NewReader(body))
		request.Header.Set("Content-Type", "application/json")
		response, err := browser.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		t.Cleanup(func() { response.Body.Close() })
		return response
	}
	first := open("/api/at/helper/questions", `{"question":"How do I light a smoker?"}`)
	lines := bufio.NewScanner(first.Body)
	var begun struct{ Turn string }
	for begun.Turn == "" && lines.Scan() {
		if data, is := strings.CutPrefix(lines.Text(), "data: "); is {
			_ = json.Unmarshal([]byte(data), &begun)
		}
	}
	var streams []*http.Response
	for range 5 {
		streams = append(streams, open("/api/turns/"+begun.Turn+"/events", ""))
	}
	if got := []int{streams[2].StatusCode, streams[3].StatusCode, streams[4].StatusCode}; !slices.Equal(got,
		[]int{200, 429, 429}) {
		t.Errorf("%v", got)
	}
	streams[0].Body.Close()
	testbed.Until(t, "there is room again", func() bool {
		return open("/api/turns/"+begun.Turn+"/events", "").StatusCode == 200
	})
}
