package web_test

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"testing"
	"time"

	"juvalogos/internal/testbed"
)

// bomb is so many zeros, packed twice.
func bomb(t *testing.T, size int) []byte {
	t.Helper()
	pack := func(body []byte) []byte {
		var b bytes.Buffer
		w := gzip.NewWriter(&b)
		if _, err := w.Write(body); err != nil || w.Close() != nil {
			t.Fatal(err)
		}
		return b.Bytes()
	}
	return pack(pack(make([]byte, size)))
}

// What is packed is not unpacked, however often and whatever it is called.
func TestPackedBodiesAreRefused(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	body := bomb(t, 256<<20)
	if len(body) > 4096 {
		t.Fatalf("the bomb has %d bytes", len(body))
	}
	var before, after runtime.MemStats
	runtime.ReadMemStats(&before)
	for _, codings := range [][]string{{"gzip, gzip"}, {"gzip"}, {"identity", "gzip"}, {"GZIP"}, {" br"}, {"deflate"},
		{"zstd"}, {"x"}} {
		for _, path := range []string{"/api/session", "/api/at/helper/questions", "/api/shelves/x/documents",
			"/api/at/helper/attachments", "/v1/chat/completions", "/nowhere"} {
			request, err := http.NewRequest("POST", b.Address+path, bytes.NewReader(body))
			if err != nil {
				t.Fatal(err)
			}
			request.Header["Content-Encoding"] = codings
			request.Header.Set("Content-Type", "application/json")
			response, err := http.DefaultClient.Do(request)
			if err != nil {
				t.Fatalf("%s with %q: %v", path, codings, err)
			}
			text, _ := io.ReadAll(response.Body)
			response.Body.Close()
			if response.StatusCode != http.StatusUnsupportedMediaType || !strings.Contains(string(text), "as it is") {
				t.Errorf("%s with %q: %d %s", path, codings, response.StatusCode, text)
			}
		}
	}
	runtime.ReadMemStats(&after)
	if took := (after.TotalAlloc - before.TotalAlloc) >> 20; took > 64 {
		t.Errorf("%d MB were taken", took)
	}
}

