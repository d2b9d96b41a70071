package recording_test

import (
	"bytes"
	"context"
	"fmt"
	"math/rand/v2"
	"net/http/httptest"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/google/uuid"
	"github.com/jackc/pgx/v5"

	"juvalogos/core/sound"
	"juvalogos/internal/desk"
	"juvalogos/internal/models"
	"juvalogos/internal/record"
	"juvalogos/internal/recording"
	"juvalogos/internal/soundtest"
	"juvalogos/internal/store/storetest"
	"juvalogos/internal/testbed"
	"juvalogos/standin/scripted"
)

func TestMain(m *testing.M) { testbed.Main(m) }

const deskFile = `slug: notes
title: Notes
purpose: Writes down.
model: thyme-mini
sound: {take: true, dictate: true, model: ear, names: "Alder Vale", change: [language], %s}
aloud: {model: ear}
`

// place is a test bed with an ear of tones, and a desk that uses it.
type place struct {
	*testbed.Bed
	ear  *scripted.Ear
	desk *desk.Desk
	db   *pgx.Conn
}

func open(t testing.TB, settings string, hears models.Hears) *place {
	t.Helper()
	address := storetest.URL(t)
	p := &place{Bed: testbed.New(t, testbed.Options{Database: address}), ear: &scripted.Ear{}}
	var err error
	if p.db, err = pgx.Connect(context.Background(), address); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = p.db.Close(context.Background()) })
	server := httptest.NewServer(p.ear)
	t.Cleanup(server.Close)
	p.hear(server.URL, hears)
	p.publish(t, settings)
	return p
}

// hear puts a recogniser beside the simulated model.
func (p *place) hear(address string, hears models.Hears) {
	file, _ := p.Connections.Models.Connections()
	if len(file) > 1 {
		file = file[:1]
	}
	p.Connections.Models.Replace(models.File{Connections: append(file, models.Connection{Name: "hall",
		Protocol: "chat-completions", Address: address + "/v1", Patience: 5 * time.Second, Models: []models.Model{{
			Name: "ear", Can: []string{"hear", "speech"}, Context: 2048, Price: models.Price{Minute: 0.6}, Hears: hears,
		}}})})
}

func (p *place) publish(t testing.TB, settings string) {
	t.Helper()
	if settings == "" {
		settings = "minutes: 180"
	}
	if _, err := p.Client.Publish(context.Background(), "notes.yaml", []byte(fmt.Sprintf(deskFile, settings)),
		""); err != nil {
		t.Fatal(err)
	}
	var err error
	p.Later(3 * time.Second)
	if p.desk, err = p.Desks.Open(context.Background(), "notes"); err != nil {
		t.Fatal(err)
	}
}

// tones are so many words of the language of tones, as WAV.
func tones(n int, pauses float64, seed uint64) (wav []byte, truth []scripted.Spoken) {
	r := rand.New(rand.NewPCG(seed, 3))
	words := make([]int, n)
	for i := range words {
		words[i] = r.IntN(60)
	}
	samples, truth := scripted.Tones(words, func(int) float64 {
		if r.Float64() < pauses {
			return 0.5
		}
		return 0
	})
	return soundtest.WAV(samples, 16000), truth
}

func plain(truth []scripted.Spoken) string {
	var all []string
	for _, s := range truth {
		all = append(all, s.Word)
	}
	return strings.Join(all, " ")
}

func (p *place) take(t testing.TB, wav []byte) record.Recording {
	t.Helper()
	r, problem, err := p.Recordings.Take(t.Context(), recording.For{Desk: p.desk, Conversation: uuid.Must(uuid.NewV7()),
		Visitor: testbed.Alice}, "note.wav", bytes.NewReader(wav))
	if err != nil || !problem.IsZero() {
		t.Fatalf("%v, %v", problem, err)
	}
	return r
}

// ended waits until a recording is written down no more.
func (p *place) ended(t testing.TB, id uuid.UUID) (record.Recording, []record.SoundPiece) {
	t.Helper()
	until := time.Now().Add(testbed.Patience)
	for seen := int64(0); time.Now().Before(until); {
		r, pieces, err := p.Recordings.Wait(t.Context(), id, testbed.Alice, seen)
		if err != nil {
			t.Fatal(err)
		}
		if r.State != record.SoundWorking {
			return r, pieces
		}
		seen = r.Version
	}
	t.Fatal("writing down does not end")
	return record.Recording{}, nil
}

