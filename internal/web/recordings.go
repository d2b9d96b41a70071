package web

import (
	"archive/zip"
	"bufio"
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"path"
	"strconv"
	"strings"

	"github.com/gofiber/fiber/v3"
	"github.com/google/uuid"

	"juvalogos/core/phrase"
	"juvalogos/core/sound"
	"juvalogos/internal/account"
	"juvalogos/internal/api"
	"juvalogos/internal/desk"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/record"
	"juvalogos/internal/recording"
	"juvalogos/internal/reply"
	"juvalogos/internal/shape"
	"juvalogos/internal/source"
)

// Spoken words: recordings that visitors give, questions that they speak, and replies
// that are read to them.

// recordings are the handlers of them.
type recordings struct {
	*door
	Desks      *desk.Service
	Replies    *reply.Service
	Recordings *recording.Service
	Visits     *source.Sources
}

func (s *recordings) routes(api fiber.Router) {
	api.Get("/at/:slug/recordings", s.list)
	api.Post("/at/:slug/recordings", s.add)
	api.Post("/at/:slug/recordings/address", s.addAt)
	api.Get("/at/:slug/recordings/zip", s.zip)
	api.Post("/at/:slug/recordings/:id/begin", s.begin)
	api.Post("/at/:slug/dictation", s.dictate)
	api.Post("/at/:slug/speech", s.speak)
	api.Get("/recordings/:id", s.one)
	api.Delete("/recordings/:id", s.remove)
	api.Post("/recordings/:id/stop", s.stopped)
	api.Put("/recordings/:id/sentences/:sentence", s.putRight)
	api.Get("/recordings/:id/sound", s.sound)
	api.Get("/recordings/:id/text", s.text)
	api.Get("/recordings/:id/inside", s.allowed(account.Read, s.inside, account.Ask))
	api.Post("/recordings/:id/tries", s.allowed(account.Publish, s.try, account.Ask))
}

// at is the desk that recordings are given to, with whoever asks.
func (s *recordings) at(c fiber.Ctx) (who record.Visitor, d *desk.Desk, err error) {
	if who, err = s.visitor(c); err != nil {
		return who, nil, err
	}
	slug, err := s.slugAsked(c)
	if err != nil {
		return who, nil, err
	}
	if d, err = s.Desks.Open(c, slug); err == nil && s.Recordings == nil {
		err = fault.Plain(fault.Deaf)
	}
	return who, d, err
}

// hearing is at for a desk that takes recordings.
func (s *recordings) hearing(c fiber.Ctx) (record.Visitor, *desk.Desk, error) {
	who, d, err := s.at(c)
	if err == nil && !d.Settings.Sound.Take {
		err = fault.Plain(fault.Deaf)
	}
	return who, d, err
}

// estimate is what it will cost to have a recording heard at a desk, about.
func (s *recordings) estimate(d *desk.Desk, r record.Recording) float64 {
	e, err := s.Desks.Hears(d)
	if err != nil {
		return 0
	}
	return e.Hearing(r.Seconds)
}

// estimateOf is estimate for the desk of a recording.
func (s *recordings) estimateOf(c fiber.Ctx, r record.Recording) float64 {
	slug, err := s.Desks.SlugOf(c, r.DeskID)
	if err != nil {
		return 0
	}
	d, err := s.Desks.Open(c, slug)
	if err != nil {
		return 0
	}
	return s.estimate(d, r)
}

func (s *recordings) shaped(c fiber.Ctx, d *desk.Desk, all []record.Recording) []api.Recording {
	maker := s.tellsCost(c)
	return shape.All(all, func(r record.Recording) api.Recording {
		return shape.Recording(r, s.estimate(d, r), maker)
	})
}

func (s *recordings) list(c fiber.Ctx) error {
	who, d, err := s.hearing(c)
	if err != nil {
		return err
	}
	conversation, err := conversationInQuery(c)
	if err != nil {
		return err
	}
	all, err := s.Recordings.List(c, conversation, who)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(api.RecordingList{Recordings: s.shaped(c, d, all)})
}

