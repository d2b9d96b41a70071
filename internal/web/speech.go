package web

import (
	"bufio"
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/gofiber/fiber/v3"

	"juvalogos/core/phrase"
	"juvalogos/core/sound"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/recording"
	"juvalogos/internal/shape"
	"juvalogos/internal/sse"
)

// The protocol's calls for spoken words, with desks that hear and speak for models.

// speech are the handlers of them.
type speech struct {
	*door
	Desks      *desk.Service
	Recordings *recording.Service
}

func (s *speech) routes(root fiber.Router) {
	root.Post("/v1/audio/transcriptions", s.transcribe)
	root.Post("/v1/audio/translations", s.transcribe)
	root.Post("/v1/audio/speech", s.speak)
}

// heardWish is a request for the words of a sound.
type heardWish struct {
	model, format string
	words, stream bool
	wishes        record.Wishes
}

// Parameters that change nothing of the words are passed over, if they say what would
// happen without them.
var (
	hearKnow  = []string{"model", "language", "prompt", "response_format", "temperature", "stream"}
	hearPass  = []string{"user", "timestamp_granularities[]", "timestamp_granularities"}
	hearForms = []string{"json", "text", "srt", "verbose_json", "vtt"}
)

// take reads a parameter.
func (w *heardWish) take(c fiber.Ctx, name, value string) error {
	switch {
	case strings.HasPrefix(name, "timestamp_granularities"):
		w.words = w.words || value == "word"
	case slices.Contains(hearPass, name):
	case !slices.Contains(hearKnow, name):
		return refuse(c, name, "unknown_parameter", fmt.Sprintf("The parameter %q is not known here; leave it out.",
			name))
	case name == "model":
		w.model = value
	case name == "language":
		w.wishes.Language = value
	case name == "prompt":
		w.wishes.Names = value
	case name == "response_format":
		if w.format = value; !slices.Contains(hearForms, value) {
			return refuse(c, name, badValue, "response_format is one of: "+strings.Join(hearForms, ", ")+".")
		}
	case name == "temperature":
		t, err := strconv.ParseFloat(value, 64)
		if err != nil || t < 0 || t > 1 {
			return refuse(c, name, badValue, "temperature is a number from 0 to 1.")
		}
		w.wishes.Temperature = &t
	case name == "stream":
		w.stream = value == "true"
	}
	return nil
}

// transcribe answers with the words of a sound. The file may come before what is said
// of it, so it is set aside first.
func (s *speech) transcribe(c fiber.Ctx) error {
	if _, err := s.token(c); err != nil {
		return err
	}
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	w := heardWish{format: "json"}
	if strings.HasSuffix(c.Path(), "/translations") {
		w.wishes.Task = "english"
	}
	var file *recording.Aside
	defer func() { file.Close() }()
	name, problem := "", phrase.Phrase{}
	err = eachPart(c, func(field, of string, body io.Reader) error {
		if of == "" {
			value, err := io.ReadAll(io.LimitReader(body, int64(longestSetting)))
			if err != nil {
				return err
			}
			return w.take(c, field, string(value))
		}
		if field != "file" || file != nil {
			return refuse(c, field, "unknown_parameter", "Send one file, in the field called file.")
		}
		var err error
		name = of
		file, problem, err = recording.SetAside(body)
		return err
	})
	if err != nil {
		return err
	}
	if file == nil && problem.IsZero() {
		return refuse(c, "file", badValue, "There is no file.")
	}
	d, err := s.hearing(c, w)
	if err != nil {
		return err
	}
	f := recording.For{Desk: d, Visitor: who}
	if w.stream && problem.IsZero() {
		held := file
		file = nil // whoever streams closes it
		return s.stream(c, f, w, name, held)
	}
	var out recording.Written
	if problem.IsZero() {
		out, problem, err = s.Recordings.Write(from(c), f, name, file, w.wishes, nil)
	}
	if err != nil {
		return recording.Said(s.Log, err)
	}
	if !problem.IsZero() {
		return &fault.Problem{Code: fault.Invalid, Sentence: phrase.Of("The recording %s was not taken: %s.",
			recording.CleanName(name), problem)}
	}
	return sendHeard(c, w, out)
}

