package modelserver

import (
	_ "embed"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"io"
	"math"
	"net/http"
	"regexp"
	"slices"
	"strings"
	"time"
	"unicode/utf8"
)

// The simulated recogniser knows the recordings of the demo, whole or in pieces, by how
// loud they are from moment to moment, and what is said in them. Of others it says that
// it does not know them.

// spokenFile is written by scripts/makesounds.
//
//go:embed spoken.json
var spokenFile []byte

type sample struct {
	Name, Language string
	Loudness       []byte
	Lines          []struct {
		Start, End    float64
		Text, English string
	}
}

var samples = func() (all []sample) {
	if err := json.Unmarshal(spokenFile, &all); err != nil {
		panic(err) // it is ours
	}
	return all
}()

// frame is the stretch of one value of a curve, in seconds.
const frame = 0.02

// curveOf is how loud a recording is; it reads a WAV of 16 bits and one or two channels.
func curveOf(wav []byte) (curve []byte, err error) {
	if len(wav) < 44 || string(wav[:4]) != "RIFF" || string(wav[8:12]) != "WAVE" {
		return nil, fmt.Errorf("it is no WAV")
	}
	channels, rate := int(binary.LittleEndian.Uint16(wav[22:])), int(binary.LittleEndian.Uint32(wav[24:]))
	if bits := binary.LittleEndian.Uint16(wav[34:]); bits != 16 || channels < 1 || channels > 2 || rate < 8000 ||
		rate > 48000 {
		return nil, fmt.Errorf("it is no WAV of 16 bits and one or two channels")
	}
	at := strings.Index(string(wav[:min(len(wav), 4096)]), "data")
	if at < 0 {
		return nil, fmt.Errorf("there are no samples in it")
	}
	body := wav[min(at+8, len(wav)):]
	each := int(float64(rate)*frame) * channels
	for n := 0; (n+each)*2 <= len(body); n += each {
		sum := 0.0
		for i := n; i < n+each; i++ {
			v := float64(int16(binary.LittleEndian.Uint16(body[2*i:])))
			sum += v * v
		}
		level := 10*math.Log10(sum/float64(each)+1e-9) - 20*math.Log10(32768)
		curve = append(curve, byte(min(max((level+96)*2, 0), 192)))
	}
	return curve, nil
}

// known finds the sample of which a curve is a part, and where it begins in it. What is
// faint is all the same: coding changes it most.
func known(curve []byte) (s sample, from float64, ok bool) {
	const faint, most = 70, 9.0
	level := func(v byte) float64 { return float64(max(v, faint)) }
	best := math.MaxFloat64
	for _, one := range samples {
		for shift := -25; shift+len(curve) <= len(one.Loudness)+25; shift++ {
			sum, n := 0.0, 0
			for i := 0; i < len(curve); i += 2 {
				if j := shift + i; j >= 0 && j < len(one.Loudness) {
					sum += math.Abs(level(curve[i]) - level(one.Loudness[j]))
				} else {
					sum += level(curve[i]) - faint
				}
				if n++; n%64 == 0 && sum/float64(n) > 2*most {
					break
				}
			}
			if apart := sum / float64(max(n, 1)); apart < best {
				best, s, from = apart, one, float64(shift)*frame
			}
		}
	}
	heard := slices.ContainsFunc(curve, func(v byte) bool { return v > faint+20 })
	return s, from, heard && best < most && len(curve) > 20
}

type timedWord struct {
	Word  string  `json:"word"`
	Start float64 `json:"start"`
	End   float64 `json:"end"`
}

type segment struct {
	ID      int     `json:"id"`
	Start   float64 `json:"start"`
	End     float64 `json:"end"`
	Text    string  `json:"text"`
	Logprob float64 `json:"avg_logprob"`
}

var nameOrNot = regexp.MustCompile(`\{([^~}]*)~([^}]*)\}`)

