package web_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"image"
	"mime/multipart"
	"net/http"
	"os"
	"strings"
	"testing"
	"time"

	"juvalogos/core/picture/picturetest"
	"juvalogos/internal/api"
	"juvalogos/internal/testbed"
)

// looking is a desk at which visitors ask about pictures.
const looking = `slug: frames
title: Frames
purpose: Looks at pictures.
model: orchid-eye
pictures: {take: true, most: 2}
choices: {models: [{model: daisy-glance, title: Quick}]}
`

func publish(t *testing.T, b *testbed.Bed, text string) {
	t.Helper()
	if _, err := b.Client.Publish(t.Context(), "desk.yaml", []byte(text), ""); err != nil {
		t.Fatal(err)
	}
}

// given are files as a form brings them.
func given(t *testing.T, files ...any) (body, kind string) {
	t.Helper()
	var form bytes.Buffer
	w := multipart.NewWriter(&form)
	for i := 0; i < len(files); i += 2 {
		part, err := w.CreateFormFile("file", files[i].(string))
		if err != nil {
			t.Fatal(err)
		}
		_, _ = part.Write(files[i+1].([]byte))
	}
	w.Close()
	return form.String(), w.FormDataContentType()
}

// give gives pictures at a desk.
func give(t *testing.T, who *http.Client, at, conversation string, files ...any) (out api.PicturesGiven) {
	t.Helper()
	body, kind := given(t, files...)
	if conversation != "" {
		at += "?conversation=" + conversation
	}
	r, text := call(t, who, "POST", at, body, "Content-Type", kind)
	if err := json.Unmarshal([]byte(text), &out); err != nil || r.StatusCode != http.StatusCreated {
		t.Fatalf("%d %s", r.StatusCode, text)
	}
	return out
}

func askIn(t *testing.T, who *http.Client, at, conversation, question string, more ...string) (turn api.Turn) {
	t.Helper()
	text, _ := json.Marshal(map[string]any{"question": question, "conversation": conversation})
	body := string(text)
	for _, m := range more {
		body = body[:len(body)-1] + "," + m + "}"
	}
	r, text2 := call(t, who, "POST", at, body, "Accept", "application/json")
	if err := json.Unmarshal([]byte(text2), &turn); err != nil || r.StatusCode != 200 {
		t.Fatalf("%d %s", r.StatusCode, text2)
	}
	return turn
}

// A picture is given, asked about, asked about again, and put away; whoever looks at
// the conversation later still sees what it was asked with.
func TestAPictureStaysWithItsConversation(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, looking)
	alice, desk := visitor(t), b.Address+"/api/at/frames"
	out := give(t, alice, desk+"/pictures", "", `C:\my\frame.jpg`,
		picturetest.JPEG(picturetest.Flag(400, 300), picturetest.Turned(6)), "notes.txt", []byte("hello"))
	if len(out.Pictures) != 1 || out.Pictures[0].Name != "frame.jpg" || out.Pictures[0].Width != 300 ||
		len(out.Refused) != 1 || !strings.Contains(out.Refused[0].Problem, "it is no picture") {
		t.Fatalf("%+v", out)
	}
	id, conversation := out.Pictures[0].ID, out.Conversation
	turn := askIn(t, alice, desk+"/questions", conversation, "What is on this picture?")
	if !strings.Contains(turn.Reply, "300 by 400 dots, upright") || !strings.Contains(turn.Reply, "blue") ||
		len(turn.Pictures) != 1 || turn.Pictures[0].ID != id {
		t.Fatalf("%+v", turn)
	}
	if next := askIn(t, alice, desk+"/questions", conversation, "How large is it?"); !strings.Contains(next.Reply,
		"300 by 400") || len(next.Pictures) != 1 {
		t.Errorf("a follow-up: %+v", next)
	}
	// Asked in the place of the first question, it is asked with what that had.
	give(t, alice, desk+"/pictures", conversation, "second.png", picturetest.PNG(picturetest.Flag(64, 64)))
	instead := askIn(t, alice, desk+"/questions", conversation, "How large is it, truly?",
		fmt.Sprintf(`"instead_of":%q`, turn.ID))
	if !strings.Contains(instead.Reply, "300 by 400") || strings.Contains(instead.Reply, "64 by 64") {
		t.Errorf("in its place: %s", instead.Reply)
	}
	both := askIn(t, alice, desk+"/questions", conversation, "How large are they?")
	if !strings.Contains(both.Reply, "Picture 1") || !strings.Contains(both.Reply, "64 by 64") {
		t.Errorf("of two: %s", both.Reply)
	}
	if r, text := call(t, alice, "DELETE", b.Address+"/api/pictures/"+id, ""); r.StatusCode != 204 {
		t.Fatalf("%d %s", r.StatusCode, text)
	}
	if after := askIn(t, alice, desk+"/questions", conversation, "And now?"); len(after.Pictures) != 1 ||
		strings.Contains(after.Reply, "300 by 400") {
		t.Errorf("after it was put away: %+v", after)
	}
	if r, _ := call(t, alice, "PUT", b.Address+"/api/pictures/"+id, `{"alt":"Four fields"}`); r.StatusCode != 204 {
		t.Error(r.StatusCode)
	}
	var whole struct{ Turns []api.Turn }
	_, text := call(t, alice, "GET", b.Address+"/api/conversations/"+conversation, "")
	if err := json.Unmarshal([]byte(text), &whole); err != nil || len(whole.Turns) < 2 ||
		whole.Turns[0].Pictures[0].Alt != "Four fields" {
		t.Errorf("%s, %v", text, err)
	}
}