// add takes recordings in; without a conversation they begin one, whose id is answered.
func (s *recordings) add(c fiber.Ctx) error {
	who, d, err := s.hearing(c)
	if err != nil {
		return err
	}
	conversation, err := conversationInQuery(c)
	if err != nil {
		return err
	}
	return s.take(c, who, d, conversation, "", func(each func(name string, body io.Reader) error) error {
		return eachFile(c, each)
	})
}

func (s *recordings) addAt(c fiber.Ctx) error {
	who, d, err := s.hearing(c)
	if err != nil {
		return err
	}
	var b api.RecordingAt
	if err := readJSON(c, &b); err != nil {
		return err
	}
	title := ""
	switch samples := d.Settings.Sound.Samples; {
	case s.Visits == nil:
		return fault.Say(fault.NotOffered, "This service fetches nothing for visitors.")
	case b.Sample > 0 && b.Sample <= len(samples):
		b.Address, title = samples[b.Sample-1].Address, samples[b.Sample-1].Title
	case b.Sample != 0 || !d.Settings.Sound.Addresses:
		return fault.Say(fault.NotOffered, "At this desk no recordings are fetched from addresses.")
	}
	conversation := uuid.Nil
	if b.Conversation != "" {
		if conversation, err = uuid.Parse(b.Conversation); err != nil {
			return fault.Plain(fault.NoConversation)
		}
	}
	taken, err := s.Limits.Reserve(from(c), d.Slug, limits.Amounts{limits.Errands: 1, limits.ErrandsAtOnce: 1,
		limits.FetchedBytes: 0})
	if err != nil {
		return err
	}
	defer taken.Done()
	name, body, err := s.Visits.File(c, b.Address)
	taken.Take(limits.FetchedBytes, int64(len(body)))
	if why := source.Told(err); err != nil && !why.IsZero() {
		return c.Status(fiber.StatusCreated).JSON(api.RecordingsGiven{Conversation: b.Conversation,
			Recordings: []api.Recording{}, Refused: []api.NotBrought{{Name: cmp.Or(title, b.Address),
				Problem: why.String(), Phrase: why}}})
	}
	if err != nil {
		return err
	}
	if title != "" {
		name = title
	}
	return s.take(c, who, d, conversation, b.Address, func(each func(name string, body io.Reader) error) error {
		return each(name, bytes.NewReader(body))
	})
}

// mostRecordings is how many recordings one request may bring.
const mostRecordings = 20

func (s *recordings) take(c fiber.Ctx, who record.Visitor, d *desk.Desk, conversation uuid.UUID, address string,
	files func(each func(name string, body io.Reader) error) error) error {
	taken, err := s.Limits.Reserve(from(c), d.Slug,
		limits.Amounts{limits.Uploads: 1, limits.UploadsAtOnce: 1, limits.UploadBytes: 0})
	if err != nil {
		return err
	}
	defer taken.Done()
	if conversation == uuid.Nil {
		conversation = uuid.Must(uuid.NewV7())
	}
	out := api.RecordingsGiven{Conversation: conversation.String(), Refused: []api.NotBrought{}}
	refuse := func(name string, why phrase.Phrase) {
		out.Refused = append(out.Refused, api.NotBrought{Name: name, Problem: why.String(), Phrase: why})
	}
	tried := 0
	err = files(func(name string, body io.Reader) error {
		if tried++; tried > mostRecordings {
			refuse(recording.CleanName(name), phrase.Of("up to %d recordings are taken at a time", mostRecordings))
			return nil
		}
		_, problem, err := s.Recordings.Take(from(c), recording.For{Desk: d, Conversation: conversation, Visitor: who,
			Source: address}, name, &counted{body, taken})
		if !problem.IsZero() {
			refuse(recording.CleanName(name), problem)
		}
		return err
	})
	if err != nil {
		return err
	}
	all, err := s.Recordings.List(c, conversation, who)
	if err != nil {
		return err
	}
	out.Recordings = s.shaped(c, d, all)
	return c.Status(fiber.StatusCreated).JSON(out)
}

