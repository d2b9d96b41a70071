package protocol

import (
	"bytes"
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	"image/color"
	"image/png"
	"io"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"juvalogos/core/recipe"
	"juvalogos/internal/models"
	"juvalogos/standin/modelserver"
)

// dot is a picture of one colour.
func dot(c color.Color) recipe.Media {
	dots := image.NewNRGBA(image.Rect(0, 0, 64, 64))
	for i := range 64 * 64 {
		dots.Set(i%64, i/64, c)
	}
	var b bytes.Buffer
	_ = png.Encode(&b, dots) // to memory
	return recipe.Media{Name: "dot.png", Kind: "image/png", Width: 64, Height: 64, Body: b.Bytes()}
}

// drawn is what came of a wish.
type drawn struct {
	files, previews []recipe.Media
	said            string
	progress        []models.Progress
	result          models.Result
	err             error
}

func wish(t *testing.T, c models.Client, r models.Request) (d drawn) {
	t.Helper()
	d.result, d.err = c.Generate(t.Context(), r, models.Sink{
		File:     func(f recipe.Media) { d.files = append(d.files, f) },
		Preview:  func(f recipe.Media) { d.previews = append(d.previews, f) },
		Text:     func(b []byte) { d.said += string(b) },
		Progress: func(p models.Progress) { d.progress = append(d.progress, p) },
	})
	return d
}

// size is that of a picture that came.
func size(t *testing.T, f recipe.Media) string {
	t.Helper()
	c, _, err := image.DecodeConfig(bytes.NewReader(f.Body))
	if err != nil {
		t.Fatal(err)
	}
	return fmt.Sprintf("%s %dx%d", f.Kind, c.Width, c.Height)
}

// The protocol's three calls for pictures, in base64, by links and as a stream.
func TestPicturesOfTheProtocol(t *testing.T) {
	_, server := simulated(t)
	c, err := NewChatCompletions(models.Connection{Name: "s", Address: server + "/v1", Patience: time.Second},
		models.NewSecret(key))
	if err != nil {
		t.Fatal(err)
	}
	red := dot(color.NRGBA{200, 30, 30, 255})
	open := dot(color.NRGBA{})
	links := &models.Manners{Add: map[string]any{"response_format": "url"}}
	for name, c2 := range map[string]struct {
		r        models.Request
		files    int
		previews int
		size     string
	}{
		"words": {models.Request{Make: &recipe.Making{Words: "A jar", Number: 2, Width: 256, Height: 128}}, 2, 0,
			"image/png 256x128"},
		"by links": {models.Request{Make: &recipe.Making{Words: "A jar", Number: 2, Width: 128, Height: 128},
			Manners: links}, 2, 0, "image/png 128x128"},
		"a stream": {models.Request{Make: &recipe.Making{Words: "A jar", Number: 1, Width: 128, Height: 128},
			Previews: 2}, 1, 2, "image/png 128x128"},
		"variations": {models.Request{Make: &recipe.Making{Number: 3, Picture: &red}}, 3, 0, "image/png 64x64"},
		"changed": {models.Request{Make: &recipe.Making{Words: "blue", Number: 1, Picture: &red, Seed: new(4)}}, 1, 0,
			"image/png 64x64"},
		"in part": {models.Request{Make: &recipe.Making{Words: "blue", Number: 1, Picture: &red, Mask: &open}}, 1, 0,
			"image/png 64x64"},
	} {
		c2.r.Model = "alder-brush"
		d := wish(t, c, c2.r)
		if d.err != nil || len(d.files) != c2.files || len(d.previews) != c2.previews {
			t.Errorf("%s: %d pictures, %d previews, %v", name, len(d.files), len(d.previews), d.err)
			continue
		}
		if got := size(t, d.files[0]); got != c2.size {
			t.Errorf("%s: %s", name, got)
		}
	}
	for name, c2 := range map[string]struct {
		m    recipe.Making
		kind models.ErrorKind
	}{
		"not square": {recipe.Making{Number: 1, Picture: &recipe.Media{Kind: "image/png", Body: wide(t)}},
			models.Refused},
		"not allowed":  {recipe.Making{Words: "a forbidden thing", Number: 1}, models.Declined},
		"another size": {recipe.Making{Words: "a jar", Number: 1, Width: 9, Height: 9}, models.Refused},
	} {
		d := wish(t, c, models.Request{Model: "alder-brush", Make: &c2.m})
		var failure *models.Error
		if !errors.As(d.err, &failure) || failure.Kind != c2.kind {
			t.Errorf("%s: %v", name, d.err)
		}
	}
}

