package curlline

import (
	"fmt"
	"strings"
	"testing"
)

func TestParse(t *testing.T) {
	for _, c := range []struct{ line, want string }{
		{`curl https://h.example/run`, "GET https://h.example/run | "},
		{"curl -X POST https://h.example/run \\\n  -H 'Content-Type: application/json' \\\r\n  -d '{\"prompt\": " +
			"\"it''s\"}'",
			`POST https://h.example/run Content-Type=application/json | {"prompt": "its"}`},
		{`curl -sS --compressed -XPUT h.example/a -d a=1 -d b=2`, "PUT http://h.example/a | a=1&b=2"},
		{`curl "https://h.example" -H "X-Key: a\"b\\c" --json '{}'`,
			`POST https://h.example X-Key=a"b\c Content-Type=application/json | {}`},
		{`curl -G https://h.example/q?a=1 --data-urlencode 'q=two words'`, "GET https://h.example/q?a=1&q=two+words | "},
		{`curl -u me:secret https://h.example`, "GET https://h.example Authorization=Basic bWU6c2VjcmV0 | "},
		{`curl $'https://h.example' --data-raw $'{"a":"x\ny \'q\' \u00e4"}'`,
			"POST https://h.example | {\"a\":\"x\ny 'q' ä\"}"},
		{`$ curl https://h.example -o out.json -m 30 | jq .`, "GET https://h.example | "},
		{`/usr/bin/curl --request POST --url https://h.example --header=accept:x`, "POST https://h.example accept=x | "},
	} {
		r, err := Parse(c.line)
		got := r.Method + " " + r.Address
		for _, h := range r.Headers {
			got += " " + h.Name + "=" + h.Value
		}
		if got += " | " + r.Body; err != nil || got != c.want {
			t.Errorf("%s: %q, %v", c.line, got, err)
		}
	}
	for line, want := range map[string]string{
		"wget https://h.example": "begin with curl", "curl": "no address", "curl 'x": "never closed",
		"curl https://h.example -F a=@b": "-F", "curl https://h.example -d @body.json": "in a file",
		"curl ftp://h.example": "no address of the web", "curl a.example b.example": "two addresses",
		"curl -H x https://h.example": "no colon", "curl https://h.example -H": "no value",
		"curl " + strings.Repeat("x", longest): "more than",
	} {
		if _, err := Parse(line); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%.60s: %v", line, err)
		}
	}
}

func FuzzParse(f *testing.F) {
	f.Add(`curl -d "a\"b" $'c\u00e4' https://h.example`)
	f.Fuzz(func(_ *testing.T, line string) { _, _ = Parse(line) })
}

func ExampleParse() {
	r, err := Parse(`curl https://h.example/run -H 'X-Key: k' -d '{"prompt": "Hi"}'`)
	fmt.Println(r.Method, r.Address, r.Get("x-key"), r.Body, err)
	// Output: POST https://h.example/run k {"prompt": "Hi"} <nil>
}