// hearing is the desk that is named for the model, if it hears.
func (s *speech) hearing(c fiber.Ctx, w heardWish) (*desk.Desk, error) {
	if w.model == "" {
		return nil, refuse(c, "model", badValue, "model is missing: the slug of a desk.")
	}
	if strings.HasPrefix(w.model, desk.DraftMark) {
		return nil, fault.Plain(fault.NoDesk)
	}
	d, err := s.Desks.Open(from(c), w.model)
	if err != nil {
		return nil, err
	}
	if s.Recordings == nil || !d.Settings.Sound.Take {
		return nil, refuse(c, "model", badValue, fmt.Sprintf("The desk %q takes no recordings.", w.model))
	}
	own := d.Settings.Sound
	for name, there := range map[string]bool{"task": w.wishes.Task != "" && w.wishes.Task != cmp.Or(own.Task, "write"),
		"language": w.wishes.Language != "" && w.wishes.Language != own.Language,
		"temperature": w.wishes.Temperature != nil && (own.Temperature == nil ||
			*own.Temperature != *w.wishes.Temperature)} {
		if there && !own.May(name) {
			if name == "task" {
				return nil, refuse(c, "model", notSupported, fmt.Sprintf("At the desk %q nobody chooses between "+
					"words as they are spoken and a translation; ask at the other of /v1/audio/transcriptions and "+
					"/v1/audio/translations.", w.model))
			}
			return nil, refuse(c, name, notSupported, fmt.Sprintf("The %s cannot be chosen at this desk; leave it out.",
				name))
		}
	}
	return d, nil
}

// sendHeard answers in the form that is wanted.
func sendHeard(c fiber.Ctx, w heardWish, out recording.Written) error {
	c.Set("Content-Type", "text/plain; charset=utf-8")
	switch w.format {
	case "text":
		return c.SendString(plainText(out.Text) + "\n")
	case "srt":
		return c.SendString(out.Text.SRT())
	case "vtt":
		c.Set("Content-Type", "text/vtt; charset=utf-8")
		return c.SendString(out.Text.VTT())
	}
	b := api.SpeechWritten{Text: plainText(out.Text)}
	if w.format == "verbose_json" {
		b.Task, b.Duration, b.Language = "transcribe", out.Seconds,
			strings.ToLower(sound.LanguageName(out.Text.Language))
		if w.wishes.Task != "" {
			b.Task = "translate"
		}
		for i, one := range out.Text.Sentences {
			b.Segments = append(b.Segments, api.SpeechSegment{ID: i, Start: one.Start, End: one.End, Text: one.Text})
		}
		if w.words {
			b.Words = shape.All(out.Text.Words(), func(o sound.Word) api.SpeechWord {
				return api.SpeechWord{Word: o.Text, Start: o.Start, End: o.End}
			})
		}
	}
	return c.JSON(b)
}

// plainText is a transcript without paragraphs.
func plainText(t sound.Transcript) string { return strings.Join(strings.Fields(t.Text()), " ") }

// stream sends the words as they are heard.
func (s *speech) stream(c fiber.Ctx, f recording.For, w heardWish, name string, file *recording.Aside) error {
	c.Set("Content-Type", "text/event-stream")
	c.Set("Cache-Control", "no-cache")
	c.Set("X-Accel-Buffering", "no")
	ctx := context.WithoutCancel(from(c))
	return c.SendStreamWriter(func(to *bufio.Writer) {
		defer file.Close()
		ctx, left := context.WithCancel(ctx)
		defer left()
		var mu sync.Mutex
		sent := ""
		send := func(kind string, fields map[string]any) {
			fields["type"] = kind
			text, err := json.Marshal(fields)
			if err == nil {
				_, err = to.Write(sse.Append(nil, "", "", text))
			}
			if err == nil {
				err = to.Flush()
			}
			if err != nil {
				left()
			}
		}
		more := func(text string) {
			if rest, ok := strings.CutPrefix(text, sent); ok && rest != "" {
				sent = text
				send("transcript.text.delta", map[string]any{"delta": rest})
			}
		}
		out, problem, err := s.Recordings.Write(ctx, f, name, file, w.wishes, func(t sound.Transcript) {
			mu.Lock()
			defer mu.Unlock()
			if n := len(t.Sentences); n > 1 { // the last one may grow
				t.Sentences = t.Sentences[:n-1]
				more(plainText(t))
			}
		})
		mu.Lock()
		defer mu.Unlock()
		if err != nil || !problem.IsZero() {
			sentence := problem.String()
			if err != nil {
				sentence = fault.Sentence(fault.Unexpected).String()
				if p := new(fault.Problem); errors.As(recording.Said(s.Log, err), &p) {
					sentence = p.Sentence.String()
				}
			}
			send("error", map[string]any{"error": map[string]any{"message": sentence}})
			return
		}
		more(plainText(out.Text))
		send("transcript.text.done", map[string]any{"text": plainText(out.Text)})
	})
}

