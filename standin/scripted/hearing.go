package scripted

import (
	"context"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"strings"
	"sync"
	"time"
)

// Spoken is a word with its time, in seconds.
type Spoken struct {
	Word       string
	Start, End float64
}

// The words of a made-up language of tones: each has a pitch of its own, so that whoever
// hears one truly knows which it is.
const (
	toneRate  = 16000
	toneWord  = 0.24 // seconds
	toneGap   = 0.05 // between two words
	toneFirst = 220  // hertz
	toneStep  = 50
	toneWords = 60
)

// ToneWord is the word of a number.
func ToneWord(n int) string {
	n %= toneWords
	return string("bdfghklmnprs"[n/5]) + string("aeiou"[n%5]) + "la"
}

// Tones speaks words; after those of which pause says so there is a pause of so many
// seconds.
func Tones(words []int, pause func(i int) float64) (samples []int16, truth []Spoken) {
	samples = make([]int16, toneRate/2)
	for i, n := range words {
		pitch := toneFirst + toneStep*float64(n%toneWords)
		start := float64(len(samples)) / toneRate
		count := int(toneWord * toneRate)
		for k := range count {
			fade := min(1, float64(k)/160, float64(count-1-k)/160)
			samples = append(samples, int16(9000*fade*math.Sin(2*math.Pi*pitch*float64(k)/toneRate)))
		}
		truth = append(truth, Spoken{ToneWord(n), start, float64(len(samples)) / toneRate})
		samples = append(samples, make([]int16, int((toneGap+pause(i))*toneRate))...)
	}
	return append(samples, make([]int16, toneRate/2)...), truth
}

// Listen hears the words in samples: those that are cut off at an edge are misheard.
func Listen(samples []int16) (words []Spoken) {
	const frame = toneRate / 100
	loud := func(f int) bool {
		for _, v := range samples[f*frame : min((f+1)*frame, len(samples))] {
			if v > 500 || v < -500 {
				return true
			}
		}
		return false
	}
	frames := len(samples) / frame
	for f := 0; f < frames; f++ {
		if !loud(f) {
			continue
		}
		end := f
		for end < frames && loud(end) {
			end++
		}
		from, to := f*frame, end*frame
		crossings, last := 0, int16(0)
		first, latest := 0, 0
		for i, v := range samples[from:to] {
			if v != 0 && (v > 0) != (last > 0) && last != 0 {
				if crossings++; crossings == 1 {
					first = i
				}
				latest = i
			}
			if v != 0 {
				last = v
			}
		}
		word := "um"
		if length := float64(to-from) / toneRate; length > toneWord*0.9 && latest > first {
			pitch := float64(crossings-1) / 2 / (float64(latest-first) / toneRate)
			word = ToneWord(int(math.Round((pitch - toneFirst) / toneStep)))
		}
		words = append(words, Spoken{word, float64(from) / toneRate, float64(to) / toneRate})
		f = end
	}
	return words
}

// Ear is a simulated recogniser of the language of tones, behind the common protocol. It
// hears truly, in the manner that is set. The zero Ear gives each word its time.
type Ear struct {
	// Form is what it gives: "" (words with times), segments (sentences with times), text.
	Form string
	// Plain: it does not know verbose_json. Fails says of each ask, from 1, with which
	// status it fails; 0: it does not. Slow is how long each takes. Aloud: it says more than
	// the words. Lies: its times are none. Speaks: a sound for every text.
	Plain bool
	Fails func(ask int) int
	Slow  time.Duration
	// Together: an ask waits until so many are here at once.
	Together int
	Lies     bool
	Doubts   bool // it says how sure it is
	Speaks   []byte

	mu      sync.Mutex
	asks    int
	Fields  []map[string]string // of every ask
	Seconds []float64           // of every sound that it was given
	now     int
	Most    int // that were asked for at once
}

// Asks is how often it was asked.
func (e *Ear) Asks() int {
	e.mu.Lock()
	defer e.mu.Unlock()
	return e.asks
}