func (p *place) begin(t testing.TB, id uuid.UUID, again bool) {
	t.Helper()
	if err := p.Recordings.Begin(t.Context(), p.desk, id, testbed.Alice, record.Wishes{}, again); err != nil {
		t.Fatal(err)
	}
}

func said(r record.Recording, pieces []record.SoundPiece) string {
	text, _ := recording.Transcript(r, pieces)
	return sound.Text(text.Words())
}

// The whole way: uploaded, decoded, cut, made as the server takes it, heard, put together.
// Every word is there once, with its time, however the server answers.
func TestNoWordIsLostOrDoubledOnTheWholeWay(t *testing.T) {
	p := open(t, "", models.Hears{Seconds: 12})
	p.ear.Together = 2 // of a recording, several pieces at once
	for _, c := range []struct {
		form   string
		plain  bool
		words  int
		pauses float64
		exact  bool
	}{{"", false, 700, 0.1, true}, {"", false, 300, 0, true}, {"segments", false, 300, 0.1, true},
		{"text", false, 300, 0.1, true}, {"text", true, 300, 0.1, true}, {"text", false, 700, 0, false}} {
		p.ear.Form, p.ear.Plain = c.form, c.plain
		wav, truth := tones(c.words, c.pauses, 5)
		r := p.take(t, wav)
		p.begin(t, r.ID, false)
		r, pieces := p.ended(t, r.ID)
		got := said(r, pieces)
		if r.State != record.SoundReady || len(pieces) < c.words/40 {
			t.Fatalf("%+v: %s in %d pieces, %v", c, r.State, len(pieces), r.Problem)
		}
		if c.exact && got != plain(truth) {
			t.Errorf("%+v, %d pieces: %d words instead of %d\n%.300s\n%.300s", c, len(pieces), len(strings.Fields(got)),
				len(truth), got, plain(truth))
		}
		if n := len(strings.Fields(got)); !c.exact && (n < c.words-7 || n > c.words+7) {
			t.Errorf("%+v: %d words instead of %d", c, n, len(truth))
		}
		text, _ := recording.Transcript(r, pieces)
		if words := text.Words(); c.form == "" && len(words) == len(truth) {
			for i, w := range words {
				if w.Start < truth[i].Start-0.05 || w.Start > truth[i].Start+0.05 || w.About {
					t.Errorf("%+v: word %d begins at %.2f instead of %.2f", c, i, w.Start, truth[i].Start)
					break
				}
			}
		}
	}
	if p.ear.Most < 2 || p.ear.Most > 3 {
		t.Errorf("%d pieces were heard at once", p.ear.Most)
	}
	if f := p.ear.Fields[0]; f["prompt"] != "Alder Vale" || f["model"] != "ear" || f["language"] != "" {
		t.Errorf("it was asked with %v", f)
	}
}

// What leads up to a piece is heard with it, and none of its words is there twice.
func TestWhatLeadsUpToAPieceIsHeardToo(t *testing.T) {
	p := open(t, "", models.Hears{Seconds: 16, Lead: 4})
	wav, truth := tones(200, 0.1, 12)
	r := p.take(t, wav)
	p.begin(t, r.ID, false)
	r, pieces := p.ended(t, r.ID)
	if got := said(r, pieces); got != plain(truth) || len(pieces) < 4 {
		t.Fatalf("%d pieces: %d words instead of %d\n%.300s\n%.300s", len(pieces), len(strings.Fields(got)), len(truth),
			got, plain(truth))
	}
	text, _ := recording.Transcript(r, pieces)
	for i, w := range text.Words() {
		if w.Start < truth[i].Start-0.05 || w.Start > truth[i].Start+0.05 {
			t.Fatalf("word %d begins at %.2f instead of %.2f", i, w.Start, truth[i].Start)
		}
	}
	heard := 0.0
	for _, seconds := range p.ear.Seconds {
		heard += seconds
		if seconds > 16.01 {
			t.Errorf("a piece of %.1f s", seconds)
		}
	}
	if want := r.Seconds + 4*float64(len(pieces)-1); heard < want-1 {
		t.Errorf("%.1f s were heard; with what leads up to the pieces there are %.1f", heard, want)
	}
}

