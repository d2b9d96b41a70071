package readers

import (
	"bytes"
	"cmp"
	"context"
	"encoding/binary"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"strconv"
	"strings"
	"time"

	"juvalogos/core/phrase"
	"juvalogos/core/reading"
	"juvalogos/core/sound"
	"juvalogos/internal/confined"
)

// Sound is decoded and made by ffmpeg, started by a confined process of a kind of its own:
// files come open instead of as bytes, since recordings are long.

// soundKind is what these processes are called.
const soundKind = "sound"

// What a recording may take of a process.
const (
	soundMemory = 700 << 20
	soundAnswer = 80 << 20
	soundFile   = 2 << 30
	// perSound is how long the program may be silent.
	perSound = 30 * time.Second
)

// KeptRate is the sampling rate of recordings as they are kept, of one channel: what
// recognisers take.
const KeptRate = 16000

func newSoundPool() *confined.Pool {
	return confined.NewPool(soundKind, confined.Limits{Memory: soundMemory, Files: mostFiles, Answer: soundAnswer,
		FileSize: soundFile, First: perSound}, "GOMEMLIMIT="+fmt.Sprint(100<<20))
}

// Recorded is a recording that was read.
type Recorded struct {
	Kind     string // as people call it
	Seconds  float64
	Loudness sound.Loudness
	Note     phrase.Phrase // what of the file is not in it
}

// Stretch is a part of a recording that is wanted.
type Stretch struct {
	Start, End float64 // seconds; End 0: to its end
	Kind       string  // wav (if empty), mp3, flac or ogg
	Rate       int     // samples a second; KeptRate if 0
	Channels   int     // 1 if 0
}

// soundRequest is what such a process is asked for.
type soundRequest struct {
	Name    string
	Most    float64  // seconds that a recording may have
	Stretch *Stretch // nil: the whole is to be read and kept
	Foreign bool     // it was not made by us
}

type soundAnswered struct {
	Recorded Recorded
	Body     []byte        `json:",omitzero"`
	Problem  phrase.Phrase `json:",omitzero"`
	Failed   string        `json:",omitzero"`
}

// Record reads a recording or a video of most seconds at most and writes its sound into
// out, as FLAC of one channel. Both files are read and written from their beginning, by
// another user if we are root. What is wrong with the recording is a *reading.Problem;
// other errors are the context's cause or lie with the machine.
func (p *Pool) Record(ctx context.Context, name string, in, out *os.File, most float64) (Recorded, error) {
	a, err := p.soundly(ctx, soundRequest{Name: name, Most: most, Foreign: true}, in, out)
	return a.Recorded, err
}

// Cut makes of a part of a recording what is wanted. foreign says that its bytes are not
// of our making. Errors are those of Record.
func (p *Pool) Cut(ctx context.Context, name string, in *os.File, foreign bool, w Stretch) ([]byte, error) {
	a, err := p.soundly(ctx, soundRequest{Name: name, Stretch: &w, Foreign: foreign}, in)
	return a.Body, err
}

func (p *Pool) soundly(ctx context.Context, r soundRequest, files ...*os.File) (a soundAnswered, err error) {
	text, err := json.Marshal(r)
	if err != nil {
		return a, err
	}
	for _, f := range files {
		if err := f.Chmod(0o666); err != nil { // it has no name any more
			return a, err
		}
	}
	err = p.sounds.DoWith(ctx, text, files, nil, func(said []byte) error { return json.Unmarshal(said, &a) })
	var killed *confined.Killed
	switch {
	case errors.As(err, &killed):
		return a, &reading.Problem{File: r.Name, What: phrase.Of("it could not be read: it takes too long or too " +
			"much memory; save it as MP3 and give it again")}
	case err != nil:
		return a, err
	case !a.Problem.IsZero():
		return a, &reading.Problem{File: r.Name, What: a.Problem}
	case a.Failed != "":
		return a, errors.New(a.Failed)
	}
	return a, nil
}

// soundSaid is what a confined process answers to a task about sound.
func soundSaid(t *confined.Task) []byte {
	var r soundRequest
	var a soundAnswered
	err := json.Unmarshal(t.Request, &r)
	if err == nil {
		a, err = soundWork(t, r)
	}
	var problem *reading.Problem
	switch {
	case errors.As(err, &problem):
		a = soundAnswered{Problem: problem.What}
	case err != nil:
		a = soundAnswered{Failed: err.Error()}
	}
	text, _ := json.Marshal(a)
	return text
}

