package web_test

import (
	"archive/zip"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"strings"
	"testing"
	"time"

	"juvalogos/internal/api"
	"juvalogos/internal/soundtest"
	"juvalogos/internal/testbed"
)

const hearingDesk = "slug: ears\ntitle: Ears\npurpose: Hears.\nmodel: thyme-mini\n" +
	"sound: {take: true, dictate: true, model: burdock-ear, change: [task], keep: days}\n"

// sampleSound is a recording that the simulated recogniser knows.
func sampleSound(t *testing.T, name string) []byte {
	t.Helper()
	body, err := os.ReadFile("../../standin/referencesite/sounds/" + name)
	if err != nil {
		t.Fatal(err)
	}
	return body
}

// recorded gives a recording at a desk and returns its id.
func recorded(t *testing.T, who *http.Client, address, slug, conversation string) string {
	t.Helper()
	out := giveSound(t, who, address, slug, conversation, "note.m4a", sampleSound(t, "hollow-lane.m4a"))
	if len(out.Recordings) == 0 {
		t.Fatalf("%+v", out)
	}
	return out.Recordings[len(out.Recordings)-1].ID
}

func giveSound(t *testing.T, who *http.Client, address, slug, conversation string, files ...any) (
	out api.RecordingsGiven) {
	t.Helper()
	body, kind := given(t, files...)
	at := address + "/api/at/" + slug + "/recordings"
	if conversation != "" {
		at += "?conversation=" + conversation
	}
	r, text := call(t, who, "POST", at, body, "Content-Type", kind)
	if err := json.Unmarshal([]byte(text), &out); err != nil || r.StatusCode != http.StatusCreated {
		t.Fatalf("%d %s", r.StatusCode, text)
	}
	return out
}

func TestRecordingsOverTheAPI(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	if _, err := b.Client.Publish(ctx, "ears.yaml", []byte(hearingDesk), ""); err != nil {
		t.Fatal(err)
	}
	alice := visitor(t)
	out := giveSound(t, alice, b.Address, "ears", "", "a.m4a", sampleSound(t, "hollow-lane.m4a"), "b.txt",
		[]byte("no sound"), "c.wav", soundtest.Silence(2), "d.mp3", sampleSound(t, "besuch-am-bienenstand.mp3"))
	if len(out.Recordings) != 2 || len(out.Refused) != 2 || out.Refused[0].Phrase.Form == "" ||
		out.Recordings[0].Kind != "MP4" || out.Recordings[0].Estimate < 0.3 || out.Recordings[0].Cost != 0 {
		t.Fatalf("%+v", out)
	}
	write := func(id, wishes string) api.RecordingWhole {
		t.Helper()
		if r, text := call(t, alice, "POST", b.Address+"/api/at/ears/recordings/"+id+"/begin",
			wishes); r.StatusCode != 202 {
			t.Fatalf("%d %s", r.StatusCode, text)
		}
		var whole api.RecordingWhole
		testbed.Until(t, "it is written down", func() bool {
			_, text := call(t, alice, "GET", fmt.Sprintf("%s/api/recordings/%s?seen=%d", b.Address, id,
				whole.Recording.Version), "")
			return json.Unmarshal([]byte(text), &whole) == nil && whole.Recording.State == "ready"
		})
		return whole
	}
	whole := write(out.Recordings[0].ID, `{}`)
	if len(whole.Sentences) != 9 || whole.Sentences[1].Text != "I opened four hives this morning." ||
		whole.DoneSeconds < 35 ||
		whole.Recording.Language != "en" {
		t.Errorf("%+v", whole.Recording)
	}
	german := write(out.Recordings[1].ID, `{"task":"english"}`)
	if german.Sentences[1].Text != "Twelve children from the school visited us today." ||
		german.Recording.Task != "english" {
		t.Errorf("%+v", german.Sentences)
	}
	at := b.Address + "/api/recordings/" + out.Recordings[0].ID
	for form, begins := range map[string]string{"text": "This is a note", "srt": "1\n00:00:00,500", "vtt": "WEBVTT",
		"json": "{\n  \"language\": \"en\""} {
		r, text := call(t, alice, "GET", at+"/text?as="+form, "")
		if r.StatusCode != 200 || !strings.HasPrefix(text, begins) ||
			!strings.Contains(r.Header.Get("Content-Disposition"), "a.") {
			t.Errorf("%s: %d %.80q %s", form, r.StatusCode, text, r.Header.Get("Content-Disposition"))
		}
	}
	if r, text := call(t, alice, "GET", at+"/text?as=docx", ""); r.StatusCode != 422 {
		t.Errorf("docx: %d %s", r.StatusCode, text)
	}
	r, sound := call(t, alice, "GET", at+"/sound", "", "Range", "bytes=0-3")
	if r.StatusCode != 206 || sound != "fLaC" || r.Header.Get("Content-Type") != "audio/flac" ||
		!strings.Contains(r.Header.Get("Content-Security-Policy"), "sandbox") {
		t.Errorf("%d %q %v", r.StatusCode, sound, r.Header)
	}
	_, packed := call(t, alice, "GET", b.Address+"/api/at/ears/recordings/zip?as=srt&conversation="+out.Conversation,
		"")
	if z, err := zip.NewReader(bytes.NewReader([]byte(packed)), int64(len(packed))); err != nil || len(z.File) != 2 ||
		z.File[0].Name != "a.srt" {
		t.Errorf("%v", err)
	}
	// An old conversation is opened again: the list has no words, and a visitor no costs.
	_, text := call(t, alice, "GET", b.Address+"/api/at/ears/recordings?conversation="+out.Conversation, "")
	var list api.RecordingList
	if json.Unmarshal([]byte(text), &list) != nil || len(list.Recordings) != 2 || strings.Contains(text, "morning") ||
		list.Recordings[0].Cost != 0 || list.Recordings[0].KeepUntil == nil {
		t.Errorf("%s", text)
	}
	if r, _ := call(t, alice, "DELETE", at, ""); r.StatusCode != 204 {
		t.Errorf("deleted: %d", r.StatusCode)
	}
	if r, _ := call(t, alice, "GET", at+"/sound", ""); r.StatusCode != 404 {
		t.Errorf("its sound: %d", r.StatusCode)
	}
}