func TestWhatFailedIsTriedAgainAlone(t *testing.T) {
	p := open(t, "", models.Hears{Seconds: 12, AtOnce: 1})
	wav, truth := tones(240, 0.1, 6)
	r := p.take(t, wav)
	p.ear.Fails = func(ask int) int { // the third piece, however often
		if ask == 3 {
			return 422
		}
		return 0
	}
	p.begin(t, r.ID, false)
	first, pieces := p.ended(t, r.ID)
	if first.State != record.SoundPartly || pieces[2].State != record.PieceFailed || first.Problem.IsZero() {
		t.Fatalf("%s, %v", first.State, first.Problem)
	}
	if got := said(first, pieces); len(strings.Fields(got)) >= len(truth) || len(got) == 0 {
		t.Errorf("%d words of %d", len(strings.Fields(got)), len(truth))
	}
	asked := p.ear.Asks()
	p.ear.Fails = nil
	p.begin(t, r.ID, true)
	r, pieces = p.ended(t, r.ID)
	if got := said(r, pieces); r.State != record.SoundReady || got != plain(truth) {
		t.Errorf("%s: %s", r.State, got)
	}
	if p.ear.Asks() != asked+1 {
		t.Errorf("%d asks for one piece", p.ear.Asks()-asked)
	}
	if want := r.Seconds / 60 * 0.6; r.Cost < want || r.Cost > want*1.2 {
		t.Errorf("it cost %.4f instead of about %.4f", r.Cost, want)
	}
}

func TestAModelThatCannotBeAskedEndsIt(t *testing.T) {
	p := open(t, "", models.Hears{Seconds: 12})
	wav, _ := tones(240, 0.1, 7)
	r := p.take(t, wav)
	p.ear.Fails = func(int) int { return 401 }
	p.begin(t, r.ID, false)
	r, _ = p.ended(t, r.ID)
	if r.State != record.SoundFailed || p.ear.Asks() > 4 || strings.Contains(r.Problem.String(), "401") ||
		!strings.Contains(r.Problem.String(), "not set up") {
		t.Errorf("%s after %d asks: %v", r.State, p.ear.Asks(), r.Problem)
	}
}

func TestAModelThatLiesIsHeardAllTheSame(t *testing.T) {
	p := open(t, "", models.Hears{Seconds: 12})
	p.ear.Lies = true
	wav, truth := tones(120, 0.1, 8)
	r := p.take(t, wav)
	p.begin(t, r.ID, false)
	r, pieces := p.ended(t, r.ID)
	text, _ := recording.Transcript(r, pieces)
	if r.State != record.SoundReady || len(text.Words()) == 0 || len(text.Words()) > len(truth) {
		t.Fatalf("%s, %d words", r.State, len(text.Words()))
	}
	for _, w := range text.Words() {
		if w.Start < 0 || w.End > r.Seconds+0.1 || w.End < w.Start {
			t.Fatalf("%+v in a recording of %.1f s", w, r.Seconds)
		}
	}
	for _, subtitles := range []string{text.SRT(), text.VTT()} {
		if sound.ReadCues(subtitles) == nil {
			t.Error("no subtitles can be read back")
		}
	}
}

