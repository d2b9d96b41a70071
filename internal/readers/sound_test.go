package readers

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"juvalogos/core/reading"
	"juvalogos/core/sound"
	"juvalogos/internal/soundtest"
)

// opened is a nameless file with a body.
func opened(t testing.TB, body []byte) *os.File {
	t.Helper()
	f, err := os.CreateTemp(t.TempDir(), "")
	if err == nil {
		_, err = f.Write(body)
	}
	if err == nil {
		_, err = f.Seek(0, 0)
	}
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { f.Close() })
	return f
}

func record(t testing.TB, p *Pool, name string, body []byte) (Recorded, *os.File, error) {
	t.Helper()
	out := opened(t, nil)
	r, err := p.Record(t.Context(), name, opened(t, body), out, 600)
	return r, out, err
}

const spokenText = "Light the smoker with dry straw. Then wait until the smoke is white and cool."

func TestSoundsOfAllKindsAreRead(t *testing.T) {
	p := New(t.TempDir())
	defer p.Close()
	wav := soundtest.Say(t, spokenText)
	first, _, err := record(t, p, "a.wav", wav)
	if err != nil || first.Seconds < 3 || first.Seconds > 8 || first.Loudness.Silent() {
		t.Fatalf("%+v, %v", first.Seconds, err)
	}
	for _, kind := range soundtest.Kinds() {
		r, kept, err := record(t, p, "note."+kind, soundtest.As(t, wav, kind))
		if err != nil {
			t.Errorf("%s: %v", kind, err)
			continue
		}
		if r.Seconds < first.Seconds-0.15 || r.Seconds > first.Seconds+0.3 || !r.Note.IsZero() {
			t.Errorf("%s: %.2f s instead of %.2f, %q", kind, r.Seconds, first.Seconds, r.Note)
		}
		out, err := exec.Command("ffprobe", "-v", "error", "-show_entries",
			"stream=codec_name,channels,sample_rate:format=duration", "-of", "csv", kept.Name()).Output()
		if err != nil || !strings.HasPrefix(string(out), "stream,flac,16000,1") ||
			strings.Contains(string(out), "N/A") {
			t.Errorf("%s: kept as %s, %v", kind, out, err)
		}
		body, err := p.Cut(t.Context(), "kept", kept, false, Stretch{Start: 1, End: 2.5})
		if k, _ := sound.KindOf(body); err != nil || k.Title != "WAV" || len(body) < 47000 || len(body) > 49000 {
			t.Errorf("%s: a stretch of %d bytes, %v", kind, len(body), err)
		}
	}
}

func TestStretchesAreMadeAsWanted(t *testing.T) {
	p := New(t.TempDir())
	defer p.Close()
	_, kept, err := record(t, p, "a.wav", soundtest.Say(t, spokenText))
	if err != nil {
		t.Fatal(err)
	}
	for kind, title := range map[string]string{"wav": "WAV", "mp3": "MP3", "flac": "FLAC", "ogg": "OGG"} {
		body, err := p.Cut(t.Context(), "kept", kept, false, Stretch{Kind: kind, Rate: 48000, Channels: 2})
		k, _ := sound.KindOf(body)
		if err != nil || k.Title != title {
			t.Errorf("%s: %v, %v", kind, k, err)
			continue
		}
		out, err := exec.Command("ffprobe", "-v", "error", "-show_entries", "stream=channels,sample_rate", "-of", "csv",
			opened(t, body).Name()).Output()
		if err != nil || !strings.Contains(string(out), "48000,2") {
			t.Errorf("%s: %s, %v", kind, out, err)
		}
	}
}

func TestWhatIsWrongWithSoundsIsSaid(t *testing.T) {
	p := New(t.TempDir())
	defer p.Close()
	wav := soundtest.Say(t, spokenText)
	folder := t.TempDir()
	mute := filepath.Join(folder, "mute.mp4")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "color=gray:s=64x48:r=5", "-t", "2",
		mute).CombinedOutput(); err != nil {
		t.Fatalf("%s", out)
	}
	video, err := os.ReadFile(mute)
	if err != nil {
		t.Fatal(err)
	}
	m4a := soundtest.As(t, wav, "m4a")
	for name, c := range map[string]struct {
		body []byte
		want string
	}{
		"text.mp3":    {[]byte("hello, these are words"), "no sound that is read here"},
		"paper.wav":   {[]byte("%PDF-1.7\n..."), "no sound that is read here"},
		"empty.wav":   {nil, "nothing in the file"},
		"silent.wav":  {soundtest.Silence(3), "silent from beginning to end"},
		"mute.mp4":    {video, "no sound track"},
		"half.m4a":    {m4a[:len(m4a)/2], "damaged"},
		"head.flac":   {soundtest.As(t, wav, "flac")[:50], "damaged"},
		"long.wav":    {soundtest.WAV(make([]int16, 16000*601), 16000), "longer than 10 minutes"},
		"list.mp4":    {[]byte("#EXTM3U\n#EXTINF:1,\nfile:///etc/passwd\n"), "no sound that is read here"},
		"outside.wav": {append([]byte("RIFF\xff\xff\xff\xffWAVE"), make([]byte, 200)...), "damaged"},
	} {
		_, _, err := record(t, p, name, c.body)
		var problem *reading.Problem
		if !errors.As(err, &problem) || !strings.Contains(problem.What.String(), c.want) {
			t.Errorf("%s: %v instead of %q", name, err, c.want)
		}
	}
	cut, _, err := record(t, p, "cut.wav", wav[:len(wav)*2/3])
	if err != nil || !strings.Contains(cut.Note.String(), "could be read") {
		t.Errorf("two thirds of a file: %q, %v", cut.Note, err)
	}
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	if _, err := p.Record(ctx, "a", opened(t, wav), opened(t, nil), 60); !errors.Is(err, context.Canceled) {
		t.Errorf("given up: %v", err)
	}
}