func TestDictationKeepsNothing(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	if _, err := b.Client.Publish(ctx, "ears.yaml", []byte(hearingDesk), ""); err != nil {
		t.Fatal(err)
	}
	alice := visitor(t)
	body, kind := given(t, "q.mp3", sampleSound(t, "swarm-call.mp3"))
	r, text := call(t, alice, "POST", b.Address+"/api/at/ears/dictation", body, "Content-Type", kind)
	if r.StatusCode != 200 || !strings.Contains(text, "Bring a skep, a sheet") {
		t.Errorf("%d %s", r.StatusCode, text)
	}
	body, kind = given(t, "q.wav", soundtest.Silence(1))
	if r, text := call(t, alice, "POST", b.Address+"/api/at/ears/dictation", body, "Content-Type",
		kind); r.StatusCode != 200 || !strings.Contains(text, "silent") {
		t.Errorf("silence: %d %s", r.StatusCode, text)
	}
	if r, text := call(t, alice, "POST", b.Address+"/api/at/helper/dictation", body, "Content-Type",
		kind); r.StatusCode != 409 {
		t.Errorf("where questions are typed: %d %s", r.StatusCode, text)
	}
	if r, text := call(t, alice, "POST", b.Address+"/api/at/helper/recordings", body, "Content-Type",
		kind); r.StatusCode != 422 {
		t.Errorf("where no recordings are taken: %d %s", r.StatusCode, text)
	}
	all, err := b.Recordings.Store.OfDesk(ctx, "ears", nil, 10)
	if err != nil || len(all) != 0 {
		t.Errorf("%d are on record, %v", len(all), err)
	}
}