func (s *recordings) begin(c fiber.Ctx) error {
	_, id, err := s.recordingAsked(c)
	if err != nil {
		return err
	}
	who, d, err := s.hearing(c)
	if err != nil {
		return err
	}
	var b api.RecordingWishes
	if err := readJSON(c, &b); err != nil {
		return err
	}
	if err := s.Recordings.Begin(from(c), d, id, who, record.Wishes{Task: string(b.Task), Language: b.Language,
		Names: b.Names, Temperature: b.Temperature}, b.Again); err != nil {
		return err
	}
	r, err := s.Recordings.Of(c, id, who)
	if err != nil {
		return err
	}
	return c.Status(fiber.StatusAccepted).JSON(shape.Recording(r, s.estimate(d, r), s.tellsCost(c)))
}

func (s *recordings) recordingAsked(c fiber.Ctx) (record.Visitor, uuid.UUID, error) {
	if s.Recordings == nil {
		return record.Visitor{}, uuid.Nil, fault.Plain(fault.NoRecording)
	}
	return s.idAsked(c, fault.NoRecording)
}

func (s *recordings) one(c fiber.Ctx) error {
	who, id, err := s.recordingAsked(c)
	if err != nil {
		return err
	}
	seen, _ := strconv.ParseInt(c.Query("seen"), 10, 64)
	if seen > 0 { // it may wait; only its owner does
		if _, err := s.Recordings.Of(c, id, who); err != nil {
			return err
		}
		taken, err := s.Limits.Reserve(from(c), "", limits.Amounts{limits.Streams: 1})
		if err != nil {
			return err
		}
		defer taken.Done()
	}
	r, pieces, err := s.Recordings.Wait(c, id, who, seen)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(shape.RecordingWhole(r, pieces, s.estimateOf(c, r), s.tellsCost(c), seen == 0))
}

func (s *recordings) done(c fiber.Ctx, do func(context.Context, uuid.UUID, record.Visitor) error) error {
	who, id, err := s.recordingAsked(c)
	if err == nil {
		err = do(c, id, who)
	}
	if err != nil {
		return err
	}
	return c.SendStatus(fiber.StatusNoContent)
}

func (s *recordings) remove(c fiber.Ctx) error {
	return s.done(c, func(ctx context.Context, id uuid.UUID, who record.Visitor) error {
		return s.Recordings.Remove(ctx, id, who)
	})
}

func (s *recordings) stopped(c fiber.Ctx) error {
	return s.done(c, func(ctx context.Context, id uuid.UUID, who record.Visitor) error {
		return s.Recordings.Stop(ctx, id, who)
	})
}

func (s *recordings) putRight(c fiber.Ctx) error {
	who, id, err := s.recordingAsked(c)
	if err != nil {
		return err
	}
	n, err := strconv.Atoi(c.Params("sentence"))
	if err != nil {
		return invalid("The place of a sentence is a number, from 0 on.")
	}
	var b api.SentenceRight
	if err := readJSON(c, &b); err != nil {
		return err
	}
	names, err := s.Recordings.PutRight(c, id, who, n, sound.Right{Text: b.Text, Who: b.Who})
	if err != nil {
		return err
	}
	return c.JSON(api.NewNames{Names: append([]string{}, names...)})
}

// sound sends the sound of a recording, or a part of it. It never changes, but may be
// deleted.
func (s *recordings) sound(c fiber.Ctx) error {
	who, id, err := s.recordingAsked(c)
	if err != nil {
		return err
	}
	r, err := s.Recordings.Of(c, id, who)
	if err != nil {
		return err
	}
	if !r.Kept {
		return fiber.NewError(fiber.StatusGone, "The recording is not kept any more.")
	}
	c.Set("Cache-Control", "private, no-store")
	c.Set("ETag", `"`+r.ID.String()+`"`)
	c.Set("Content-Security-Policy", "sandbox; default-src 'none'")
	c.Set("Content-Type", "audio/flac")
	return ranged(c, r.Size, func(from int64) io.Reader {
		return s.Recordings.Sound(context.WithoutCancel(c), r, from)
	})
}

