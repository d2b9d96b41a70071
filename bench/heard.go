package main

import (
	"bytes"
	"context"
	"encoding/binary"
	"fmt"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"time"

	"juvalogos/core/difference"
	"juvalogos/core/scoring"
	"juvalogos/internal/api"
	"juvalogos/standin/scripted"
)

// Spoken words: the real recogniser through us beside itself, the seams of a long recording
// by a recogniser that hears truly, and reading beside ffmpeg alone.

// toneServer is where a recogniser of tones listens during the bench.
const toneServer = "127.0.0.1:7321"

const rate = 16000

// heard measures it.
func heard(s *setup, z sizes, r *report) error {
	ear := &scripted.Ear{}
	server := &http.Server{Addr: toneServer, Handler: ear}
	go func() { _ = server.ListenAndServe() }()
	defer server.Close()
	for _, one := range []struct{ slug, model string }{{"heard-whole", "hall-ear-whole"}, {"heard-cut", "hall-ear"},
		{"heard-tones", "tone-ear"}} {
		file := fmt.Sprintf("slug: %s\ntitle: Heard\npurpose: Measures.\nmodel: heather-2\nsound: {take: true, "+
			"model: %s}\n",
			one.slug, one.model)
		if _, err := s.client.Publish(context.Background(), one.slug+".yaml", []byte(file), ""); err != nil {
			return err
		}
	}
	if err := s.heardByTheReal(z, r); err != nil {
		return err
	}
	return s.heardByTones(z, r)
}

// writeDown gives a desk a recording and has it written down: how long reading it took, and
// what was heard.
func (s *setup) writeDown(slug, file string) (read time.Duration, whole api.RecordingWhole, err error) {
	ctx := context.Background()
	f, err := os.Open(file)
	if err != nil {
		return 0, whole, err
	}
	defer f.Close()
	began := time.Now()
	given, err := s.client.GiveRecording(ctx, slug, "", filepath.Base(file), f)
	if err != nil {
		return 0, whole, err
	}
	if len(given.Recordings) != 1 {
		return 0, whole, fmt.Errorf("the recording was not taken: %+v", given.Refused)
	}
	read = time.Since(began)
	id := given.Recordings[0].ID
	if _, err := s.client.BeginRecording(ctx, slug, id, api.RecordingWishes{}); err != nil {
		return read, whole, err
	}
	whole, err = s.client.WrittenDown(ctx, id, func(api.RecordingWhole) {})
	if err == nil && whole.Recording.State != api.RecordingStateReady {
		err = fmt.Errorf("the recording was not written down: %s, %s", whole.Recording.State, whole.Recording.Problem)
	}
	return read, whole, err
}

func textOf(w api.RecordingWhole) string {
	var all []string
	for _, s := range w.Sentences {
		all = append(all, s.Text)
	}
	return strings.Join(all, " ")
}

var markup = regexp.MustCompile(`\{([^~}]*)~[^}]*\}|[*_#|\x60]|\[([^\]]*)\]\([^)]*\)`)

// spoken is some minutes of our own texts, spoken by flite, each in one voice after the
// other, with what is said in them.
func spoken(minutes float64) (samples []byte, truth string, err error) {
	files, err := filepath.Glob("demo/shelves/handbook/*.md")
	if err != nil {
		return nil, "", err
	}
	files = append([]string{"demo/sounds/hollow-lane.txt", "demo/sounds/wintering-well.txt"}, files...)
	voices := []string{"slt", "rms", "awb"}
	var paragraphs []string
	for _, name := range files {
		text, err := os.ReadFile(name)
		if err != nil {
			return nil, "", err
		}
		_, rest, _ := strings.Cut(string(text), "\n\n")
		for paragraph := range strings.SplitSeq(rest, "\n\n") {
			paragraph = strings.Join(strings.Fields(markup.ReplaceAllString(paragraph, "$1$2")), " ")
			// Numbers are said in words that the text does not have.
			if len(paragraph) >= 40 && !strings.ContainsAny(paragraph, "0123456789%°:;()") {
				paragraphs = append(paragraphs, paragraph)
			}
		}
	}
	var said []string
	for round := range voices {
		for i, paragraph := range paragraphs {
			out, err := exec.Command("sh", "-c", `f=$(mktemp --suffix=.wav) && flite -voice "$1" -t "$2" -o "$f" &&
				ffmpeg -v error -i "$f" -ac 1 -ar 16000 -f s16le pipe:1; rm -f "$f"`, "sh",
				voices[(i+round)%len(voices)], paragraph).Output()
			if err != nil {
				return nil, "", fmt.Errorf("speak a paragraph: %w", err)
			}
			samples = append(append(samples, out...), make([]byte, rate)...) // half a second
			said = append(said, paragraph)
			if float64(len(samples))/2/rate > minutes*60 {
				return samples, strings.Join(said, " "), nil
			}
		}
	}
	return samples, strings.Join(said, " "), nil
}