func TestTheProtocolsCallsForSound(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	if _, err := b.Client.Publish(ctx, "ears.yaml", []byte(hearingDesk), ""); err != nil {
		t.Fatal(err)
	}
	program := &http.Client{}
	send := func(path string, fields map[string]string, file []byte) (*http.Response, string) {
		t.Helper()
		body, kind := form(t, fields, map[string][]byte{"file": file})
		return call(t, program, "POST", b.Address+path, body, append(kind, "Authorization", "Bearer "+testbed.Token)...)
	}
	note := sampleSound(t, "hollow-lane.m4a")
	const transcribe = "/v1/audio/transcriptions"
	for _, c := range []struct {
		path   string
		fields map[string]string
		status int
		want   string
	}{
		{transcribe, map[string]string{"model": "ears"}, 200, `{"text":"This is a note from the apiary`},
		{transcribe, map[string]string{"model": "ears", "response_format": "text"}, 200, "This is a note"},
		{transcribe, map[string]string{"model": "ears", "response_format": "vtt"}, 200, "WEBVTT\n\n00:00:00.500 -->"},
		{transcribe, map[string]string{"model": "ears", "response_format": "verbose_json",
			"timestamp_granularities[]": "word"}, 200, `"words":[{"end":`},
		{transcribe, map[string]string{"model": "ears", "stream": "true"}, 200, `"type":"transcript.text.done"`},
		{"/v1/audio/translations", map[string]string{"model": "ears"}, 200, "This is a note"},
		{transcribe, map[string]string{"model": "nobody"}, 404, "model_not_found"},
		{transcribe, map[string]string{"model": "helper"}, 400, "takes no recordings"},
		{transcribe, map[string]string{}, 400, "model is missing"},
		{transcribe, map[string]string{"model": "ears", "language": "de"}, 400, "language cannot be chosen"},
		{transcribe, map[string]string{"model": "ears", "response_format": "docx"}, 400, "response_format is one of"},
		{transcribe, map[string]string{"model": "ears", "diarise": "yes"}, 400, "unknown_parameter"},
		{transcribe, map[string]string{"model": "ears", "temperature": "hot"}, 400, "a number from 0 to 1"},
	} {
		if r, text := send(c.path, c.fields, note); r.StatusCode != c.status || !strings.Contains(text, c.want) {
			t.Errorf("%s %v: %d %.200s", c.path, c.fields, r.StatusCode, text)
		}
	}
	if r, text := send(transcribe, map[string]string{"model": "ears"}, []byte("words")); r.StatusCode != 400 ||
		!strings.Contains(text, "no sound that is read here") {
		t.Errorf("no sound: %d %s", r.StatusCode, text)
	}
	body, kind := form(t, map[string]string{"model": "ears"}, map[string][]byte{"file": note})
	if r, _ := call(t, program, "POST", b.Address+transcribe, body, kind...); r.StatusCode != 401 {
		t.Errorf("without a token: %d", r.StatusCode)
	}
	if r, text := call(t, program, "POST", b.Address+"/v1/audio/speech", `{"model":"ears","input":"Yes."}`, "Authorization",
		"Bearer "+testbed.Token); r.StatusCode != 400 || !strings.Contains(text, "reads nothing aloud") {
		t.Errorf("spoken: %d %s", r.StatusCode, text)
	}
}

func TestARecordingByItsAddress(t *testing.T) {
	note := sampleSound(t, "swarm-call.mp3")
	site := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/swarm.mp3":
			w.Header().Set("Content-Type", "audio/mpeg")
			_, _ = w.Write(note)
		case "/page":
			_, _ = io.WriteString(w, "<html>no sound</html>")
		default:
			http.NotFound(w, r)
		}
	}))
	defer site.Close()
	b := testbed.New(t, testbed.Options{Visit: []string{strings.TrimPrefix(site.URL, "http://")}})
	file := strings.Replace(hearingDesk, "keep: days",
		"addresses: true, samples: [{title: A swarm, address: \""+site.URL+
			"/swarm.mp3\"}]", 1)
	if _, err := b.Client.Publish(ctx, "ears.yaml", []byte(file), ""); err != nil {
		t.Fatal(err)
	}
	alice := visitor(t)
	give := func(body string) (int, api.RecordingsGiven, string) {
		t.Helper()
		var out api.RecordingsGiven
		r, text := call(t, alice, "POST", b.Address+"/api/at/ears/recordings/address", body)
		_ = json.Unmarshal([]byte(text), &out)
		return r.StatusCode, out, text
	}
	status, out, text := give(`{"sample": 1}`)
	if status != 201 || len(out.Recordings) != 1 || out.Recordings[0].Name != "A swarm" ||
		out.Recordings[0].Source != site.URL+"/swarm.mp3" {
		t.Fatalf("%d %s", status, text)
	}
	status, out, text = give(`{"address": "` + site.URL + `/swarm.mp3", "conversation": "` + out.Conversation + `"}`)
	if status != 201 || len(out.Recordings) != 2 || out.Recordings[1].Name != "swarm.mp3" {
		t.Errorf("%d %s", status, text)
	}
	for body, want := range map[string]string{
		`{"address": "` + site.URL + `/page"}`:        "no sound that is read here",
		`{"address": "` + site.URL + `/gone.mp3"}`:    "has no such page",
		`{"address": "http://127.0.0.1:1/a.mp3"}`:     "refused",
		`{"address": "nothing"}`:                      "is no address",
		`{"address": "file:///etc/passwd"}`:           "is no address",
		`{"sample": 2}`:                               "fetched from addresses",
		`{"address": "http://169.254.169.254/a.mp3"}`: "refused",
	} {
		status, out, text := give(body)
		refused := status == 201 && len(out.Refused) == 1 && len(out.Recordings) == 0 || status == 409
		if !refused || want != "refused" && !strings.Contains(text, want) {
			t.Errorf("%s: %d %s", body, status, text)
		}
	}
	if _, err := b.Client.Publish(ctx, "ears.yaml", []byte(strings.Replace(file, "addresses: true, ", "", 1)),
		""); err != nil {
		t.Fatal(err)
	}
	b.Later(3 * time.Second)
	if status, _, text := give(`{"address": "` + site.URL + `/swarm.mp3"}`); status != 409 {
		t.Errorf("where none may be named: %d %s", status, text)
	}
}