func wide(t *testing.T) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewNRGBA(image.Rect(0, 0, 20, 10))); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

// Servers that answer something else than pictures are told from those that do.
func TestServersThatGiveNoPictures(t *testing.T) {
	good := base64.StdEncoding.EncodeToString(dot(color.Black).Body)
	for name, c := range map[string]struct {
		status     int
		kind, body string
		want       models.ErrorKind
		files      int
	}{
		"an empty list":   {200, "application/json", `{"data":[]}`, models.SaidNothing, 0},
		"a page":          {200, "text/html", "<html>hello</html>", models.Garbled, 0},
		"an error in 200": {200, "application/json", `{"error":{"message":"out of paint"}}`, models.ServerFailed, 0},
		"no base64":       {200, "application/json", `{"data":[{"b64_json":"%%%"}]}`, models.Garbled, 0},
		"a private link":  {200, "application/json", `{"data":[{"url":"http://127.0.0.1:9/a.png"}]}`, models.Garbled, 0},
		"overloaded":      {429, "application/json", `{"error":{"message":"slow down"}}`, models.Busy, 0},
		"a stream cut off": {200, "text/event-stream",
			"event: x\ndata: {\"type\":\"partial_image\",\"b64_json\":\"" + good + "\"}\n\n",
			models.SaidNothing, 0},
		"a data link": {200, "application/json", `{"data":[{"url":"data:image/png;base64,` + good + `"}]}`, "", 1},
	} {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
			w.Header().Set("Content-Type", c.kind)
			w.WriteHeader(c.status)
			_, _ = io.WriteString(w, c.body)
		}))
		client, err := NewChatCompletions(models.Connection{Name: "s", Address: server.URL}, models.NewSecret(key))
		if err != nil {
			t.Fatal(err)
		}
		d := wish(t, client, models.Request{Model: "m", Make: &recipe.Making{Words: "x", Number: 1}})
		server.Close()
		var failure *models.Error
		if errors.As(d.err, &failure); c.want == "" && d.err != nil || c.want != "" && (failure == nil ||
			failure.Kind != c.want) || len(d.files) != c.files {
			t.Errorf("%s: %d pictures, %v", name, len(d.files), d.err)
		}
	}
}

// What is sent leaves out what a server does not take.
func TestPicturesAreAskedForAsAServerWants(t *testing.T) {
	got := make(chan map[string]any, 1)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		var body map[string]any
		_ = json.NewDecoder(r.Body).Decode(&body)
		got <- body
		http.Error(w, "{}", http.StatusTeapot)
	}))
	defer server.Close()
	c, err := NewChatCompletions(models.Connection{Name: "s", Address: server.URL}, models.NewSecret(key))
	if err != nil {
		t.Fatal(err)
	}
	wish(t, c, models.Request{Model: "m", Make: &recipe.Making{Words: "x", Number: 1, Width: 64, Height: 64},
		Manners: &models.Manners{LeaveOut: []string{"response_format", "n"},
			Rename: map[string]string{"prompt": "text"}}})
	if body := <-got; len(body) != 3 || body["text"] != "x" || body["size"] != "64x64" || body["model"] != "m" {
		t.Errorf("%v", body)
	}
}

