package sound

import "strings"

// Right is what somebody put right of a sentence; what is empty stays.
type Right struct {
	Text string  `json:"text,omitempty"`
	Who  *string `json:"who,omitempty"`
}

// PutRight returns the sentence as it was put right: words that stay keep their times,
// others get what lies between.
func (s Sentence) PutRight(r Right) Sentence {
	if r.Who != nil {
		s.Who = strings.TrimSpace(*r.Who)
	}
	text := strings.Join(strings.Fields(r.Text), " ")
	if text == "" || text == s.Text {
		return s
	}
	words := Timed(tokens(text), s.Words)
	for i := range words {
		if words[i].About { // it was written by a person
			words[i].Sure = nil
		}
	}
	s.Text, s.Words = text, orderly(words, s.End)
	return s
}

// PutRight returns the transcript as it was put right, by the places of sentences. A name
// that somebody gave holds until another one, or until somebody else is heard.
func (t Transcript) PutRight(all map[int]Right) Transcript {
	sentences := make([]Sentence, len(t.Sentences))
	named, heard := "", "" // who speaks from here on, and who was heard to
	for i, s := range t.Sentences {
		if s.Who != heard { // somebody else speaks
			named, heard = "", s.Who
		}
		r, ok := all[i]
		if ok {
			s = s.PutRight(r)
		}
		if ok && r.Who != nil {
			named = s.Who
		} else if named != "" {
			s.Who = named
		}
		sentences[i] = s
	}
	t.Sentences = sentences
	return t
}

// NewWords are the words of a text that stand in neither the sentence as it was heard nor
// at its beginning with a capital alone: likely names, put right.
func (s Sentence) NewWords(text string) (names []string) {
	heard := map[string]bool{}
	for _, w := range s.Words {
		heard[Plain(w.Text)] = true
	}
	for i, word := range tokens(text) {
		name := strings.Trim(word, ".,;:!?…\"'“”‘’()«»")
		if name == "" || heard[Plain(name)] || strings.ToLower(name) == name || i == 0 && len(s.Words) > 1 {
			continue
		}
		names = append(names, name)
	}
	return names
}
