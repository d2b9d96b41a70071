package sound

import (
	"encoding/json"
	"math"
	"strconv"
	"strings"
)

// Asked is what a recogniser is asked for, of a sound that goes along.
type Asked struct {
	Translate bool    `json:"translate,omitempty"` // into English
	Language  string  `json:"language,omitempty"`  // ISO 639-1; "": it finds out
	Prompt    string  `json:"prompt,omitempty"`    // names and spellings to go by
	Seconds   float64 `json:"seconds"`             // of the sound
	Words     bool    `json:"words,omitempty"`     // times of words are wanted
	// Of which recording, and from when to when, for whoever looks at it afterwards.
	Recording string  `json:"recording,omitempty"`
	From      float64 `json:"from,omitempty"`
	To        float64 `json:"to,omitempty"`
}

// Saying is a text that is to be spoken.
type Saying struct {
	Text  string  `json:"text"`
	Voice string  `json:"voice,omitempty"`
	Speed float64 `json:"speed,omitempty"` // 1 is as usual; 0 is not said
	Kind  string  `json:"kind,omitempty"`  // of the file: mp3, wav, ...
}

// ReadHeard reads what recognisers answer in JSON: a text, with segments and words where
// they know them, under the names that are common. It fails if it is not JSON at all.
func ReadHeard(answer []byte) (h Heard, err error) {
	var v any
	if err := json.Unmarshal(answer, &v); err != nil {
		return h, err
	}
	if text, ok := v.(string); ok {
		return Heard{Text: text}, nil
	}
	all, _ := v.(map[string]any)
	h.Text, _ = all["text"].(string)
	h.Language = LanguageCode(firstText(all, "language"))
	h.Sentences = SentencesOf(firstOf(all, "segments", "sentences"))
	h.Words = WordsOf(all["words"])
	return h, nil
}

// SentencesOf reads a list of sentences with times; what has none is left out.
func SentencesOf(v any) (sentences []Sentence) {
	list, _ := v.([]any)
	for _, x := range list {
		m, _ := x.(map[string]any)
		start, ok := number(m, "start", "from", "offset")
		end, also := number(m, "end", "to")
		text := strings.TrimSpace(firstText(m, "text", "sentence"))
		if !ok || !also || text == "" {
			continue
		}
		s := Sentence{Start: start, End: end, Text: text, Words: WordsOf(m["words"]),
			Who: firstText(m, "speaker", "who")}
		if logarithm, ok := number(m, "avg_logprob"); ok && len(s.Words) == 0 {
			s.Words = spread(tokens(text), [][2]float64{{start, max(start, end)}})
			for i := range s.Words {
				s.Words[i].Sure = bounded(math.Exp(logarithm))
			}
		}
		sentences = append(sentences, s)
	}
	return sentences
}

// WordsOf reads a list of words with times; what has none is left out.
func WordsOf(v any) (words []Word) {
	list, _ := v.([]any)
	for _, x := range list {
		m, _ := x.(map[string]any)
		start, ok := number(m, "start", "from", "start_time")
		end, also := number(m, "end", "to", "end_time")
		text := strings.TrimSpace(firstText(m, "word", "text"))
		if !ok || !also || text == "" {
			continue
		}
		w := Word{Text: text, Start: start, End: end}
		if sure, ok := number(m, "sure", "confidence", "probability", "score", "conf"); ok {
			w.Sure = bounded(sure)
		}
		words = append(words, w)
	}
	return words
}

func bounded(p float64) *float64 {
	p = min(max(p, 0), 1)
	return &p
}

func firstOf(m map[string]any, names ...string) any {
	for _, name := range names {
		if m[name] != nil {
			return m[name]
		}
	}
	return nil
}

func firstText(m map[string]any, names ...string) string {
	text, _ := firstOf(m, names...).(string)
	return text
}

func number(m map[string]any, names ...string) (float64, bool) {
	switch n := firstOf(m, names...).(type) {
	case float64:
		return n, !math.IsNaN(n) && !math.IsInf(n, 0)
	case string:
		f, err := strconv.ParseFloat(strings.TrimSuffix(n, "s"), 64)
		return f, err == nil && !math.IsNaN(f) && !math.IsInf(f, 0)
	}
	return 0, false
}
