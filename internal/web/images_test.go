package web_test

import (
	"bytes"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"image"
	"mime/multipart"
	"net/http"
	"strings"
	"testing"

	"juvalogos/core/picture/picturetest"
	"juvalogos/internal/testbed"
)

// images is an answer of the protocol's calls for pictures.
type images struct {
	Created int64
	Data    []struct {
		B64 string `json:"b64_json"`
		URL string
	}
	Error struct{ Message, Code, Param string }
}

func imagesOf(t *testing.T, b *testbed.Bed, path, body string, headers ...string) (int, images) {
	t.Helper()
	r, text := call(t, http.DefaultClient, "POST", b.Address+path, body, append(headers, authorization, bearer)...)
	var got images
	if err := json.Unmarshal([]byte(text), &got); err != nil {
		t.Fatalf("%d %s", r.StatusCode, text)
	}
	return r.StatusCode, got
}

// form is a form of the protocol: fields, then files by field.
func form(t *testing.T, fields map[string]string, files map[string][]byte) (body string, kind []string) {
	t.Helper()
	var out bytes.Buffer
	w := multipart.NewWriter(&out)
	for name, value := range fields {
		_ = w.WriteField(name, value)
	}
	for name, file := range files {
		part, err := w.CreateFormFile(name, name+".png")
		if err != nil {
			t.Fatal(err)
		}
		_, _ = part.Write(file)
	}
	w.Close()
	return out.String(), []string{"Content-Type", w.FormDataContentType()}
}

// A desk that makes pictures answers in the protocol's calls for them.
func TestADeskMakesPicturesInTheProtocol(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, varying)
	publish(t, b, drawing)
	status, got := imagesOf(t, b, "/v1/images/generations",
		`{"model":"labels","prompt":"A jar","n":2,"size":"256x170","seed":3,"user":"me","quality":"auto"}`)
	if status != 200 || len(got.Data) != 2 || got.Created == 0 {
		t.Fatalf("%d %+v", status, got)
	}
	raw, _ := base64.StdEncoding.DecodeString(got.Data[0].B64)
	if dots, _, err := image.Decode(bytes.NewReader(raw)); err != nil || dots.Bounds().Dx() != 256 ||
		dots.Bounds().Dy() != 170 {
		t.Errorf("%v", err)
	}
	status, got = imagesOf(t, b, "/v1/images/generations", `{"model":"labels","prompt":"A jar","response_format":"url"}`)
	if status != 200 || !strings.HasPrefix(got.Data[0].URL, b.Address+"/api/shared/") {
		t.Fatalf("%d %+v", status, got)
	}
	if r, body := call(t, &http.Client{}, "GET", got.Data[0].URL, ""); r.StatusCode != 200 ||
		r.Header.Get("Content-Type") != "image/png" || len(body) < 500 {
		t.Errorf("by its link: %d", r.StatusCode)
	}
	flag := picturetest.PNG(picturetest.Flag(200, 120))
	body, kind := form(t, map[string]string{"model": "more", "n": "2"}, map[string][]byte{"image": flag})
	if status, got = imagesOf(t, b, "/v1/images/variations", body, kind...); status != 200 || len(got.Data) != 2 {
		t.Errorf("variations: %d %+v", status, got)
	}
	mask := image.NewNRGBA(image.Rect(0, 0, 200, 200)) // see-through is changed
	for y := range 200 {
		for x := 100; x < 200; x++ {
			mask.Pix[mask.PixOffset(x, y)+3] = 255
		}
	}
	square := picturetest.PNG(picturetest.Flag(200, 200))
	body, kind = form(t, map[string]string{"model": "more", "prompt": "black bees"},
		map[string][]byte{"image": square, "mask": picturetest.PNG(mask)})
	status, got = imagesOf(t, b, "/v1/images/edits", body, kind...)
	if status != 200 {
		t.Fatalf("edits: %d %+v", status, got)
	}
	raw, _ = base64.StdEncoding.DecodeString(got.Data[0].B64)
	dots, _, err := image.Decode(bytes.NewReader(raw))
	if err != nil || corners(dots)[1] != "green" || corners(dots)[0] == "red" && corners(dots)[2] == "blue" {
		t.Errorf("%v %v", err, corners(dots))
	}
}

