// Command makesounds speaks the sample recordings of the demo with flite and espeak-ng,
// and writes down for the simulated recogniser what is said in them and when. It is run
// when the texts in demo/sounds have changed; what it makes is committed.
//
//	go run ./scripts/makesounds
package main

import (
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"

	"juvalogos/core/sound"
)

// Line is a sentence with what it is in English, and when it is said.
type Line struct {
	Start   float64 `json:"start"`
	End     float64 `json:"end"`
	Text    string  `json:"text"` // {right~misheard} where names stand
	English string  `json:"english,omitempty"`
}

// Sample is a recording that the simulated recogniser knows by how loud it is.
type Sample struct {
	Name     string         `json:"name"`
	Language string         `json:"language"`
	Loudness sound.Loudness `json:"loudness"`
	Lines    []Line         `json:"lines"`
}

const (
	rate      = 16000
	pause     = 0.7 // seconds between sentences
	longer    = 1.6 // between paragraphs
	folder    = "demo/sounds"
	outFolder = "standin/referencesite/sounds"
	knowFile  = "standin/modelserver/spoken.json"
)

var misheard = regexp.MustCompile(`\{([^~}]*)~[^}]*\}`)

func main() {
	texts, err := filepath.Glob(filepath.Join(folder, "*.txt"))
	if err != nil || len(texts) == 0 {
		fail("there are no texts in "+folder, err)
	}
	var all []Sample
	for _, file := range texts {
		all = append(all, speak(file))
	}
	body, err := json.Marshal(all)
	if err == nil {
		err = os.WriteFile(knowFile, append(body, '\n'), 0o644)
	}
	if err != nil {
		fail(knowFile, err)
	}
}

func speak(file string) Sample {
	text, err := os.ReadFile(file)
	if err != nil {
		fail(file, err)
	}
	head, rest, _ := strings.Cut(string(text), "\n\n")
	settings := map[string]string{}
	for line := range strings.Lines(head) {
		name, value, _ := strings.Cut(strings.TrimSpace(line), ": ")
		settings[name] = value
	}
	name := strings.TrimSuffix(filepath.Base(file), ".txt")
	s := Sample{Name: name, Language: settings["language"]}
	samples := make([]int16, rate/2)
	for n, paragraph := range strings.Split(strings.TrimSpace(rest), "\n\n") {
		if n > 0 {
			samples = append(samples, make([]int16, int((longer-pause)*rate))...)
		}
		for row := range strings.Lines(paragraph) {
			own, english, _ := strings.Cut(strings.TrimSpace(row), " | ")
			spoken := say(settings["speaker"], misheard.ReplaceAllString(own, "$1"))
			start := float64(len(samples)) / rate
			samples = append(samples, spoken...)
			s.Lines = append(s.Lines, Line{start, float64(len(samples)) / rate, own, english})
			samples = append(samples, make([]int16, int(pause*rate))...)
		}
	}
	m := sound.Meter{Rate: rate}
	m.Take(samples)
	m.Close()
	s.Loudness = m.Loudness
	encode(samples, filepath.Join(outFolder, name+"."+settings["kind"]), settings["title"])
	fmt.Printf("%s: %.0f s\n", name, m.Loudness.Seconds())
	return s
}

// say is a sentence as samples, without the silence at its ends.
func say(speaker, text string) []int16 {
	out, err := os.CreateTemp("", "makesounds-*.wav")
	if err != nil {
		fail("make a file", err)
	}
	defer os.Remove(out.Name())
	program, voice, _ := strings.Cut(speaker, " ")
	arguments := []string{"-voice", voice, "-t", text, "-o", out.Name()}
	if program == "espeak-ng" {
		arguments = []string{"-v", voice, "-s", "145", "-w", out.Name(), text}
	}
	if said, err := exec.Command(program, arguments...).CombinedOutput(); err != nil {
		fail(program+": "+string(said), err)
	}
	raw, err := exec.Command("ffmpeg", "-v", "error", "-i", out.Name(), "-ac", "1", "-ar", fmt.Sprint(rate), "-f",
		"s16le", "pipe:1").Output()
	if err != nil {
		fail("ffmpeg", err)
	}
	samples := make([]int16, len(raw)/2)
	for i := range samples {
		samples[i] = int16(raw[2*i]) | int16(raw[2*i+1])<<8
	}
	const quiet = 150
	from, to := 0, len(samples)
	for from < to && samples[from] < quiet && samples[from] > -quiet {
		from++
	}
	for to > from && samples[to-1] < quiet && samples[to-1] > -quiet {
		to--
	}
	return samples[from:to]
}

func encode(samples []int16, file, title string) {
	raw := make([]byte, 2*len(samples))
	for i, v := range samples {
		raw[2*i], raw[2*i+1] = byte(v), byte(uint16(v)>>8)
	}
	codec := map[string][]string{".m4a": {"-c:a", "aac", "-b:a", "24k"}, ".mp3": {"-b:a", "24k"},
		".ogg": {"-c:a", "libopus", "-b:a", "24k"}}[filepath.Ext(file)]
	cmd := exec.Command("ffmpeg", append(append([]string{"-v", "error", "-y", "-f", "s16le", "-ar", fmt.Sprint(rate),
		"-ac",
		"1", "-i", "pipe:0"}, codec...), "-metadata", "title="+title, file)...)
	cmd.Stdin = strings.NewReader(string(raw))
	if said, err := cmd.CombinedOutput(); err != nil {
		fail("ffmpeg: "+string(said), err)
	}
}

func fail(what string, err error) {
	fmt.Fprintln(os.Stderr, what+":", err)
	os.Exit(1)
}