// A picture is its visitor's, and of whoever has the link of a shared conversation; it
// is sent whole or in parts, and not again to those who have it.
func TestWhoSeesAPicture(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, looking)
	alice := visitor(t)
	out := give(t, alice, b.Address+"/api/at/frames/pictures", "", "frame.png",
		picturetest.PNG(picturetest.Noisy(700, 500, 1)))
	id := out.Pictures[0].ID
	file := b.Address + "/api/pictures/" + id + "/file"
	r, body := call(t, alice, "GET", file, "")
	dots, kind, err := image.Decode(strings.NewReader(body))
	if err != nil || kind != "png" || dots.Bounds().Dx() != 700 || r.Header.Get("Content-Type") != "image/png" ||
		int64(len(body)) != out.Pictures[0].Size || !strings.Contains(r.Header.Get("Content-Security-Policy"),
		"sandbox") {
		t.Fatalf("%s %v %v %v", kind, err, r.Header, len(body))
	}
	for asked, want := range map[string]string{"bytes=0-9": body[:10], "bytes=-7": body[len(body)-7:],
		"bytes=1000000000-1000000009": "", fmt.Sprintf("bytes=%d-", len(body)-3): body[len(body)-3:]} {
		r, part := call(t, alice, "GET", file, "", "Range", asked)
		if want == "" && r.StatusCode != 416 || want != "" && (r.StatusCode != 206 || part != want) {
			t.Errorf("%s: %d, %d bytes", asked, r.StatusCode, len(part))
		}
	}
	for _, asked := range []string{"bytes=5-2", "bytes=x-y", "lines=1-2", "bytes=0-1,4-5"} {
		if r, part := call(t, alice, "GET", file, "", "Range", asked); r.StatusCode != 200 || part != body {
			t.Errorf("%s: %d, %d bytes", asked, r.StatusCode, len(part))
		}
	}
	if r, part := call(t, alice, "GET", file, "", "If-None-Match", r.Header.Get("ETag")); r.StatusCode != 304 ||
		part != "" {
		t.Errorf("again: %d", r.StatusCode)
	}
	if r, part := call(t, alice, "GET", file+"?size=small", ""); r.StatusCode != 200 || len(part) > 60_000 {
		t.Errorf("small: %d, %d bytes", r.StatusCode, len(part))
	}
	for name, get := range map[string]func(string) (*http.Response, string){
		"another visitor": func(at string) (*http.Response, string) { return call(t, visitor(t), "GET", at, "") },
		"a program": func(at string) (*http.Response, string) {
			return call(t, &http.Client{}, "GET", at, "", "Authorization", "Bearer "+testbed.Token)
		},
	} {
		if r, text := get(file); r.StatusCode != 404 || !strings.Contains(text, "no-such-picture") {
			t.Errorf("%s: %d %s", name, r.StatusCode, text)
		}
	}
	askIn(t, alice, b.Address+"/api/at/frames/questions", out.Conversation, "What is it?")
	_, text := call(t, alice, "POST", b.Address+"/api/conversations/"+out.Conversation+"/share", "")
	var shared struct{ Page string }
	if err := json.Unmarshal([]byte(text), &shared); err != nil || shared.Page == "" {
		t.Fatal(text)
	}
	if r, part := call(t, visitor(t), "GET", b.Address+"/api"+shared.Page+"/pictures/"+id, ""); r.StatusCode != 200 ||
		part != body {
		t.Errorf("by the link: %d", r.StatusCode)
	}
	if r, _ := call(t, visitor(t), "GET", b.Address+"/api/shared/nothing/pictures/"+id, ""); r.StatusCode != 404 {
		t.Errorf("by another link: %d", r.StatusCode)
	}
	if r, part := call(t, &http.Client{}, "GET", b.Address+"/api/record-pictures/"+id, "", "Authorization",
		"Bearer "+testbed.Token); r.StatusCode != 200 || part != body {
		t.Errorf("a maker: %d", r.StatusCode)
	}
	// With its conversation it goes, and its bytes with it.
	call(t, alice, "DELETE", b.Address+"/api/conversations/"+out.Conversation, "")
	if r, _ := call(t, alice, "GET", file, ""); r.StatusCode != 404 {
		t.Errorf("of a conversation that was removed: %d", r.StatusCode)
	}
	b.Later(40 * 24 * time.Hour)
	b.Conversations.Purge(t.Context())
	if left, err := b.Store.Media.Contents(t.Context()); err != nil || left != 0 {
		t.Errorf("%d files are left, %v", left, err)
	}
}