func TestStoppedAndGoneOnWith(t *testing.T) {
	p := open(t, "", models.Hears{Seconds: 12, AtOnce: 1})
	p.ear.Slow = 150 * time.Millisecond
	wav, truth := tones(300, 0.1, 9)
	r := p.take(t, wav)
	p.begin(t, r.ID, false)
	testbed.Until(t, "some of it is heard", func() bool {
		one, pieces, err := p.Recordings.Wait(t.Context(), r.ID, testbed.Alice, 0)
		return err == nil && said(one, pieces) != ""
	})
	if err := p.Recordings.Begin(t.Context(), p.desk, r.ID, testbed.Alice, record.Wishes{},
		false); testbed.Code(err) != "still-writing" {
		t.Errorf("begun twice: %v", err)
	}
	if err := p.Recordings.Stop(t.Context(), r.ID, testbed.Alice); err != nil {
		t.Fatal(err)
	}
	stopped, pieces := p.ended(t, r.ID)
	asked := p.ear.Asks()
	time.Sleep(500 * time.Millisecond)
	if done := len(strings.Fields(said(stopped, pieces))); stopped.State != record.SoundStopped || done == 0 ||
		done >= len(truth) || p.ear.Asks() > asked+1 {
		t.Fatalf("%s with %d words; asked %d times more", stopped.State, done, p.ear.Asks()-asked)
	}
	p.begin(t, r.ID, true)
	if r, pieces = p.ended(t, r.ID); said(r, pieces) != plain(truth) {
		t.Errorf("%s: %s", r.State, said(r, pieces))
	}
}

func TestAnotherInstanceGoesOn(t *testing.T) {
	p := open(t, "", models.Hears{Seconds: 12, AtOnce: 1})
	p.ear.Slow = 200 * time.Millisecond
	wav, truth := tones(300, 0.1, 10)
	r := p.take(t, wav)
	p.begin(t, r.ID, false)
	testbed.Until(t, "half of it is under way", func() bool { return p.ear.Asks() >= 3 })
	ctx, cancel := context.WithTimeout(context.Background(), time.Second)
	defer cancel()
	p.Close(ctx) // everything that runs here ends
	before := p.ear.Asks()
	registered, err := p.Store.Replies.Register(context.Background(), 4711)
	if err != nil {
		t.Fatal(err)
	}
	defer registered.Close(context.Background())
	other := recording.New(recording.Options{Store: p.Store.Recordings, Files: p.Store.Shelves,
		Reader: p.Recordings.Reader,
		Desks:  p.Desks, Replies: p.Replies, Shelves: p.Shelves, Log: p.Recordings.Log, Instance: 4711, Now: p.Now})
	defer other.Close()
	// Its replies are closed too: it asks through what is left of them.
	until := time.Now().Add(testbed.Patience)
	for {
		one, pieces, err := other.Wait(t.Context(), r.ID, testbed.Alice, 0)
		if err != nil {
			t.Fatal(err)
		}
		if one.State == record.SoundReady {
			if got := said(one, pieces); got != plain(truth) {
				t.Errorf("%s", got)
			}
			if again := p.ear.Asks(); again-before > len(pieces) || before == 0 || again > len(pieces)+2 {
				t.Errorf("%d pieces were asked for %d times, %d before the end", len(pieces), again, before)
			}
			return
		}
		if time.Now().After(until) {
			t.Fatalf("nobody goes on: %s, %v", one.State, one.Problem)
		}
		time.Sleep(100 * time.Millisecond)
	}
}

