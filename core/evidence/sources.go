package evidence

// Support is how a sentence stands to the passages.
type Support string

// The kinds of support.
const (
	Supported   Support = "supported"
	Unsupported Support = "unsupported"
	// Contradicted sentences are spoken of by a passage that says otherwise.
	Contradicted Support = "contradicted"
	// Unchecked sentences are in another language than the passages.
	Unchecked Support = "unchecked"
	// Neutral sentences claim nothing that documents could support: greetings,
	// questions, headings, that the documents do not say.
	Neutral Support = "neutral"
)

// Sources are the sentences of a reply with the passages they rest on.
type Sources struct {
	Sentences []Sentence `json:"sentences"` // never nil
	// Passages are those that the notes name, or what is near where nothing
	// supports; never nil.
	Passages  []Passage `json:"passages"`
	Supported bool      `json:"supported"` // any sentence rests on a passage
	Answers   bool      `json:"answers"`   // what was found was likely to answer
	// AskedIn is the language of the question, as a code of two letters, where no document
	// that was looked through is in it; In are theirs. "": some are, or it is not known.
	AskedIn string   `json:"asked_in,omitempty"`
	In      []string `json:"in,omitempty"`
}

// Sentence is a stretch of a reply.
type Sentence struct {
	From    int     `json:"from"`
	To      int     `json:"to"`
	Support Support `json:"support"`
	Notes   []Note  `json:"notes"` // never nil
}

// Note ties a sentence to a passage.
type Note struct {
	Passage int       `json:"passage"` // its number, from 1
	Quote   string    `json:"quote"`   // the words of the passage that it rests on
	Place   string    `json:"place,omitempty"`
	Section string    `json:"section"` // the heading above the words
	Marks   []Offsets `json:"marks"`   // never nil
}

// Answer is a short one, in the very words of a passage.
type Answer struct {
	Text       string  `json:"answer"`
	Confidence float64 `json:"confidence"` // how often answers like it are right, 0 to 1
	Passage    int     `json:"passage"`    // its number, from 1
	Title      string  `json:"title"`      // of its document
	Sentence   string  `json:"sentence"`   // that it stands in
}
