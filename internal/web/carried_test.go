package web_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"io"
	"strings"
	"testing"

	"juvalogos/core/picture/picturetest"
	"juvalogos/internal/api"
	"juvalogos/internal/testbed"
)

// A conversation is taken along with its pictures, and comes back as another visitor's own.
func TestAConversationIsTakenAlongAndBroughtInAgain(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, looking)
	alice, desk := visitor(t), b.Address+"/api/at/frames"
	out := give(t, alice, desk+"/pictures", "", "my frame.png", picturetest.PNG(picturetest.Flag(90, 60)))
	call(t, alice, "PUT", b.Address+"/api/pictures/"+out.Pictures[0].ID, `{"alt":"Four [fields]"}`)
	askIn(t, alice, desk+"/questions", out.Conversation, "What is on it?")
	last := askIn(t, alice, desk+"/questions", out.Conversation, "How large is it?")
	r, packed := call(t, alice, "GET", b.Address+"/api/conversations/"+out.Conversation+"/export?as=zip", "")
	z, err := zip.NewReader(strings.NewReader(packed), int64(len(packed)))
	if err != nil || r.StatusCode != 200 || len(z.File) != 3 {
		t.Fatalf("%d %v", r.StatusCode, err)
	}
	text := map[string]string{}
	for _, f := range z.File {
		part, _ := f.Open()
		body, _ := io.ReadAll(part)
		text[f.Name] = string(body)
	}
	file := "pictures/" + out.Pictures[0].ID + ".png"
	if !strings.Contains(text["conversation.md"], "![Four (fields)]("+file+")") ||
		!strings.Contains(text["conversation.json"], `"juvalogos-conversation/1"`) || len(text[file]) < 100 {
		t.Errorf("%v", text)
	}
	if _, plain := call(t, alice, "GET", b.Address+"/api/conversations/"+out.Conversation+"/export",
		""); !strings.Contains(
		plain, "*Asked with: my frame.png*") {
		t.Error(plain)
	}
	bring := func(body []byte) (int, string) {
		form, kind := given(t, "saved.zip", body)
		r, text := call(t, alice, "POST", desk+"/conversations", form, "Content-Type", kind)
		return r.StatusCode, text
	}
	status, said := bring([]byte(packed))
	var brought api.ConversationBroughtIn
	if err := json.Unmarshal([]byte(said), &brought); err != nil || status != 201 {
		t.Fatalf("%d %s", status, said)
	}
	var whole struct {
		Title string
		Turns []api.Turn
	}
	_, said = call(t, alice, "GET", b.Address+"/api/conversations/"+brought.Conversation, "")
	if err := json.Unmarshal([]byte(said), &whole); err != nil || whole.Title != "What is on it?" ||
		len(whole.Turns) != 2 ||
		whole.Turns[1].Reply != last.Reply || len(whole.Turns[1].Pictures) != 1 ||
		whole.Turns[0].Pictures[0].ID != whole.Turns[1].Pictures[0].ID ||
		whole.Turns[0].Pictures[0].Alt != "Four [fields]" {
		t.Errorf("%s, %v", said, err)
	}
	if next := askIn(t, alice, desk+"/questions", brought.Conversation,
		"And how bright?"); !strings.Contains(next.Reply,
		"bright") || len(next.Pictures) != 1 {
		t.Errorf("it does not go on: %+v", next)
	}
	// What is no such file brings nothing in.
	repacked := func(change func(name, body string) string) []byte {
		var out bytes.Buffer
		w := zip.NewWriter(&out)
		for name, body := range text {
			part, _ := w.Create(name)
			_, _ = io.WriteString(part, change(name, body))
		}
		w.Close()
		return out.Bytes()
	}
	_, before := call(t, alice, "GET", desk+"/conversations", "")
	for name, body := range map[string][]byte{
		"no ZIP": []byte("hello"), "cut": []byte(packed[:len(packed)/2]),
		"another format": repacked(func(name, body string) string {
			return strings.ReplaceAll(body, "conversation/1",
				"x/9")
		}),
		"no picture": repacked(func(name, body string) string {
			if strings.HasPrefix(name, "pictures/") {
				return "hello"
			}
			return body
		}),
		"a way out": repacked(func(name, body string) string {
			return strings.ReplaceAll(body, "pictures/",
				"../../")
		}),
	} {
		if status, said := bring(body); status != 422 || !strings.Contains(said, "detail") {
			t.Errorf("%s: %d %s", name, status, said)
		}
	}
	if _, after := call(t, alice, "GET", desk+"/conversations", ""); after != before {
		t.Errorf("before %s\nafter %s", before, after)
	}
}