func TestSoundIsKeptNoLongerThanWanted(t *testing.T) {
	p := open(t, "keep: until-text", models.Hears{Seconds: 12})
	wav, _ := tones(60, 0.1, 11)
	r := p.take(t, wav)
	bytesOf := kept(t, p, r)
	p.begin(t, r.ID, false)
	r, _ = p.ended(t, r.ID)
	if r.Kept || r.State != record.SoundReady {
		t.Fatalf("%s, kept: %v", r.State, r.Kept)
	}
	if err := p.Recordings.Begin(t.Context(), p.desk, r.ID, testbed.Alice, record.Wishes{},
		false); testbed.Code(err) != "not-offered" {
		t.Errorf("heard without a sound: %v", err)
	}
	gone(t, p, bytesOf)

	p.publish(t, "keep: days, days: 3")
	wav, _ = tones(60, 0.1, 12)
	r = p.take(t, wav)
	bytesOf = kept(t, p, r)
	p.begin(t, r.ID, false)
	if r, _ = p.ended(t, r.ID); !r.Kept {
		t.Fatal("it is not kept for three days")
	}
	p.Recordings.Sweep(t.Context())
	if r, _ = p.ended(t, r.ID); !r.Kept {
		t.Fatal("it is not kept for three days")
	}
	p.Later(73 * time.Hour)
	p.Recordings.Sweep(t.Context())
	if r, _ = p.ended(t, r.ID); r.Kept {
		t.Error("it is kept after three days")
	}
	gone(t, p, bytesOf)

	// As long as the conversation.
	p.publish(t, "")
	wav, _ = tones(60, 0.1, 13)
	r = p.take(t, wav)
	bytesOf = kept(t, p, r)
	p.begin(t, r.ID, false)
	p.ended(t, r.ID)
	if err := p.Conversations.Remove(t.Context(), testbed.Alice, r.Conversation); err != nil {
		t.Fatal(err)
	}
	if _, err := p.Recordings.Of(t.Context(), r.ID, testbed.Alice); testbed.Code(err) != "no-such-recording" {
		t.Errorf("after its conversation was removed: %v", err)
	}
	p.Later(31 * 24 * time.Hour) // until then the conversation can be brought back
	p.Conversations.Purge(t.Context())
	if n := rows(t, p, `select count(*) from recording where id = $1`, r.ID) + rows(t, p,
		`select count(*) from recording_sound where recording = $1`, r.ID) + rows(t, p,
		`select count(*) from recording_piece where recording = $1`, r.ID); n != 0 {
		t.Errorf("%d rows are left", n)
	}
	gone(t, p, bytesOf)
}

// Whoever deletes a recording deletes its text, with what it said before it was put right.
func TestTheTextGoesWithItsRecording(t *testing.T) {
	p := open(t, "", models.Hears{Seconds: 12})
	wav, _ := tones(60, 0.1, 14)
	r := p.take(t, wav)
	p.begin(t, r.ID, false)
	r, _ = p.ended(t, r.ID)
	named := func(query string) int {
		return rows(t, p, query+` where name like '%' || $1::text || '.vtt'`, r.ID)
	}
	versions := func(least int) {
		t.Helper()
		until := time.Now().Add(20 * time.Second)
		for named(`select count(*) from document`) < least {
			if time.Now().After(until) {
				t.Fatalf("%d documents", named(`select count(*) from document`))
			}
			time.Sleep(20 * time.Millisecond)
		}
	}
	versions(1)
	if _, err := p.Recordings.PutRight(t.Context(), r.ID, testbed.Alice, 0,
		sound.Right{Text: "The seal was replaced in June."}); err != nil {
		t.Fatal(err)
	}
	versions(2)
	var hashes [][]byte
	if err := p.db.QueryRow(t.Context(), `select array_agg(hash) from document
		where name like '%' || $1::text || '.vtt'`, r.ID).Scan(&hashes); err != nil || len(hashes) < 2 {
		t.Fatal(len(hashes), err)
	}
	if err := p.Recordings.Remove(t.Context(), r.ID, testbed.Alice); err != nil {
		t.Fatal(err)
	}
	left := named(`select count(*) from document`) +
		named(`select count(*) from passage p join document d on d.id = p.document`)
	var contents int
	if err := p.db.QueryRow(t.Context(), `select count(*) from content where hash = any($1)`,
		hashes).Scan(&contents); err != nil || contents+left > 0 {
		t.Errorf("%d documents and passages, %d contents are left, %v", left, contents, err)
	}
}

func rows(t *testing.T, p *place, query string, id uuid.UUID) (n int) {
	t.Helper()
	if err := p.db.QueryRow(t.Context(), query, id).Scan(&n); err != nil {
		t.Fatal(err)
	}
	return n
}

// kept is a stretch of the sound of a recording as it lies in the database's files, where
// it is to be found.
func kept(t *testing.T, p *place, r record.Recording) []byte {
	t.Helper()
	body := make([]byte, 40_000)
	if _, err := p.Recordings.Sound(t.Context(), r, 0).Read(body); err != nil {
		t.Fatal(err)
	}
	stretch := body[20_000:20_040]
	if !inFiles(t, p, stretch) {
		t.Fatal("the sound is not found in the files of its table; the test would not see it go")
	}
	return stretch
}