// textForms are the files that the words of a recording are taken away as.
var textForms = map[string]struct{ ending, kind string }{
	"text": {".txt", "text/plain; charset=utf-8"}, "srt": {".srt", "application/x-subrip; charset=utf-8"},
	"vtt": {".vtt", "text/vtt; charset=utf-8"}, "json": {".json", "application/json"},
}

// wordsAs are the words of a recording as a file.
func wordsAs(form string, name string, seconds float64, t, heard sound.Transcript) ([]byte, error) {
	switch form {
	case "srt":
		return []byte(t.SRT()), nil
	case "vtt":
		return []byte(t.VTT()), nil
	case "json":
		return json.MarshalIndent(api.RecordingText{Name: name, Seconds: seconds, Language: t.Language,
			Sentences: shape.Sentences(t, heard)}, "", "  ")
	}
	return []byte(t.Text() + "\n"), nil
}

func (s *recordings) text(c fiber.Ctx) error {
	who, id, err := s.recordingAsked(c)
	if err != nil {
		return err
	}
	form := cmp.Or(c.Query("as"), "text")
	how, ok := textForms[form]
	if !ok {
		return invalid("A recording's words are given as text, srt, vtt or json.")
	}
	r, pieces, err := s.Recordings.Wait(c, id, who, 0)
	if err != nil {
		return err
	}
	text, heard := recording.Transcript(r, pieces)
	body, err := wordsAs(form, r.Name, r.Seconds, text, heard)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	c.Set("Content-Type", how.kind)
	c.Attachment(strings.TrimSuffix(r.Name, path.Ext(r.Name)) + how.ending)
	c.Set("Content-Type", how.kind)
	return c.Send(body)
}

func (s *recordings) zip(c fiber.Ctx) error {
	who, d, err := s.hearing(c)
	if err != nil {
		return err
	}
	conversation, err := conversationInQuery(c)
	if err != nil {
		return err
	}
	form := cmp.Or(c.Query("as"), "text")
	how, ok := textForms[form]
	if !ok {
		return invalid("A recording's words are given as text, srt, vtt or json.")
	}
	all, err := s.Recordings.List(c, conversation, who)
	if err != nil {
		return err
	}
	if len(all) == 0 {
		return fault.Plain(fault.NoRecording)
	}
	c.Set("Content-Type", "application/zip")
	c.Set("Content-Disposition", fmt.Sprintf("attachment; filename=%q", d.Slug+"-recordings.zip"))
	ctx := context.WithoutCancel(c)
	return c.SendStreamWriter(func(w *bufio.Writer) {
		if err := s.writeZip(ctx, w, who, all, form, how.ending); err != nil {
			s.Log.Info("a ZIP of recordings was not sent whole", "error", err)
		}
	})
}

func (s *recordings) writeZip(ctx context.Context, to io.Writer, who record.Visitor, all []record.Recording,
	form, ending string) error {
	z := zip.NewWriter(to)
	names := map[string]int{}
	for _, one := range all {
		r, pieces, err := s.Recordings.Wait(ctx, one.ID, who, 0)
		if err != nil {
			return err
		}
		name := strings.TrimSuffix(r.Name, path.Ext(r.Name))
		if names[name]++; names[name] > 1 {
			name += "-" + strconv.Itoa(names[name])
		}
		text, heard := recording.Transcript(r, pieces)
		body, err := wordsAs(form, r.Name, r.Seconds, text, heard)
		if err != nil {
			return err
		}
		part, err := z.CreateHeader(&zip.FileHeader{Name: name + ending, Method: zip.Deflate, Modified: r.AddedAt})
		if err == nil {
			_, err = part.Write(body)
		}
		if err != nil {
			return err
		}
	}
	return z.Close()
}