// speechKinds are the kinds of files that may be asked for, by their names in the
// protocol, and ours.
var speechKinds = map[string]struct{ title, made, media string }{
	"mp3": {"MP3", "mp3", "audio/mpeg"}, "wav": {"WAV", "wav", "audio/wav"}, "flac": {"FLAC", "flac", "audio/flac"},
	"opus": {"OGG", "ogg", "audio/ogg"},
}

func (s *speech) speak(c fiber.Ctx) error {
	if _, err := s.token(c); err != nil {
		return err
	}
	who, err := s.visitor(c)
	if err != nil {
		return err
	}
	var given map[string]json.RawMessage
	if err := readJSON(c, &given); err != nil {
		return err
	}
	for name := range given {
		if !slices.Contains([]string{"model", "input", "voice", "response_format", "speed", "instructions"}, name) {
			return refuse(c, name, "unknown_parameter", fmt.Sprintf("The parameter %q is not known here; leave it out.",
				name))
		}
	}
	var b api.SpeechWanted
	text, err := json.Marshal(given)
	if err == nil {
		err = json.Unmarshal(text, &b)
	}
	if err != nil {
		return invalid("The request cannot be read: " + err.Error() + ".")
	}
	d, e, err := s.speaking(c, b)
	if err != nil {
		return err
	}
	aloud := d.Settings.Aloud
	spoken, err := s.Recordings.SayAs(from(c), d, e, who, sound.Saying{Text: b.Input,
		Voice: e.Speaks.Voice(cmp.Or(b.Voice, aloud.Voice)), Speed: cmp.Or(b.Speed, aloud.Speed), Kind: e.Speaks.Kind})
	if err != nil {
		return err
	}
	wanted := speechKinds[cmp.Or(string(b.ResponseFormat), "mp3")]
	if spoken.Kind != wanted.media {
		if spoken, err = s.Recordings.SpokenAs(from(c), spoken, wanted.made, wanted.media); err != nil {
			return err
		}
	}
	return sendSpeech(c, spoken)
}

// speaking is the desk that is named for the model, with the model that speaks for it.
func (s *speech) speaking(c fiber.Ctx, b api.SpeechWanted) (*desk.Desk, models.Entry, error) {
	var e models.Entry
	if strings.HasPrefix(b.Model, desk.DraftMark) {
		return nil, e, fault.Plain(fault.NoDesk)
	}
	d, err := s.Desks.Open(from(c), b.Model)
	if err != nil {
		return nil, e, err
	}
	if s.Recordings == nil || d.Settings.Aloud.Model == "" {
		return nil, e, refuse(c, "model", badValue, fmt.Sprintf("The desk %q reads nothing aloud.", b.Model))
	}
	if e, err = s.Desks.Speaks(d); err != nil {
		return nil, e, err
	}
	if voices := e.Speaks.Voices; b.Voice != "" && len(voices) > 0 && !slices.Contains(voices, b.Voice) {
		return nil, e, refuse(c, "voice", badValue, "voice is one of: "+strings.Join(voices, ", ")+".")
	}
	if _, ok := speechKinds[cmp.Or(string(b.ResponseFormat), "mp3")]; !ok {
		return nil, e, refuse(c, "response_format", badValue, "response_format is mp3, wav, flac or opus.")
	}
	if b.Speed != 0 && (b.Speed < 0.25 || b.Speed > 4) {
		return nil, e, refuse(c, "speed", badValue, "speed is a number from 0.25 to 4.")
	}
	return d, e, nil
}
