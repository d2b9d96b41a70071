package protocol

import (
	"errors"
	"io"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"juvalogos/core/recipe"
	"juvalogos/core/sound"
	"juvalogos/internal/models"
	"juvalogos/internal/soundtest"
	"juvalogos/standin/modelserver"
	"juvalogos/standin/scripted"
)

// heardOf asks for the words of a sound.
func heardOf(t *testing.T, c models.Client, r models.Request) (h sound.Heard, text string, err error) {
	t.Helper()
	r.Files = []recipe.Media{{Name: "note", Kind: "audio/wav", Body: tonesWAV()}}
	if r.Hear == nil {
		r.Hear = &sound.Asked{Seconds: 2, Words: true}
	}
	_, err = c.Generate(t.Context(), r, models.Sink{Heard: func(heard sound.Heard) { h = heard },
		Text: func(b []byte) { text += string(b) }})
	return h, text, err
}

const toneText = "bala bela bila"

func tonesWAV() []byte {
	samples, _ := scripted.Tones([]int{0, 1, 2}, func(int) float64 { return 0.2 })
	return soundtest.WAV(samples, 16000)
}

func TestTheProtocolHears(t *testing.T) {
	ear := &scripted.Ear{}
	server := httptest.NewServer(ear)
	defer server.Close()
	c, err := NewChatCompletions(models.Connection{Name: "hall", Address: server.URL + "/v1"}, models.NewSecret("k"))
	if err != nil {
		t.Fatal(err)
	}
	h, text, err := heardOf(t, c, models.Request{Model: "ear", Hear: &sound.Asked{Language: "de", Prompt: "Alder Vale",
		Words: true}})
	f := ear.Fields[0]
	if err != nil || len(h.Words) != 3 || h.Language != "en" || text != toneText || f["language"] != "de" ||
		f["prompt"] != "Alder Vale" || f["timestamp_granularities[]"] != "word segment" ||
		f["response_format"] != "verbose_json" {
		t.Errorf("%+v %q %v, asked with %v", h, text, err, f)
	}
	// One that does not know verbose_json is asked plainly, and from then on at once.
	ear.Plain = true
	for want := 3; want <= 4; want++ {
		if h, text, err := heardOf(t, c, models.Request{Model: "ear"}); err != nil || text != toneText ||
			len(h.Words) != 0 ||
			ear.Asks() != want {
			t.Errorf("%+v %q %v after %d asks", h, text, err, ear.Asks())
		}
	}
	// What the connection says is kept to.
	if _, _, err := heardOf(t, c, models.Request{Model: "ear", Answers: "verbose_json"}); err == nil {
		t.Error("another form was asked for than the connection says")
	}
	if _, _, err := heardOf(t, c, models.Request{Model: "ear",
		Hear: &sound.Asked{Translate: true, Language: "de"}}); err != nil ||
		!strings.HasSuffix(ear.Fields[len(ear.Fields)-1]["path"], "/audio/translations") ||
		ear.Fields[len(ear.Fields)-1]["language"] != "" {
		t.Errorf("translated: %v, %v", ear.Fields[len(ear.Fields)-1], err)
	}
}

// What servers answer, and what becomes of it.
func TestAnswersOfRecognisers(t *testing.T) {
	for _, c := range []struct {
		name, kind, body string
		status           int
		text             string
		sentences        int
		wrong            models.ErrorKind
	}{
		{"SRT", "text/plain",
			"1\n00:00:00,000 --> 00:00:01,000\nLight it.\n\n2\n00:00:01,500 --> 00:00:02,000\nWait.\n", 200,
			"Light it. Wait.", 2, ""},
		{"WebVTT", "text/vtt", "WEBVTT\n\n00:00.000 --> 00:01.000\n<v Ada>Light it.\n", 200, "Light it.", 1, ""},
		{"plain", "text/plain", " Light it.\n", 200, "Light it.", 0, ""},
		{"nothing", "application/json", `{"text": ""}`, 200, "", 0, ""},
		{"a page", "text/html", "<html><body>Sign in</body></html>", 200, "", 0, models.Garbled},
		{"an error in 200", "application/json", `{"error": {"message": "no credit", "code": "insufficient_quota"}}`, 200, "", 0,
			models.NoCredit},
		{"no key", "application/json", `{"error": {"message": "wrong key"}}`, 401, "", 0, models.KeyRefused},
		{"busy", "application/json", `{"error": {"message": "slow down"}}`, 429, "", 0, models.Busy},
		{"cut", "application/json", `{"text": "Li`, 200, "", 0, models.Garbled},
	} {
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			_, _ = io.Copy(io.Discard, r.Body)
			w.Header().Set("Content-Type", c.kind)
			w.WriteHeader(c.status)
			_, _ = io.WriteString(w, c.body)
		}))
		client, err := NewChatCompletions(models.Connection{Name: "hall", Address: server.URL + "/v1"},
			models.NewSecret(""))
		if err != nil {
			t.Fatal(err)
		}
		form := ""
		if c.name == "SRT" {
			form = "srt"
		}
		h, text, err := heardOf(t, client, models.Request{Model: "ear", Answers: form})
		var failure *models.Error
		if c.wrong != "" && (!errors.As(err, &failure) || failure.Kind != c.wrong) {
			t.Errorf("%s: %v instead of %s", c.name, err, c.wrong)
		}
		if c.wrong == "" && (err != nil || text != c.text || len(h.Sentences) != c.sentences) {
			t.Errorf("%s: %+v %q %v", c.name, h, text, err)
		}
		server.Close()
	}
}