func gone(t *testing.T, p *place, stretch []byte) {
	t.Helper()
	until := time.Now().Add(testbed.Patience)
	for inFiles(t, p, stretch) {
		if time.Now().After(until) {
			t.Fatal("what was deleted is still in the files of the table")
		}
		time.Sleep(time.Second)
		p.Recordings.Sweep(t.Context())
	}
}

// inFiles reports whether bytes stand in the files of the table of sounds.
func inFiles(t *testing.T, p *place, stretch []byte) bool {
	t.Helper()
	var folder string
	if _, err := p.db.Exec(t.Context(), `checkpoint`); err != nil {
		t.Fatal(err)
	}
	if err := p.db.QueryRow(t.Context(), `show data_directory`).Scan(&folder); err != nil {
		t.Fatal(err)
	}
	rows, err := p.db.Query(t.Context(), `select pg_relation_filepath(oid) from pg_class where oid in (
		'recording_sound'::regclass, (select reltoastrelid from pg_class where oid = 'recording_sound'::regclass))`)
	if err != nil {
		t.Fatal(err)
	}
	defer rows.Close()
	found, seen := false, 0
	for rows.Next() {
		var path string
		if err := rows.Scan(&path); err != nil {
			t.Fatal(err)
		}
		body, err := os.ReadFile(folder + "/" + path)
		if err != nil {
			t.Fatal(err)
		}
		seen++
		found = found || bytes.Contains(body, stretch)
	}
	if seen != 2 {
		t.Fatalf("%d files", seen)
	}
	return found
}

func TestOnlyItsVisitorHasARecording(t *testing.T) {
	p := open(t, "", models.Hears{})
	wav, _ := tones(40, 0.1, 14)
	r := p.take(t, wav)
	other := record.Visitor{9}
	if _, err := p.Recordings.Of(t.Context(), r.ID, other); testbed.Code(err) != "no-such-recording" {
		t.Errorf("of another: %v", err)
	}
	for what, err := range map[string]error{
		"begin":  p.Recordings.Begin(t.Context(), p.desk, r.ID, other, record.Wishes{}, false),
		"stop":   p.Recordings.Stop(t.Context(), r.ID, other),
		"remove": p.Recordings.Remove(t.Context(), r.ID, other),
	} {
		if testbed.Code(err) != "no-such-recording" {
			t.Errorf("%s by another: %v", what, err)
		}
	}
	if _, problem, err := p.Recordings.Take(t.Context(), recording.For{Desk: p.desk, Conversation: r.Conversation,
		Visitor: other}, "b.wav", bytes.NewReader(wav)); testbed.Code(err) != "no-such-conversation" {
		t.Errorf("given to another's conversation: %v, %v", problem, err)
	}
}

func TestWishesAreTheDesksToAllow(t *testing.T) {
	p := open(t, "", models.Hears{Languages: []string{"en", "de"}})
	wav, _ := tones(40, 0.1, 15)
	r := p.take(t, wav)
	begin := func(w record.Wishes) error {
		return p.Recordings.Begin(t.Context(), p.desk, r.ID, testbed.Alice, w, false)
	}
	if err := begin(record.Wishes{Language: "fr"}); testbed.Code(err) != "not-offered" {
		t.Errorf("a language that it does not know: %v", err)
	}
	if err := begin(record.Wishes{Language: "klingon?"}); testbed.Code(err) != "invalid" {
		t.Errorf("no language: %v", err)
	}
	if err := begin(record.Wishes{Language: "German", Task: "english", Temperature: new(0.9),
		Names: "Hollow Lane"}); err != nil {
		t.Fatal(err)
	}
	r, _ = p.ended(t, r.ID)
	f := p.ear.Fields[len(p.ear.Fields)-1]
	if f["language"] != "de" || f["prompt"] != "Alder Vale, Hollow Lane" || f["temperature"] != "" ||
		!strings.HasSuffix(f["path"], "transcriptions") {
		t.Errorf("it was asked with %v", f)
	}
}