// Which limit a body has is not decided by what an address looks like: nothing is
// read before the router has found whose it is.
func TestAddressesDoNotLiftLimits(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	for _, target := range []string{"/api/session#/api/at/x/attachments", "/api/session?/api/at/x/attachments",
		"/api/session/../session#/api/shelves/x/documents", "/nowhere/api/at/x/attachments",
		"/api/at/x/questions?a=/attachments", "/api/at/x/attachments", "/api/shelves/handbook/documents"} {
		conn, err := net.Dial("tcp", strings.TrimPrefix(b.Address, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		_ = conn.SetDeadline(time.Now().Add(30 * time.Second))
		const announced = 600 << 20
		fmt.Fprintf(conn, "POST %s HTTP/1.1\r\nHost: x\r\nContent-Type: application/json\r\nContent-Length: %d\r\n\r\n",
			target, announced)
		sent, piece := 0, make([]byte, 256<<10)
		for sent < announced {
			n, err := conn.Write(piece)
			sent += n
			if err != nil {
				break
			}
		}
		conn.Close()
		if sent > 48<<20 { // what lies in the buffers of both ends counts too
			t.Errorf("%s: %d MB were taken", target, sent>>20)
		}
	}
}

// What a handler does not read of a body is not taken for another request.
func TestLeftoversAreNoRequests(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	hidden := "GET /healthz HTTP/1.1\r\nHost: x\r\n\r\n"
	for _, head := range []string{"POST /nowhere HTTP/1.1", "POST /api/at/helper/attachments HTTP/1.1",
		"PUT /at/helper HTTP/1.1", "POST /api/session HTTP/1.1"} {
		conn, err := net.Dial("tcp", strings.TrimPrefix(b.Address, "http://"))
		if err != nil {
			t.Fatal(err)
		}
		_ = conn.SetDeadline(time.Now().Add(10 * time.Second))
		fmt.Fprintf(conn, "%s\r\nHost: x\r\nContent-Type: text/plain\r\nContent-Length: %d\r\n\r\n%s", head, 20_000+
			len(hidden),
			strings.Repeat("x", 20_000)+hidden)
		r := bufio.NewReader(conn)
		answers := 0
		for {
			response, err := http.ReadResponse(r, nil)
			if err != nil {
				break
			}
			_, _ = io.Copy(io.Discard, response.Body)
			answers++
			if response.StatusCode < 400 {
				t.Errorf("%s: an answer of %d", head, response.StatusCode)
			}
			_ = conn.SetDeadline(time.Now().Add(time.Second))
		}
		conn.Close()
		if answers != 1 {
			t.Errorf("%s: %d answers", head, answers)
		}
	}
}

// Handlers have bodies by bodyOf and eachFile alone; the framework's own ways
// unpack them and know no bound.
func TestBodiesAreTakenInOneWay(t *testing.T) {
	files, err := filepath.Glob("*.go")
	if err != nil || len(files) < 20 {
		t.Fatal(files, err)
	}
	other := regexp.MustCompile(`\bc\.(Body|BodyRaw|Bind|FormFile|MultipartForm|FormValue|SaveFile)\(|Request\(\)\.(Body|BodyStream|BodyUncompressed|BodyGunzip)\(`)
	for _, f := range files {
		if strings.HasSuffix(f, "_test.go") || f == "uploads.go" {
			continue
		}
		text, err := os.ReadFile(f)
		if err != nil {
			t.Fatal(err)
		}
		if m := other.Find(text); m != nil {
			t.Errorf("%s has %s; use bodyOf or eachFile", f, m)
		}
	}
}

// A change that a page of another site has a browser make is refused, also by
// browsers that only name the origin, and for visitors too; programs and our own
// pages are let through.
func TestChangesFromElsewhereAreRefused(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	host := strings.TrimPrefix(b.Address, "http://")
	for _, c := range []struct {
		site, origin, kind string
		status             int // 403 and 415 are refusals; all else comes from what was asked
	}{
		{"cross-site", "", "application/json", 403}, {"same-site", "", "application/json", 403},
		{"never-heard-of", "", "application/json", 403},
		{"", "http://evil.example", "application/json", 403}, {"", "null", "application/json", 403},
		{"", "http://" + host + ".evil.example", "application/json", 403}, {"", "garbage", "application/json", 403},
		{"same-origin", "http://" + host, "application/json", 0}, {"", "http://" + host, "application/json", 0},
		{"none", "", "application/json", 0}, {"", "", "application/json", 0},
		{"", "https://" + host, "application/json", 0},
		{"", "", "text/plain", 415}, {"", "", "text/plain; charset=utf-8", 415},
		{"", "", "application/x-www-form-urlencoded", 415}, {"", "", "multipart/form-data; boundary=x", 415},
		{"", "", "TEXT/PLAIN;;", 415},
	} {
		for _, path := range []string{"/api/session", "/api/at/helper/questions"} {
			request, err := http.NewRequest("POST", b.Address+path,
				strings.NewReader(`{"name": "x", "password": "y", "question": ""}`))
			if err != nil {
				t.Fatal(err)
			}
			for name, value := range map[string]string{"Sec-Fetch-Site": c.site, "Origin": c.origin,
				"Content-Type": c.kind} {
				if value != "" {
					request.Header.Set(name, value)
				}
			}
			response, err := http.DefaultClient.Do(request)
			if err != nil {
				t.Fatal(err)
			}
			response.Body.Close()
			if got := response.StatusCode; got == 403 != (c.status == 403) || got == 415 != (c.status == 415) {
				t.Errorf("%s: %+v: %d", path, c, got)
			}
		}
	}
}