func TestAnEndpointHearsAndSpeaks(t *testing.T) {
	var kind, field string
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		kind = r.Header.Get("Content-Type")
		if strings.HasPrefix(kind, "multipart/") {
			if err := r.ParseMultipartForm(1 << 20); err == nil {
				field = r.FormValue("hint")
				if _, _, err := r.FormFile("audio"); err != nil {
					field = err.Error()
				}
			}
		}
		if r.URL.Path == "/say" {
			w.Header().Set("Content-Type", "audio/wav")
			_, _ = w.Write(tonesWAV())
			return
		}
		w.Header().Set("Content-Type", "application/json")
		_, _ = io.WriteString(w, `{"out": {"said": "Light it.", "lang": "English", "w": [{"text": "Light", "start": 0.1,
			"end": 0.4, "confidence": 0.9}, {"text": "it", "start": 0.5, "end": 0.6}]}}`)
	}))
	defer server.Close()
	client := func(e models.Endpoint) models.Client {
		t.Helper()
		c, err := newEndpoint(models.Connection{Name: "hall", Address: server.URL, Endpoint: &e}, models.NewSecret(""))
		if err != nil {
			t.Fatal(err)
		}
		return c
	}
	how := models.Endpoint{Path: "/hear", Form: "parts", Body: "audio=@sound\nhint={{.prompt}}\nlang={{.language}}\n",
		Reply: "/out/said", Words: "/out/w", Language: "/out/lang"}
	h, text, err := heardOf(t, client(how), models.Request{Model: "ear", Hear: &sound.Asked{Prompt: "Alder Vale"}})
	if err != nil || text != "Light it." || len(h.Words) != 2 || h.Words[0].Sure == nil || h.Language != "en" ||
		field != "Alder Vale" {
		t.Errorf("%+v %q %v; %s, %q", h, text, err, kind, field)
	}
	how = models.Endpoint{Path: "/hear", Form: "raw", Reply: "/out/said"}
	if _, text, err := heardOf(t, client(how), models.Request{Model: "ear"}); err != nil || text != "Light it." ||
		kind != "audio/wav" {
		t.Errorf("raw: %q %v, %s", text, err, kind)
	}
	how = models.Endpoint{Path: "/say", Body: `{"text": {{json .question}}, "voice": {{json .voice}}}`}
	d := wish(t, client(how), models.Request{Model: "v", Say: &sound.Saying{Text: "Light it.", Voice: "slt"}})
	if d.err != nil || len(d.files) != 1 || len(d.files[0].Body) != len(tonesWAV()) {
		t.Errorf("spoken: %d files, %v", len(d.files), d.err)
	}
}

func TestProgramsHear(t *testing.T) {
	folder, err := os.MkdirTemp("", "juvalogos-ears-") // one that anybody may enter
	if err != nil {
		t.Fatal(err)
	}
	defer os.RemoveAll(folder)
	if err := os.Chmod(folder, 0o755); err != nil {
		t.Fatal(err)
	}
	for name, c := range map[string]struct {
		speaks, script, text string
		words                int
	}{
		"lines": {"lines", `#!/bin/sh
echo '{"type":"hello","version":1}'
while read -r line; do
  id=$(echo "$line" | sed 's/.*"id":"\([^"]*\)".*/\1/')
  echo "{\"type\":\"heard\",\"id\":\"$id\",\"text\":\"Light it.\",\"words\":[{\"text\":\"Light\",\"start\":0.1,\"end\":0.4}]}"
  echo "{\"type\":\"done\",\"id\":\"$id\"}"
done
`, "Light it.", 1},
		"json": {"plain", "#!/bin/sh\necho '{\"words\": [{\"text\": \"light\", \"start\": 0.1, \"end\": 0.4}]}'\n",
			"", 1},
		"text": {"plain", "#!/bin/sh\ntest -s \"$JUVALOGOS_FILES\" && echo \"in $JUVALOGOS_LANGUAGE\"\n", "in de", 0},
		"srt":  {"plain", "#!/bin/sh\nprintf 'WEBVTT\\n\\n00:00.000 --> 00:01.000\\nLight it.\\n'\n", "Light it.", 0},
		"mute": {"plain", "#!/bin/sh\nexit 0\n", "", 0},
	} {
		file := filepath.Join(folder, name+".sh")
		if err := os.WriteFile(file, []byte(c.script), 0o755); err != nil {
			t.Fatal(err)
		}
		client, err := newProgram(models.Connection{Name: "p",
			Program: &models.Program{Run: []string{file}, Speaks: c.speaks},
			Models:  []models.Model{{Name: "ear", Can: []string{"hear"}}}}, models.NewSecret(""))
		if err != nil {
			t.Fatal(err)
		}
		h, text, err := heardOf(t, client, models.Request{Model: "ear", Hear: &sound.Asked{Language: "de"}})
		if err != nil || text != c.text || len(h.Words) != c.words {
			t.Errorf("%s: %+v %q %v", name, h, text, err)
		}
		_ = client.(io.Closer).Close()
	}
}

// The simulated recogniser is asked as a real one is.
func TestTheStandInHears(t *testing.T) {
	model := &modelserver.Server{Key: "k"}
	server := httptest.NewServer(model.Handler())
	defer server.Close()
	c, err := NewChatCompletions(models.Connection{Name: "shed", Address: server.URL + "/v1"}, models.NewSecret("k"))
	if err != nil {
		t.Fatal(err)
	}
	if _, text, err := heardOf(t, c, models.Request{Model: "burdock-ear"}); err != nil ||
		!strings.Contains(text, "recordings of the demo") {
		t.Errorf("%q, %v", text, err)
	}
	if _, _, err := heardOf(t, c, models.Request{Model: "heather-2"}); err == nil {
		t.Error("a model that does not hear heard")
	}
}