// writeWAV writes samples of one channel.
func writeWAV(file string, samples []byte) error {
	f, err := os.Create(file)
	if err != nil {
		return err
	}
	defer f.Close()
	var head bytes.Buffer
	head.WriteString("RIFF")
	for _, v := range []any{uint32(36 + len(samples)), []byte("WAVEfmt "), uint32(16), uint16(1), uint16(1),
		uint32(rate),
		uint32(2 * rate), uint16(2), uint16(16), []byte("data"), uint32(len(samples))} {
		_ = binary.Write(&head, binary.LittleEndian, v)
	}
	if _, err := f.Write(head.Bytes()); err != nil {
		return err
	}
	_, err = f.Write(samples)
	return err
}

// heardByTheReal measures the word error rate of pocketsphinx alone and through us.
func (s *setup) heardByTheReal(z sizes, r *report) error {
	minutes := 10.0
	if z.repetitions == 1 {
		minutes = 0.7
	}
	samples, truth, err := spoken(minutes)
	if err != nil {
		return err
	}
	file := filepath.Join(s.folder, "spoken.wav")
	if err := writeWAV(file, samples); err != nil {
		return err
	}
	began := time.Now()
	out, err := exec.Command("pocketsphinx_continuous", "-infile", file, "-logfn", "/dev/null").Output()
	if err != nil {
		return fmt.Errorf("ask the recogniser alone: %w", err)
	}
	took := time.Since(began)
	alone := scoring.Words(truth, string(out))
	r.begin(fmt.Sprintf("Word error rate of pocketsphinx on %.1f minutes (%d words) spoken by flite, our texts in "+
		"one voice "+
		"after the other; small letters, no punctuation", float64(len(samples))/2/rate/60, alone.Of), "", "word errors",
		"points over alone",
		"other, missing, too many", "character errors", "took")
	row := func(name, text string, took time.Duration) {
		e := scoring.Words(truth, text)
		r.row(name, fmt.Sprintf("%.1f %%", 100*e.Rate()), fmt.Sprintf("%+.1f", 100*(e.Rate()-alone.Rate())),
			fmt.Sprintf("%d, %d, %d", e.Other, e.Missing, e.More),
			fmt.Sprintf("%.1f %%", 100*scoring.Characters(truth, text).Rate()), fmt.Sprintf("%.0f s", took.Seconds()))
	}
	row("alone, called directly", string(out), took)
	var whole api.RecordingWhole
	for _, one := range []struct{ slug, name string }{{"heard-whole",
		"through a desk, whole (aim: 1 point more at most)"},
		{"heard-cut", "through a desk, in pieces as in the demo (aim: 1 point more at most)"}} {
		began := time.Now()
		if _, whole, err = s.writeDown(one.slug, file); err != nil {
			return err
		}
		row(one.name, textOf(whole), time.Since(began))
	}
	// How much of that is the recogniser's, which begins anew with each piece.
	began = time.Now()
	text, err := s.piecesAlone(whole.Recording.ID, samples)
	if err != nil {
		return err
	}
	row("alone, called directly for each of these pieces", text, time.Since(began))
	return nil
}

// piecesAlone is what the recogniser alone hears in the pieces of a recording, one after the
// other, with nothing over.
func (s *setup) piecesAlone(id string, samples []byte) (string, error) {
	pieces, err := s.pieces(id)
	if err != nil {
		return "", err
	}
	var text strings.Builder
	for i, p := range pieces {
		from, to := 2*int(p.Cut*rate), len(samples)
		if i+1 < len(pieces) {
			to = 2 * int(pieces[i+1].Cut*rate)
		}
		file := filepath.Join(s.folder, "piece.wav")
		if err := writeWAV(file, samples[from:to]); err != nil {
			return "", err
		}
		out, err := exec.Command("pocketsphinx_continuous", "-infile", file, "-logfn", "/dev/null").Output()
		if err != nil {
			return "", fmt.Errorf("ask the recogniser alone: %w", err)
		}
		text.Write(out)
	}
	return text.String(), nil
}

