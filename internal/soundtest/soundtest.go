// Package soundtest makes recordings for tests, with the programs flite and ffmpeg, as
// people have them: spoken, of every kind, long, silent.
//
//	wav := soundtest.Say(t, "Light the smoker.")
//	m4a := soundtest.As(t, wav, "m4a")
package soundtest

import (
	"bytes"
	"encoding/binary"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
)

// Say is a text spoken by flite, as WAV.
func Say(t testing.TB, text string) []byte {
	t.Helper()
	file := filepath.Join(t.TempDir(), "said.wav")
	run(t, nil, "flite", "-voice", "slt", "-t", text, "-o", file)
	body, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	return body
}

// Kinds are the kinds that As makes.
func Kinds() []string {
	return []string{"wav", "mp3", "m4a", "mp4", "ogg", "opus", "flac", "webm", "mpeg", "mov", "avi", "aac", "ts",
		"aiff",
		"caf"}
}

// how says how a kind is made; those that hold pictures have some.
var how = map[string][]string{
	"wav": {"-f", "wav"}, "mp3": {"-b:a", "64k", "-f", "mp3"}, "m4a": {"-c:a", "aac", "-f", "ipod"},
	"mp4": {"-c:a", "aac", "-f", "mp4"}, "ogg": {"-c:a", "libvorbis", "-ar", "22050", "-f", "ogg"},
	"opus": {"-c:a", "libopus", "-f", "ogg"}, "flac": {"-f", "flac"}, "webm": {"-c:a", "libopus", "-f", "webm"},
	"mpeg": {"-c:a", "mp2", "-ar", "44100", "-f", "mpeg"}, "mov": {"-c:a", "aac", "-f", "mov"},
	"avi": {"-c:a", "libmp3lame", "-ar", "44100", "-f", "avi"}, "aac": {"-c:a", "aac", "-f", "adts"},
	"ts": {"-c:a", "aac", "-f", "mpegts"}, "aiff": {"-f", "aiff"}, "caf": {"-f", "caf"},
}

// As is a WAV as another kind; videos have a grey picture.
func As(t testing.TB, wav []byte, kind string) []byte {
	t.Helper()
	folder := t.TempDir()
	in, out := filepath.Join(folder, "in.wav"), filepath.Join(folder, "out."+kind)
	if err := os.WriteFile(in, wav, 0o600); err != nil {
		t.Fatal(err)
	}
	arguments := []string{"-v", "error", "-i", in}
	if strings.Contains(" mp4 mpeg mov avi ts ", " "+kind+" ") {
		codec := map[string]string{"mpeg": "mpeg1video", "ts": "mpeg2video"}[kind]
		if codec == "" {
			codec = "mpeg4"
		}
		arguments = append(arguments, "-f", "lavfi", "-i", "color=gray:s=64x48:r=25", "-shortest", "-c:v", codec)
	}
	run(t, nil, "ffmpeg", append(append(arguments, how[kind]...), out)...)
	body, err := os.ReadFile(out)
	if err != nil {
		t.Fatal(err)
	}
	return body
}

// Silence is so many seconds of nothing, as WAV.
func Silence(seconds int) []byte { return WAV(make([]int16, 16000*seconds), 16000) }

// WAV is samples of one channel as a file.
func WAV(samples []int16, rate int) []byte {
	var b bytes.Buffer
	size := 2 * len(samples)
	b.WriteString("RIFF")
	for _, v := range []any{uint32(36 + size), []byte("WAVEfmt "), uint32(16), uint16(1), uint16(1), uint32(rate),
		uint32(2 * rate), uint16(2), uint16(16), []byte("data"), uint32(size), samples} {
		_ = binary.Write(&b, binary.LittleEndian, v)
	}
	return b.Bytes()
}

func run(t testing.TB, in []byte, name string, arguments ...string) {
	t.Helper()
	cmd := exec.Command(name, arguments...)
	cmd.Stdin = bytes.NewReader(in)
	if out, err := cmd.CombinedOutput(); err != nil {
		t.Fatalf("%s: %v\n%s", name, err, out)
	}
}