// inside is how a recording of the maker's own was written down.
func (s *recordings) inside(c fiber.Ctx) error {
	who, id, err := s.recordingAsked(c)
	if err != nil {
		return err
	}
	r, pieces, slug, err := s.Recordings.Inside(c, id, who)
	if err != nil {
		return err
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(shape.RecordingInside(r, pieces, slug, s.estimateOf(c, r)))
}

// try has a recording of the maker's own written down in another way.
func (s *recordings) try(c fiber.Ctx) error {
	who, id, err := s.recordingAsked(c)
	if err != nil {
		return err
	}
	var b api.RecordingTry
	if err := readJSON(c, &b); err != nil {
		return err
	}
	out, e, err := s.Recordings.Try(from(c), id, who, recording.Try{Model: b.Model, Start: b.Start, End: b.End,
		Wishes: record.Wishes{Task: string(b.Task), Language: b.Language, Names: b.Names, Temperature: b.Temperature,
			Words: true}})
	if err != nil {
		return s.notHeard(err)
	}
	return c.JSON(api.RecordingTried{Text: out.Text.Text(), Model: e.Path(), Language: out.Text.Language,
		Seconds: out.Seconds, Cost: out.Cost})
}

// dictate answers with the words of a spoken question.
func (s *recordings) dictate(c fiber.Ctx) error {
	who, d, err := s.at(c)
	if err == nil && !d.Settings.Sound.Hears() {
		err = fault.Say(fault.NotOffered, "At this desk questions are typed.")
	}
	if err != nil {
		return err
	}
	taken, err := s.Limits.Reserve(from(c), d.Slug,
		limits.Amounts{limits.Uploads: 1, limits.UploadsAtOnce: 1, limits.UploadBytes: 0})
	if err != nil {
		return err
	}
	defer taken.Done()
	var out *api.Dictated
	err = eachFile(c, func(name string, body io.Reader) error {
		if out != nil {
			return invalid("Send one recording at a time.")
		}
		w, problem, err := s.Recordings.Write(from(c), recording.For{Desk: d, Visitor: who}, name,
			&counted{body, taken}, record.Wishes{}, nil)
		out = &api.Dictated{Text: strings.ReplaceAll(w.Text.Text(), "\n\n", " "), Problem: problem}
		return err
	})
	if err != nil {
		return s.notHeard(err)
	}
	if out == nil {
		return invalid("There is no recording.")
	}
	c.Set("Cache-Control", "no-store")
	return c.JSON(out)
}

// notHeard is what is said of a sound that no model wrote down.
func (s *recordings) notHeard(err error) error {
	return recording.Said(s.Log, err)
}

// speak reads a sentence of a reply aloud.
func (s *recordings) speak(c fiber.Ctx) error {
	who, d, err := s.at(c)
	if err != nil {
		return err
	}
	var b api.AloudWanted
	if err := readJSON(c, &b); err != nil {
		return err
	}
	turn, err := uuid.Parse(b.Turn)
	if err != nil {
		return fault.Plain(fault.NoTurn)
	}
	r, err := s.Replies.Watch(c, who, turn)
	if err != nil {
		return err
	}
	if !recording.Holds(wholeText(r), b.Text) {
		return fault.Say(fault.Invalid, "Only what stands in the reply is read aloud.")
	}
	spoken, err := s.Recordings.Say(from(c), d, who, b.Text)
	if err != nil {
		return err
	}
	return sendSpeech(c, spoken)
}

// wholeText is all that a reply says.
func wholeText(r *reply.Reply) string {
	v := r.Since(0, nil)
	text := string(cmp.Or(string(v.Mended), string(v.Text)))
	lanes, _ := r.LanesSince(nil)
	for _, lane := range lanes {
		text += "\n" + string(lane.Text)
	}
	return text
}

func sendSpeech(c fiber.Ctx, spoken recording.Speech) error {
	c.Set("Cache-Control", "private, max-age=3600")
	c.Set("Content-Security-Policy", "sandbox; default-src 'none'")
	c.Set("Content-Type", spoken.Kind)
	return c.SendStream(spoken.Body, int(spoken.Size))
}