func TestWhatIsPutRight(t *testing.T) {
	p := open(t, "", models.Hears{})
	wav, truth := tones(30, 0.3, 16)
	r := p.take(t, wav)
	p.begin(t, r.ID, false)
	r, _ = p.ended(t, r.ID)
	first := r.Heard[0].Text
	names, err := p.Recordings.PutRight(t.Context(), r.ID, testbed.Alice, 0, sound.Right{Text: first + " Quillfeather",
		Who: new("Ada")})
	if err != nil || len(names) != 1 || names[0] != "Quillfeather" {
		t.Fatalf("%v, %v", names, err)
	}
	r, pieces, err := p.Recordings.Wait(t.Context(), r.ID, testbed.Alice, 0)
	shown, heard := recording.Transcript(r, pieces)
	if err != nil || shown.Sentences[0].Text != first+" Quillfeather" || heard.Sentences[0].Text != first ||
		shown.Sentences[0].Who != "Ada" || shown.Sentences[len(shown.Sentences)-1].Who != "Ada" {
		t.Errorf("%+v", shown.Sentences[0])
	}
	if got := sound.Text(heard.Words()); got != plain(truth) {
		t.Errorf("what was heard is now %s", got)
	}
	// The document follows.
	until := time.Now().Add(10 * time.Second)
	for {
		docs, err := p.Shelves.Attached(t.Context(), r.Conversation, testbed.Alice)
		if err != nil {
			t.Fatal(err)
		}
		if len(docs) == 1 && docs[0].State == "ready" {
			_, blocks, err := p.Shelves.Blocks(t.Context(), "attached-"+r.Conversation.String(), docs[0].ID)
			if err == nil && strings.Contains(fmt.Sprint(blocks), "Quillfeather") {
				break
			}
		}
		if time.Now().After(until) {
			t.Fatalf("the document does not say it: %+v", docs)
		}
		time.Sleep(100 * time.Millisecond)
	}
	if _, err := p.Recordings.PutRight(t.Context(), r.ID, testbed.Alice, 0, sound.Right{}); err != nil {
		t.Fatal(err)
	}
	if r, _, _ = p.Recordings.Wait(t.Context(), r.ID, testbed.Alice, 0); len(r.PutRight) != 0 {
		t.Errorf("taken back: %+v", r.PutRight)
	}
	for _, bad := range []int{-1, len(r.Heard)} {
		if _, err := p.Recordings.PutRight(t.Context(), r.ID, testbed.Alice, bad,
			sound.Right{Text: "x"}); testbed.Code(err) != "invalid" {
			t.Errorf("sentence %d: %v", bad, err)
		}
	}
}

func TestSpokenOncePerTextAndVoice(t *testing.T) {
	p := open(t, "", models.Hears{})
	p.ear.Speaks = soundtest.Say(t, "Light the smoker.")
	for range 3 {
		s, err := p.Recordings.Say(t.Context(), p.desk, testbed.Alice, "Light  the smoker.")
		if err != nil || s.Size != int64(len(p.ear.Speaks)) || s.Kind != "audio/wav" {
			t.Fatalf("%+v, %v", s, err)
		}
	}
	if p.ear.Asks() != 1 {
		t.Errorf("it was spoken %d times", p.ear.Asks())
	}
	if _, err := p.Recordings.Say(t.Context(), p.desk, testbed.Alice, "…—"); testbed.Code(err) != "invalid" {
		t.Errorf("nothing to be spoken: %v", err)
	}
	if _, err := p.Recordings.Say(t.Context(), p.desk, testbed.Alice,
		strings.Repeat("long ", 400)); testbed.Code(err) != "invalid" {
		t.Errorf("too much at once: %v", err)
	}
	p.ear.Speaks = []byte("<html>no sound</html>")
	if _, err := p.Recordings.Say(t.Context(), p.desk, testbed.Alice,
		"Something else."); testbed.Code(err) != "not-offered" {
		t.Errorf("no sound: %v", err)
	}
}

func TestHolds(t *testing.T) {
	const reply = "**Light** the [smoker](http://a.b) with straw [2], and wait. Then go."
	for text, want := range map[string]bool{"Light the smoker with straw, and wait.": true, "Then go.": true,
		"buy honey": false, "go then": false, "Light the smoker with straw now": false} {
		if recording.Holds(reply, text) != want {
			t.Errorf("%q: %v", text, !want)
		}
	}
}