// As many are remembered, and for as long, as the desk says.
func TestPicturesAreForgotten(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, strings.Replace(looking, "most: 2", "most: 2, turns: 3", 1))
	alice, desk := visitor(t), b.Address+"/api/at/frames"
	conversation := ""
	for i := range 3 {
		out := give(t, alice, desk+"/pictures", conversation, fmt.Sprintf("%d.png", i),
			picturetest.PNG(picturetest.Flag(20+i, 20)))
		if conversation = out.Conversation; len(out.Pictures) != min(i+1, 2) {
			t.Errorf("after %d: %d", i+1, len(out.Pictures))
		}
	}
	for i, want := range []int{2, 2, 2, 0} {
		if turn := askIn(t, alice, desk+"/questions", conversation, "What is it?"); len(turn.Pictures) != want {
			t.Errorf("question %d is asked with %d", i+1, len(turn.Pictures))
		}
	}
	give(t, alice, desk+"/pictures", conversation, "again.png", picturetest.PNG(picturetest.Flag(30, 20)))
	b.Later(73 * time.Hour)
	if turn := askIn(t, alice, desk+"/questions", conversation, "What is it?"); len(turn.Pictures) != 0 {
		t.Errorf("after three days it is asked with %d", len(turn.Pictures))
	}
}

// Each model gets a picture as it takes it, and one that does not see gets none.
func TestPicturesAreMadeForTheModel(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, looking)
	alice, desk := visitor(t), b.Address+"/api/at/frames"
	out := give(t, alice, desk+"/pictures", "", "frame.jpg", picturetest.JPEG(picturetest.Flag(3000, 1500)))
	if out.Pictures[0].Width != 2048 {
		t.Errorf("kept with %d dots", out.Pictures[0].Width)
	}
	if turn := askIn(t, alice, desk+"/questions", out.Conversation, "What is it?"); !strings.Contains(turn.Reply,
		"2048 by 1024") {
		t.Error(turn.Reply)
	}
	for range 2 { // the second time it is there already
		if turn := askIn(t, alice, desk+"/questions", out.Conversation, "What is it?",
			`"choice":{"model":"daisy-glance"}`); !strings.Contains(turn.Reply, "256 by 128") {
			t.Error(turn.Reply)
		}
	}
	for text, want := range map[string]string{
		strings.ReplaceAll(looking, "orchid-eye",
			"thyme-mini"): "does not see pictures",
		strings.Replace(looking, "model: orchid-eye", "model: orchid-eye\nrecipe: extract\nshelves: [a]", 1): "",
		"slug: a\ntitle: A\npurpose: A.\nmodel: thyme-mini\npictures: {elsewhere: " +
			"a}\n": "that is this desk",
	} {
		if _, err := b.Client.Publish(t.Context(), "x.yaml", []byte(text), ""); err == nil ||
			!strings.Contains(err.Error(), want) {
			t.Errorf("%v, want %s", err, want)
		}
	}
	body, kind := given(t, "a.png", picturetest.PNG(picturetest.Flag(4, 4)))
	if r, text := call(t, alice, "POST", b.Address+"/api/at/helper/pictures", body, "Content-Type",
		kind); r.StatusCode <
		400 || !strings.Contains(text, "cannot-see") {
		t.Errorf("at a desk that does not see: %d %s", r.StatusCode, text)
	}
	publish(t, b, "slug: talker\ntitle: Talker\npurpose: Talks.\nmodel: thyme-mini\npictures: {elsewhere: frames}\n")
	if _, text := call(t, alice, "GET", b.Address+"/api/at/talker", ""); !strings.Contains(text,
		`"elsewhere":{"slug":"frames","title":"Frames"}`) {
		t.Error(text)
	}
}