// What a desk cannot do is refused in the protocol's words.
func TestPicturesThatCannotBeMadeAreRefused(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, varying)
	publish(t, b, drawing)
	flag := map[string][]byte{"image": picturetest.PNG(picturetest.Flag(20, 20))}
	for _, c := range []struct {
		path   string
		fields map[string]any
		files  map[string][]byte
		status int
		want   string
	}{
		{"generations", map[string]any{"model": "labels", "prompt": ""}, nil, 422, "empty-question"},
		{"generations", map[string]any{"model": "nowhere", "prompt": "x"}, nil, 404, "model_not_found"},
		{"generations", map[string]any{"model": "helper", "prompt": "x"}, nil, 400, "makes no pictures"},
		{"generations", map[string]any{"model": "more", "prompt": "x"}, nil, 400, "/v1/images/variations"},
		{"generations", map[string]any{"model": "labels", "prompt": "x", "n": 9}, nil, 400, "makes 4 pictures"},
		{"generations", map[string]any{"model": "labels", "prompt": "x", "n": 0}, nil, 400, "from 1 on"},
		{"generations", map[string]any{"model": "labels", "prompt": "x", "size": "9x9"}, nil, 400,
			"170x256, 256x170, 256x256"},
		{"generations", map[string]any{"model": "labels", "prompt": "x", "quality": "hd"}, nil, 400, "quality"},
		{"generations", map[string]any{"model": "labels", "prompt": "x", "sparkle": 1}, nil, 400, "sparkle"},
		{"generations", map[string]any{"model": "labels", "prompt": "x", "response_format": "pdf"}, nil, 400,
			"b64_json"},
		{"generations", map[string]any{"model": "labels", "prompt": "a forbidden thing"}, nil, 422, "content_filter"},
		{"variations", map[string]any{"model": "more"}, map[string][]byte{}, 400, "There is no image"},
		{"variations", map[string]any{"model": "labels"}, flag, 400, "/v1/images/generations"},
		{"variations", map[string]any{"model": "more"}, map[string][]byte{"image": []byte("hello")}, 400, "no picture"},
		{"edits", map[string]any{"model": "more"}, flag, 400, "/v1/images/variations"},
	} {
		text, _ := json.Marshal(c.fields)
		body, headers := string(text), []string{"Content-Type", "application/json"}
		if c.files != nil {
			fields := map[string]string{}
			for name, value := range c.fields {
				fields[name] = fmt.Sprint(value)
			}
			body, headers = form(t, fields, c.files)
		}
		status, got := imagesOf(t, b, "/v1/images/"+c.path, body, headers...)
		if said := got.Error.Message + got.Error.Code; status != c.status || !strings.Contains(said, c.want) {
			t.Errorf("%s %v: %d %+v", c.path, c.fields, status, got.Error)
		}
	}
}

// Programs show desks and models pictures in chat.
func TestProgramsAskAboutPictures(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, looking)
	url := "data:image/png;base64," + base64.StdEncoding.EncodeToString(picturetest.PNG(picturetest.Flag(120, 60)))
	ask := func(model string, urls ...string) (int, completion) {
		parts := `{"type":"text","text":"What is it?"}`
		for _, u := range urls {
			parts += fmt.Sprintf(`,{"type":"image_url","image_url":{"url":%q}}`, u)
		}
		return complete(t, b, fmt.Sprintf(`{"model":%q,"messages":[{"role":"user","content":[%s]}]}`, model, parts))
	}
	for _, model := range []string{"frames", "shed/orchid-eye"} {
		if status, c := ask(model, url); status != 200 || !strings.Contains(c.Choices[0].Message.Content, "120 by 60") {
			t.Errorf("%s: %d %+v", model, status, c)
		}
	}
	for _, c := range []struct {
		model string
		urls  []string
		want  string
	}{
		{"frames", []string{"https://example.org/a.png"}, "data URLs"},
		{"frames", []string{"data:image/png;base64,%%%"}, "not base64"},
		{"frames", []string{"data:image/png;base64,aGVsbG8="}, "no picture"},
		{"frames", []string{url, url, url}, "2 pictures at most"},
		{"helper", []string{url}, "cannot look at pictures"},
		{"shed/thyme-mini", []string{url}, "cannot look at pictures"},
	} {
		if status, got := ask(c.model, c.urls...); status/100 != 4 || !strings.Contains(got.Error.Message, c.want) {
			t.Errorf("%s %.40v: %d %+v", c.model, c.urls, status, got.Error)
		}
	}
	large := "data:image/png;base64," + base64.StdEncoding.EncodeToString(picturetest.PNG(picturetest.Noisy(1700,
		1500, 1)))
	if len(large) < 5<<20 {
		t.Fatalf("%d bytes", len(large))
	}
	if status, c := ask("frames", large); status != 200 || !strings.Contains(c.Choices[0].Message.Content,
		"1700 by 1500") {
		t.Errorf("a large one: %d %+v", status, c.Error)
	}
}