func soundWork(t *confined.Task, r soundRequest) (a soundAnswered, err error) {
	if len(t.Files) == 0 {
		return a, errors.New("no file came with the task")
	}
	wrong := func(format string, args ...any) error {
		return &reading.Problem{File: r.Name, What: phrase.Of(format, args...)}
	}
	head := make([]byte, 4096)
	n, err := t.Files[0].ReadAt(head, 0)
	if err != nil && err != io.EOF {
		return a, err
	}
	kind, ok := sound.KindOf(head[:n])
	if n == 0 {
		return a, wrong("there is nothing in the file")
	}
	if !ok {
		return a, wrong("it is no sound that is read here; give %s", sound.Kinds())
	}
	if r.Stretch != nil {
		a.Body, err = cutStretch(t, kind, *r.Stretch)
		return a, err
	}
	said, err := probe(t, kind)
	said.seconds = max(said.seconds, statedWAV(head[:n]))
	if err != nil {
		return a, wrong("it could not be read as %s; it may be damaged, or not have arrived whole", kind.Title)
	}
	if said.streams == 0 {
		if kind.Video {
			return a, wrong("there is no sound track in it")
		}
		return a, wrong("it could not be read as %s; it may be damaged, or not have arrived whole", kind.Title)
	}
	meter, failed, err := decode(t, kind, r.Most)
	if err != nil {
		return a, err
	}
	seconds := float64(meter.Samples) / KeptRate
	switch {
	case seconds < 0.1:
		return a, wrong("it could not be read as %s; it may be damaged, or not have arrived whole", kind.Title)
	case seconds > r.Most:
		return a, wrong("it is longer than %d minutes; cut it and give the parts", int(r.Most/60))
	case meter.Loudness.Silent():
		return a, wrong("nothing can be heard in it: it is silent from beginning to end")
	}
	a.Recorded = Recorded{Kind: kind.Title, Seconds: seconds, Loudness: meter.Loudness}
	switch {
	case said.seconds > 0 && seconds < said.seconds*0.97-1:
		a.Recorded.Note = phrase.Of("only %s of %s could be read: the file is damaged, or did not arrive whole",
			lasting(seconds), lasting(said.seconds))
	case failed:
		a.Recorded.Note = phrase.Of("the file is damaged: some of what was said may be missing")
	case said.streams > 1:
		a.Recorded.Note = phrase.Of("it has %d sound tracks: the first one is taken", said.streams)
	}
	return a, nil
}

// lasting is a length as people read it: minutes and seconds.
func lasting(seconds float64) string {
	s := int(seconds + 0.5)
	return fmt.Sprintf("%d:%02d", s/60, s%60)
}

// probed is what a file says of itself.
type probed struct {
	streams int // of sound
	seconds float64
}

func probe(t *confined.Task, kind sound.Kind) (p probed, err error) {
	out, _, err := ffmpeg(t, "ffprobe", nil, "-v", "error", "-protocol_whitelist", "file", "-f", kind.Reader,
		"-show_entries", "format=duration:stream=codec_type", "-of", "json", given(0))
	if err != nil {
		return p, err
	}
	var all struct {
		Streams []struct {
			Type string `json:"codec_type"`
		}
		Format struct{ Duration string }
	}
	if err := json.Unmarshal(out, &all); err != nil {
		return p, err
	}
	for _, s := range all.Streams {
		if s.Type == "audio" {
			p.streams++
		}
	}
	p.seconds, _ = strconv.ParseFloat(all.Format.Duration, 64)
	return p, nil
}

// statedWAV is how long a WAV says that it is; 0 if it does not. What is written while it
// is recorded says nothing, or the most that there is.
func statedWAV(head []byte) float64 {
	at := bytes.Index(head, []byte("data"))
	if !bytes.HasPrefix(head, []byte("RIFF")) || at < 44-8 || at+8 > len(head) {
		return 0
	}
	size, rate := binary.LittleEndian.Uint32(head[at+4:]), binary.LittleEndian.Uint32(head[28:])
	if rate == 0 || size >= 1<<31-1 {
		return 0
	}
	return float64(size) / float64(rate)
}

// given is the name by which a program opens the file that came with the task.
func given(i int) string { return "/dev/fd/" + strconv.Itoa(3+i) }

// decode measures a recording and has it kept; failed says that the program complained.
func decode(t *confined.Task, kind sound.Kind, most float64) (m *sound.Meter, failed bool, err error) {
	if len(t.Files) < 2 {
		return nil, false, errors.New("there is no file to keep the recording in")
	}
	length := strconv.FormatFloat(most+1, 'f', 1, 64)
	one := []string{"-map", "0:a:0", "-t", length, "-ac", "1", "-ar", strconv.Itoa(KeptRate), "-map_metadata", "-1"}
	arguments := []string{"-nostdin", "-hide_banner", "-loglevel", "error", "-threads", "1", "-protocol_whitelist",
		"file,pipe", "-f", kind.Reader, "-i", given(0)}
	arguments = append(append(arguments, one...), "-f", "s16le", "pipe:1")
	arguments = append(append(arguments, one...), "-c:a", "flac", "-sample_fmt", "s16", "-f", "flac", "-y", given(1))
	m = &sound.Meter{Rate: KeptRate}
	_, complained, err := ffmpeg(t, "ffmpeg", m, arguments...)
	m.Close()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		return m, true, nil
	}
	return m, complained, err
}