// Several that see look at the same picture side by side, and one that does not says so.
func TestSeveralModelsLookAtAPicture(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, strings.ReplaceAll(looking, "choices: {models: [{model: daisy-glance, title: Quick}]}\n", "")+
		"recipe: contrast\nrecipe_settings:\n  voices: [{model: orchid-eye}, {model: daisy-glance}]\n")
	alice, desk := visitor(t), b.Address+"/api/at/frames"
	out := give(t, alice, desk+"/pictures", "", "frame.jpg", picturetest.JPEG(picturetest.Flag(400, 200)))
	turn := askIn(t, alice, desk+"/questions", out.Conversation, "What is it?")
	if len(turn.Outcome.Lanes) != 2 || !strings.Contains(turn.Outcome.Lanes[0].Text, "400 by 200") ||
		!strings.Contains(turn.Outcome.Lanes[1].Text, "256 by 128") {
		t.Errorf("%+v", turn.Outcome.Lanes)
	}
	if _, err := b.Client.Publish(t.Context(), "x.yaml", []byte(looking+
		"recipe: contrast\nrecipe_settings:\n  voices: [{model: orchid-eye}, {model: thyme-mini}]\n"),
		""); err == nil ||
		!strings.Contains(err.Error(), "shed/thyme-mini\" does not see") {
		t.Errorf("%v", err)
	}
}

// Where the desk wants it, its model says what a picture shows, unless the visitor has.
func TestPicturesAreDescribed(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, strings.Replace(looking, "most: 2", "most: 2, described: model", 1))
	alice, desk := visitor(t), b.Address+"/api/at/frames"
	out := give(t, alice, desk+"/pictures", "", "a.png", picturetest.PNG(picturetest.Flag(90, 60)))
	said := func() string {
		_, text := call(t, alice, "GET", desk+"/pictures?conversation="+out.Conversation, "")
		var list api.PictureList
		if err := json.Unmarshal([]byte(text), &list); err != nil || len(list.Pictures) != 1 {
			t.Fatal(text)
		}
		return list.Pictures[0].Alt
	}
	testbed.Until(t, "it is described", func() bool { return strings.Contains(said(), "90 by 60") })
	if r, _ := call(t, alice, "PUT", b.Address+"/api/pictures/"+out.Pictures[0].ID, `{"alt":"A flag"}`); r.StatusCode != 204 ||
		said() != "A flag" {
		t.Errorf("%d %q", r.StatusCode, said())
	}
	_, text := call(t, &http.Client{}, "GET", b.Address+"/api/usage?by=kind", "", "Authorization", bearer)
	if !strings.Contains(text, `"description"`) {
		t.Errorf("what it took: %s", text)
	}
}

// A recipe of a desk's own takes a picture, crops it, reads its text, has it described, and
// answers from a shelf.
func TestALabelIsLookedUpOnAShelf(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	if _, err := b.Client.MakeShelf(ctx, "lots", "The lots"); err != nil {
		t.Fatal(err)
	}
	if _, err := b.Client.AddDocument(ctx, "lots", "lots.md", strings.NewReader("# Lots\n\nHeather Honey of the lot "+
		"26-117 was filled at Larch Hill on the fourth of August.\n\n# Fairs\n\nThe autumn fair is in "+
		"October.")); err != nil {
		t.Fatal(err)
	}
	testbed.Until(t, "it is read", func() bool {
		f, err := b.Client.Shelf(ctx, "lots")
		return err == nil && f.Waiting == 0 && f.Passages > 0
	})
	publish(t, b, looking+`recipe: own.recipe.yaml
shelves: [lots]
own_recipe: |
  recipe: own
  steps:
    - {name: part, do: crop, from: {picture: picture}, set: {top: 0.05}}
    - {name: words, do: ocr, from: {picture: part.picture}}
    - {name: seen, do: describe, from: {picture: part.picture}}
    - {name: found, do: retrieve, from: {question: words.text}}
    - name: prompt
      do: compose
      from: {question: question, words: words.text, passages: found.text}
      set: {user: "{{fence .passages}}\n\n{{.question}} On it stands: {{.words}}"}
    - {name: answer, do: generate, from: {prompt: prompt.prompt}}
    - {name: checked, do: cite, from: {text: answer.text, passages: found.passages, documents: found.documents}}
  reply: checked.text
  parts:
    - {title: Sources, from: checked.margin}
    - {title: What stands on it, from: words.text}
    - {title: What it looks like, from: seen.text}
`)
	label, err := os.ReadFile("../../demo/desks/label-heather.png")
	if err != nil {
		t.Fatal(err)
	}
	alice, desk := visitor(t), b.Address+"/api/at/frames"
	out := give(t, alice, desk+"/pictures", "", "label.png", label)
	turn := askIn(t, alice, desk+"/questions", out.Conversation, "When was this honey filled?")
	if !strings.Contains(turn.Reply, "fourth of August") || !strings.Contains(turn.Reply, "[1]") {
		t.Errorf("the answer: %s; %+v", turn.Reply, turn.Outcome)
	}
	parts, _ := json.Marshal(turn.Outcome.Parts)
	for _, is := range []string{"26-117", `"supported":true`, " dots, "} {
		if !strings.Contains(string(parts), is) {
			t.Errorf("the parts have no %s: %s", is, parts)
		}
	}
}