// heardByTones measures a two-hour recording: seams, memory, and reading beside ffmpeg.
func (s *setup) heardByTones(z sizes, r *report) error {
	minutes := 120
	if z.repetitions == 1 {
		minutes = 6
	}
	words := make([]int, int(float64(minutes)*60/0.33))
	for i := range words {
		words[i] = (i*i*7 + i*13) % 60
	}
	// A pause now and then, and stretches of minutes without any.
	samples, truth := scripted.Tones(words, func(i int) float64 {
		if i%29 == 0 && i/1500%2 == 0 {
			return 0.7
		}
		return 0
	})
	raw := make([]byte, 2*len(samples))
	for i, v := range samples {
		binary.LittleEndian.PutUint16(raw[2*i:], uint16(v))
	}
	file := filepath.Join(s.folder, "long.wav")
	if err := writeWAV(file, raw); err != nil {
		return err
	}
	samples, raw = nil, nil
	hand := time.Now()
	if out, err := exec.Command("ffmpeg", "-v", "error", "-y", "-i", file, "-ac", "1", "-ar", "16000", "-c:a", "flac",
		filepath.Join(s.folder, "long.flac")).CombinedOutput(); err != nil {
		return fmt.Errorf("ffmpeg: %w: %s", err, out)
	}
	alone := time.Since(hand)
	_ = os.WriteFile(fmt.Sprintf("/proc/%d/clear_refs", s.service.Process.Pid), []byte("5"), 0) // the peak begins anew
	readers := s.peakOfReaders()
	began := time.Now()
	read, whole, err := s.writeDown("heard-tones", file)
	if err != nil {
		return err
	}
	took := time.Since(began)
	peak := megabytes(s.service.Process.Pid, "status", "VmHWM")
	var want []string
	for _, w := range truth {
		want = append(want, w.Word)
	}
	lost, more := 0, 0
	for _, p := range difference.Find(want, strings.Fields(textOf(whole))) {
		switch p.Kind {
		case difference.Gone:
			lost += p.Size
		case difference.Added:
			more += p.Size
		}
	}
	inside, err := s.pieces(whole.Recording.ID)
	if err != nil {
		return err
	}
	clean := 0
	for _, p := range inside[1:] {
		if p.Clean {
			clean++
		}
	}
	r.begin(fmt.Sprintf("A recording of %d minutes, %d words of tones, in pieces of 60 s, by a recogniser that "+
		"hears truly",
		minutes, len(want)), "", "figure")
	r.row("cuts", fmt.Sprintf("%d, of these %d in a silence", len(inside)-1, clean))
	r.row("words lost (aim: 0)", strconv.Itoa(lost))
	r.row("words doubled or misheard (aim: 0)", strconv.Itoa(more))
	r.row("the most memory of the service meanwhile (aim: 300 MB)", fmt.Sprintf("%.0f MB", peak))
	r.row("the most memory of a process that reads it, with ffmpeg", fmt.Sprintf("%.0f MB", readers()))
	r.row("from its first byte to its last word", fmt.Sprintf("%.0f s", took.Seconds()))
	r.begin(fmt.Sprintf("Reading a WAV of %d minutes", minutes), "", "took", "to ffmpeg alone")
	r.row("ffmpeg alone, to the FLAC that is kept", fmt.Sprintf("%.1f s", alone.Seconds()), "1.00")
	r.row("given to a desk: sent, checked, made and on record", fmt.Sprintf("%.1f s", read.Seconds()),
		fmt.Sprintf("%.2f", read.Seconds()/alone.Seconds()))
	return nil
}

// pieces are those of a recording.
func (s *setup) pieces(id string) ([]api.RecordingPiece, error) {
	in, err := s.client.RecordingInside(context.Background(), id)
	if err == nil && len(in.Pieces) == 0 {
		err = fmt.Errorf("the recording has no pieces")
	}
	return in.Pieces, err
}

// peakOfReaders looks from now on how much memory processes that the service starts hold,
// with all that they start; what it returns ends that and tells the most, in MB.
func (s *setup) peakOfReaders() func() float64 {
	done, most := make(chan struct{}), make(chan float64)
	go func() {
		peak := 0.0
		for {
			select {
			case <-done:
				most <- peak
				return
			case <-time.After(100 * time.Millisecond):
				for _, pid := range s.readerPIDs() {
					held := megabytes(pid, "status", "VmRSS")
					out, _ := exec.Command("pgrep", "-P", strconv.Itoa(pid)).Output()
					for _, child := range strings.Fields(string(out)) {
						if n, err := strconv.Atoi(child); err == nil {
							held += megabytes(n, "status", "VmRSS")
						}
					}
					peak = max(peak, held)
				}
			}
		}
	}()
	return func() float64 { close(done); return <-most }
}