// cutStretch makes a part of a recording.
func cutStretch(t *confined.Task, kind sound.Kind, w Stretch) ([]byte, error) {
	format := cmp.Or(w.Kind, "wav")
	codec, ok := map[string][]string{"wav": {"pcm_s16le"}, "mp3": {"libmp3lame", "-b:a", "64k"}, "flac": {"flac"},
		"ogg": {"libopus", "-b:a", "32k"}}[format]
	if !ok {
		return nil, fmt.Errorf("no sound is made of the kind %q", format)
	}
	arguments := []string{"-nostdin", "-hide_banner", "-loglevel", "error", "-threads", "1", "-protocol_whitelist",
		"file,pipe"}
	if w.Start > 0 {
		arguments = append(arguments, "-ss", strconv.FormatFloat(w.Start, 'f', 3, 64))
	}
	arguments = append(arguments, "-f", kind.Reader, "-i", given(0), "-map", "0:a:0")
	if w.End > 0 {
		arguments = append(arguments, "-t", strconv.FormatFloat(w.End-w.Start, 'f', 3, 64))
	}
	arguments = append(arguments, "-ac", strconv.Itoa(cmp.Or(w.Channels, 1)), "-ar",
		strconv.Itoa(cmp.Or(w.Rate, KeptRate)), "-map_metadata", "-1", "-fflags", "+bitexact", "-c:a")
	arguments = append(append(arguments, codec...), "-f", format, "pipe:1")
	out, _, err := ffmpeg(t, "ffmpeg", nil, arguments...)
	if err != nil {
		return nil, err
	}
	if format == "wav" {
		sizeWAV(out)
	}
	return out, nil
}

// sizeWAV writes into the head of a WAV how long it is, which whoever writes to a pipe
// does not know.
func sizeWAV(out []byte) {
	at := bytes.Index(out[:min(len(out), 4096)], []byte("data"))
	if at < 0 || len(out) < 44 {
		return
	}
	binary.LittleEndian.PutUint32(out[4:], uint32(len(out)-8))
	binary.LittleEndian.PutUint32(out[at+4:], uint32(len(out)-at-8))
}

// mostMade is how many bytes a stretch may have.
const mostMade = 40 << 20

// ffmpeg runs one of the programs with the files of the task. Samples that it writes go to
// a meter, if there is one; else what it writes is returned. complained says that it wrote
// errors.
func ffmpeg(t *confined.Task, name string, m *sound.Meter, arguments ...string) (out []byte, complained bool,
	err error) {
	t.GoOn(perSound)
	cmd := exec.Command(name, arguments...)
	cmd.ExtraFiles = t.Files
	var errs tail
	cmd.Stderr = &errs
	from, err := cmd.StdoutPipe()
	if err != nil {
		return nil, false, err
	}
	if err := cmd.Start(); err != nil {
		return nil, false, fmt.Errorf("%s cannot be run (%w); install the package ffmpeg", name, err)
	}
	piece := make([]byte, 64<<10)
	samples := make([]int16, len(piece)/2)
	for said := time.Now(); ; {
		n, failed := io.ReadFull(from, piece)
		if m == nil {
			if out = append(out, piece[:n]...); len(out) > mostMade {
				_ = cmd.Process.Kill()
				return nil, false, errors.New("what is made of the recording is too large")
			}
		} else {
			for i := range n / 2 {
				samples[i] = int16(binary.LittleEndian.Uint16(piece[2*i:]))
			}
			m.Take(samples[:n/2])
		}
		if time.Since(said) > time.Second {
			t.GoOn(perSound)
			said = time.Now()
		}
		if failed != nil {
			break
		}
	}
	err = cmd.Wait()
	if err != nil && len(errs.text) > 0 && m == nil {
		err = fmt.Errorf("%s: %s: %w", name, strings.TrimSpace(string(errs.text)), err)
	}
	return out, len(errs.text) > 0, err
}

// tail keeps the end of what is written.
type tail struct{ text []byte }

func (t *tail) Write(p []byte) (int, error) {
	t.text = append(t.text, p...)
	t.text = t.text[max(0, len(t.text)-400):]
	return len(p), nil
}
