package modelserver

import (
	"encoding/json"
	"hash/fnv"
	"math"
	"net/http"
	"strings"
)

const dimensions = 256

func (s *Server) embed(w http.ResponseWriter, r *http.Request) {
	var q struct {
		Model string          `json:"model"`
		Input json.RawMessage `json:"input"`
	}
	if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 32<<20)).Decode(&q); err != nil {
		refuse(w, http.StatusBadRequest, "invalid_request", err.Error())
		return
	}
	if s.take(r, q.Model).refused(w, r) {
		return
	}
	if m, ok := find(q.Model); !ok || m.chat {
		refuse(w, http.StatusNotFound, "model_not_found", "There is no embedding model "+q.Model+".")
		return
	}
	var inputs []string
	var one string
	if json.Unmarshal(q.Input, &one) == nil {
		inputs = []string{one}
	} else if err := json.Unmarshal(q.Input, &inputs); err != nil {
		refuse(w, http.StatusBadRequest, "invalid_request", "input must be a text or a list of texts.")
		return
	}
	s.mu.Lock()
	s.embedded += len(inputs)
	s.mu.Unlock()
	tokens := 0
	var data []map[string]any
	for i, text := range inputs {
		tokens += count(text)
		data = append(data, map[string]any{"object": "embedding", "index": i, "embedding": vector(text)})
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(map[string]any{
		"object": "list", "model": q.Model, "data": data,
		"usage": map[string]int{"prompt_tokens": tokens, "total_tokens": tokens},
	})
}

// vector hashes the text's word stems into a vector of length 1, so that texts
// that share words lie near each other.
func vector(text string) []float64 {
	v := make([]float64, dimensions)
	for _, word := range contentWords(text) {
		h := fnv.New32a()
		h.Write([]byte(word))
		sum := h.Sum32()
		sign := 1.0
		if sum&1 == 1 {
			sign = -1
		}
		v[(sum>>1)%dimensions] += sign
	}
	norm := 0.0
	for _, x := range v {
		norm += x * x
	}
	if norm > 0 {
		for i := range v {
			v[i] /= math.Sqrt(norm)
		}
	}
	return v
}

var stopWords = func() map[string]bool {
	set := map[string]bool{}
	for _, w := range strings.Fields("a an and are as at be been but by can could did do does for from had has have " +
		"he her his how i if in into is it its may me might my no not of on one or our she should so some than that " +
		"the their them then there these they this to up us was we were what when where which while who why will " +
		"with would you your about tell please any more much many get just like") {
		set[w] = true
	}
	return set
}()

// contentWords returns the words of text that carry meaning, cut to their
// stems.
func contentWords(text string) []string {
	var words []string
	for _, w := range strings.FieldsFunc(strings.ToLower(text), func(r rune) bool {
		return !(r >= 'a' && r <= 'z' || r >= '0' && r <= '9' || r > 127)
	}) {
		if !stopWords[w] {
			words = append(words, stem(w))
		}
	}
	return words
}

func stem(w string) string {
	for _, ending := range []string{"ing", "ies", "es", "ed", "s"} {
		if len(w) > len(ending)+3 && strings.HasSuffix(w, ending) {
			return w[:len(w)-len(ending)]
		}
	}
	return w
}