// Files that are broken at random, cut off or made to be read without end are told to be
// so, or are read; nothing else happens, and soon.
func TestBrokenSoundsDoNoHarm(t *testing.T) {
	p := New(t.TempDir())
	defer p.Close()
	r := rand.New(rand.NewPCG(19, 1))
	wav := soundtest.Say(t, "Light it. Wait.")
	read := func(name string, body []byte) {
		t.Helper()
		began := time.Now()
		got, _, err := record(t, p, name, body)
		var problem *reading.Problem
		if err != nil && !errors.As(err, &problem) {
			t.Errorf("%s: %v", name, err)
		}
		if err == nil && (got.Seconds > 601 || len(got.Loudness) == 0) {
			t.Errorf("%s: %.0f s", name, got.Seconds)
		}
		if took := time.Since(began); took > time.Minute {
			t.Errorf("%s took %s", name, took)
		}
	}
	for _, kind := range soundtest.Kinds() {
		body := soundtest.As(t, wav, kind)
		for n := range 2 {
			broken := bytes.Clone(body)
			for range 30 {
				at := r.IntN(len(broken))
				if n == 1 {
					at = r.IntN(min(len(broken), 400)) // in its head
				}
				broken[at] = byte(r.IntN(256))
			}
			read(fmt.Sprintf("broken-%d.%s", n, kind), broken)
		}
		read("cut."+kind, body[:r.IntN(len(body))])
	}
	head := bytes.Clone(wav[:44])
	for at, v := range map[int]uint32{22: 0xffff_ffff, 24: 0xffff_ffff, 40: 0xffff_ffff, 4: 0} {
		hostile := append(bytes.Clone(head), wav[44:]...)
		binary.LittleEndian.PutUint32(hostile[at:], v)
		read(fmt.Sprintf("head-%d.wav", at), hostile)
	}
}

// A small file that lasts for hours is read no longer than may be.
func TestALongSoundInASmallFile(t *testing.T) {
	p := New(t.TempDir())
	defer p.Close()
	file := filepath.Join(t.TempDir(), "long.opus")
	if out, err := exec.Command("ffmpeg", "-v", "error", "-f", "lavfi", "-i", "sine=f=300:r=8000", "-t", "700", "-c:a",
		"libopus", "-b:a", "6k", "-frame_duration", "60", file).CombinedOutput(); err != nil {
		t.Fatalf("%s", out)
	}
	body, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	_, _, err = record(t, p, "long.opus", body)
	var problem *reading.Problem
	if !errors.As(err, &problem) || !strings.Contains(problem.What.String(), "longer than 10 minutes") {
		t.Errorf("11 minutes in %d kB: %v", len(body)>>10, err)
	}
}

// What a file names outside of itself is not opened.
func TestSoundsOpenNothingElse(t *testing.T) {
	p := New(t.TempDir())
	defer p.Close()
	folder := t.TempDir()
	secret := filepath.Join(folder, "secret.wav")
	if err := os.WriteFile(secret, soundtest.Say(t, "This is a secret."), 0o644); err != nil {
		t.Fatal(err)
	}
	for name, body := range map[string]string{
		"list.m3u8":   "#EXTM3U\n#EXT-X-TARGETDURATION:9\n#EXTINF:9,\nfile://" + secret + "\n",
		"concat.txt":  "ffconcat version 1.0\nfile '" + secret + "'\n",
		"sdp.sdp":     "v=0\no=- 0 0 IN IP4 127.0.0.1\ns=x\nc=IN IP4 127.0.0.1\nm=audio 5004 RTP/AVP 0\n",
		"playlist.mp": "RIFF\x00\x00\x00\x00WAVE#EXTM3U\nfile://" + secret,
	} {
		if r, _, err := record(t, p, name, []byte(body)); err == nil {
			t.Errorf("%s was read: %.1f s", name, r.Seconds)
		}
	}
}