func (e *Ear) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	if strings.HasSuffix(r.URL.Path, "/audio/speech") {
		_, _ = io.Copy(io.Discard, r.Body)
		e.mu.Lock()
		e.asks++
		e.mu.Unlock()
		w.Header().Set("Content-Type", "audio/wav")
		_, _ = w.Write(e.Speaks)
		return
	}
	if !strings.Contains(r.URL.Path, "/audio/tran") {
		http.NotFound(w, r)
		return
	}
	if err := r.ParseMultipartForm(64 << 20); err != nil {
		http.Error(w, err.Error(), http.StatusBadRequest)
		return
	}
	defer func() { _ = r.MultipartForm.RemoveAll() }()
	fields := map[string]string{"path": r.URL.Path}
	for name, values := range r.MultipartForm.Value {
		fields[name] = strings.Join(values, " ")
	}
	file, _, err := r.FormFile("file")
	if err != nil {
		http.Error(w, "no file", http.StatusBadRequest)
		return
	}
	defer file.Close()
	body, err := io.ReadAll(file)
	if err != nil {
		return
	}
	e.mu.Lock()
	e.asks++
	ask := e.asks
	e.Fields = append(e.Fields, fields)
	e.now++
	e.Most = max(e.Most, e.now)
	e.mu.Unlock()
	defer func() {
		e.mu.Lock()
		e.now--
		e.mu.Unlock()
	}()
	if !e.wait(r.Context()) {
		return
	}
	if e.Fails != nil {
		if status := e.Fails(ask); status != 0 {
			http.Error(w, `{"error":{"message":"It fails, as it was told to."}}`, status)
			return
		}
	}
	if e.Plain && fields["response_format"] == "verbose_json" {
		http.Error(w, `{"error":{"message":"response_format is json or text"}}`, http.StatusBadRequest)
		return
	}
	e.answer(w, fields["response_format"], body)
}

// wait takes as long as was set, and reports false when nobody wants to know any more.
func (e *Ear) wait(ctx context.Context) bool {
	select {
	case <-time.After(e.Slow):
	case <-ctx.Done():
	}
	for ctx.Err() == nil {
		e.mu.Lock()
		enough := e.Most >= e.Together
		e.mu.Unlock()
		if enough {
			return true
		}
		time.Sleep(time.Millisecond)
	}
	return false
}

func (e *Ear) answer(w http.ResponseWriter, format string, wav []byte) {
	at := strings.Index(string(wav[:min(len(wav), 4096)]), "data")
	if len(wav) < 44 || at < 0 {
		http.Error(w, "no WAV", http.StatusBadRequest)
		return
	}
	raw := wav[at+8:]
	samples := make([]int16, len(raw)/2)
	for i := range samples {
		samples[i] = int16(binary.LittleEndian.Uint16(raw[2*i:]))
	}
	e.mu.Lock()
	e.Seconds = append(e.Seconds, float64(len(samples))/toneRate)
	e.mu.Unlock()
	heard := Listen(samples)
	var texts []string
	var words, segments []map[string]any
	for i, s := range heard {
		if e.Lies {
			s.Start, s.End = 1e300, -5
		}
		texts = append(texts, s.Word)
		words = append(words, map[string]any{"word": s.Word, "start": s.Start, "end": s.End})
		if e.Doubts {
			words[len(words)-1]["probability"] = []float64{0.9, 0.2, 0.8}[i%3]
		}
		if i%6 == 0 {
			segments = append(segments, map[string]any{"id": len(segments), "start": s.Start, "text": ""})
		}
		last := segments[len(segments)-1]
		last["end"], last["text"] = s.End, strings.TrimSpace(fmt.Sprint(last["text"], " ", s.Word))
	}
	all := map[string]any{"text": strings.Join(texts, " ")}
	if format == "verbose_json" && e.Form != "text" {
		all["language"], all["duration"] = "english", float64(len(samples))/toneRate
		all["segments"] = segments
		if e.Form == "" {
			delete(all, "segments")
			all["words"] = words
		}
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(all)
}