// An address of any kind makes pictures too: raw bytes, in JSON, as a job that is asked
// for until it is done, and told when it is not wanted any more.
func TestPicturesOfEndpoints(t *testing.T) {
	standin, server := simulated(t)
	raw := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		if r.Header.Get("Content-Type") == "image/png" { // it gets the picture itself
			w.Header().Set("Content-Type", "image/png")
			_, _ = w.Write(body)
			return
		}
		w.Header().Set("Content-Type", "application/octet-stream")
		_, _ = w.Write(dot(color.Black).Body)
	}))
	defer raw.Close()
	make := func(address string, e models.Endpoint) models.Client {
		c, err := newEndpoint(models.Connection{Name: "e", Address: address, Endpoint: &e,
			Headers: map[string]string{"Authorization": "Bearer " + models.KeyMark}}, models.NewSecret(key))
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	red := dot(color.NRGBA{200, 30, 30, 255})
	d := wish(t, make(raw.URL, models.Endpoint{Body: `{"words":{{json .prompt}}}`}),
		models.Request{Make: &recipe.Making{Words: "a jar", Number: 1}})
	if d.err != nil || len(d.files) != 1 || size(t, d.files[0]) != "image/png 64x64" {
		t.Errorf("raw bytes: %d, %v", len(d.files), d.err)
	}
	d = wish(t, make(raw.URL, models.Endpoint{Form: "raw"}), models.Request{Make: &recipe.Making{Number: 1,
		Picture: &red}})
	if d.err != nil || len(d.files) != 1 || !bytes.Equal(d.files[0].Body, red.Body) {
		t.Errorf("the picture itself: %d, %v", len(d.files), d.err)
	}
	standin.Set(modelserver.Control{FirstMS: new(120.0)})
	job := models.Endpoint{Path: "/slow/pictures", Reply: "/pictures", ReplyIs: "base64",
		Body: `{"prompt":{{json .prompt}},"n":{{.number}},"size":"{{.width}}x{{.height}}","seed":{{.seed}}}`,
		Job: &models.Job{Address: "/job", State: "/state", Done: []string{"done"}, Progress: "/done", Cancel: "/job",
			CancelBy: "DELETE", Every: 20 * time.Millisecond}}
	d = wish(t, make(server, job), models.Request{Make: &recipe.Making{Words: "a jar", Number: 2, Width: 128,
		Height: 64, Seed: new(3)}})
	if d.err != nil || len(d.files) != 2 || size(t, d.files[1]) != "image/png 128x64" || len(d.progress) < 3 ||
		d.progress[1].Done <= 0 {
		t.Errorf("a job: %d, %+v, %v", len(d.files), d.progress, d.err)
	}
	standin.Set(modelserver.Control{FirstMS: new(60_000.0)})
	ctx, cancel := context.WithCancel(t.Context())
	time.AfterFunc(100*time.Millisecond, cancel)
	if _, err := make(server, job).Generate(ctx, models.Request{Make: &recipe.Making{Words: "a jar", Number: 1}},
		models.Sink{}); err == nil || standin.Ended != 1 {
		t.Errorf("cancelled: %v, %d ended", err, standin.Ended)
	}
}

// A local program draws: it finds what is wished for in its environment, and what it
// writes is the picture.
func TestPicturesOfAProgram(t *testing.T) {
	script := `test "$(cat)" = "a jar" && test "$JUVALOGOS_WIDTH" = 64 && test "$JUVALOGOS_NUMBER" = 1 && ` +
		`test "$JUVALOGOS_SEED" = 5 && echo ` +
		base64.StdEncoding.EncodeToString(dot(color.NRGBA{200, 30, 30, 255}).Body) + ` | base64 -d`
	c, err := newProgram(models.Connection{Name: "p", Program: &models.Program{Run: []string{"sh", "-c", script},
		Speaks: "plain"}, Models: []models.Model{{Name: "brush", Can: []string{"pictures"}}}}, models.Secret{})
	if err != nil {
		t.Fatal(err)
	}
	d := wish(t, c, models.Request{Model: "brush", Make: &recipe.Making{Words: "a jar", Number: 1, Width: 64,
		Height: 64,
		Seed:   new(5)}})
	if d.err != nil || len(d.files) != 1 || size(t, d.files[0]) != "image/png 64x64" {
		t.Errorf("%d pictures, %v", len(d.files), d.err)
	}
	copying, err := newProgram(models.Connection{Name: "p", Program: &models.Program{
		Run: []string{"sh", "-c", `cat "$(printf "%s" "$JUVALOGOS_FILES" | head -1)"`}, Speaks: "plain"},
		Models: []models.Model{{Name: "brush", Can: []string{"pictures"}}}}, models.Secret{})
	if err != nil {
		t.Fatal(err)
	}
	blue := dot(color.NRGBA{30, 30, 200, 255})
	d = wish(t, copying, models.Request{Model: "brush", Make: &recipe.Making{Number: 1, Picture: &blue}})
	if d.err != nil || len(d.files) != 1 || !bytes.Equal(d.files[0].Body, blue.Body) {
		t.Errorf("of a picture: %d, %v", len(d.files), d.err)
	}
}