// written is what is said in a stretch of a sample: whole words only. Names are right if
// the prompt has them.
func (s sample) written(from, length float64, english bool, prompt string) (segments []segment, words []timedWord) {
	for _, line := range s.Lines {
		text := line.Text
		if english && line.English != "" {
			text = line.English
		}
		text = nameOrNot.ReplaceAllStringFunc(text, func(both string) string {
			m := nameOrNot.FindStringSubmatch(both)
			if strings.Contains(strings.ToLower(prompt), strings.ToLower(m[1])) {
				return m[1]
			}
			return m[2]
		})
		var kept []string
		first, last := 0.0, 0.0
		at, each := line.Start, (line.End-line.Start)/float64(utf8.RuneCountInString(text)+1)
		for _, word := range strings.Fields(text) {
			end := at + each*float64(utf8.RuneCountInString(word)+1)
			if at >= from-0.01 && end <= from+length+0.01 {
				if kept = append(kept, word); len(kept) == 1 {
					first = at
				}
				last = end
				words = append(words, timedWord{strings.Trim(word, ".,;:?!"), at - from, end - from - each/2})
			}
			at = end
		}
		if len(kept) > 0 {
			segments = append(segments, segment{len(segments), first - from, last - from, strings.Join(kept, " "),
				-0.2})
		}
	}
	return segments, words
}

func (s *Server) transcribe(w http.ResponseWriter, r *http.Request) { s.listen(w, r, false) }
func (s *Server) translate(w http.ResponseWriter, r *http.Request)  { s.listen(w, r, true) }

var languageNames = map[string]string{"en": "english", "de": "german"}

func (s *Server) listen(w http.ResponseWriter, r *http.Request, english bool) {
	const most = 26 << 20
	r.Body = http.MaxBytesReader(w, r.Body, most)
	if err := r.ParseMultipartForm(1 << 20); err != nil {
		refuse(w, http.StatusRequestEntityTooLarge, "too_large", "Send a form with a file of up to 25 MB.")
		return
	}
	defer func() { _ = r.MultipartForm.RemoveAll() }()
	if m, ok := find(r.FormValue("model")); !ok || !m.hears {
		refuse(w, http.StatusNotFound, "model_not_found", "There is no model of this name that hears.")
		return
	}
	file, _, err := r.FormFile("file")
	if err != nil {
		refuse(w, http.StatusBadRequest, "no_file", "There is no file.")
		return
	}
	defer file.Close()
	body, err := io.ReadAll(file)
	if err != nil {
		refuse(w, http.StatusBadRequest, "no_file", "The file did not arrive whole.")
		return
	}
	curve, err := curveOf(body)
	if err != nil {
		refuse(w, http.StatusBadRequest, "unsupported_file", "The file cannot be read: "+err.Error()+".")
		return
	}
	length := float64(len(curve)) * frame
	time.Sleep(time.Duration(length * float64(time.Second) / 25)) // as fast as real ones are
	of, from, ok := known(curve)
	segments, words := of.written(from, length, english, r.FormValue("prompt"))
	language := of.Language
	if !ok {
		words, language = nil, "en"
		segments = []segment{{0, 0, length, "(The simulated recogniser knows the recordings of the demo alone.)", -2}}
	}
	if english {
		language = "en"
	}
	var texts []string
	for _, one := range segments {
		texts = append(texts, one.Text)
	}
	tellHeard(w, r, strings.Join(texts, " "), language, length, segments, words)
}

func tellHeard(w http.ResponseWriter, r *http.Request, text, language string, length float64, segments []segment,
	words []timedWord) {
	say := func(kind, body string) {
		w.Header().Set("Content-Type", kind)
		_, _ = io.WriteString(w, body)
	}
	cues := func(point, before string, number bool) string {
		var b strings.Builder
		b.WriteString(before)
		clock := func(t float64) string {
			ms := int(t * 1000)
			return fmt.Sprintf("%02d:%02d:%02d%s%03d", ms/3600000, ms/60000%60, ms/1000%60, point, ms%1000)
		}
		for i, one := range segments {
			if number {
				fmt.Fprintln(&b, i+1)
			}
			fmt.Fprintf(&b, "%s --> %s\n%s\n\n", clock(one.Start), clock(one.End), one.Text)
		}
		return b.String()
	}
	switch r.FormValue("response_format") {
	case "text":
		say("text/plain; charset=utf-8", text+"\n")
	case "srt":
		say("text/plain; charset=utf-8", cues(",", "", true))
	case "vtt":
		say("text/vtt; charset=utf-8", cues(".", "WEBVTT\n\n", false))
	case "verbose_json":
		all := map[string]any{"task": "transcribe", "language": languageNames[language], "duration": length,
			"text":     text,
			"segments": segments}
		if slices.Contains(r.MultipartForm.Value["timestamp_granularities[]"], "word") {
			all["words"] = words
		}
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(all)
	default:
		w.Header().Set("Content-Type", "application/json")
		_ = json.NewEncoder(w).Encode(map[string]any{"text": text})
	}
}
