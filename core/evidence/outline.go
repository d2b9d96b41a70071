package evidence

// Outline is a text section by section, each with where it stands.
type Outline struct {
	Sections []Section `json:"sections"` // never nil
}

// Section is one of them.
type Section struct {
	Text    string  `json:"text"`    // what it says, in short; "": nobody says
	Passage Passage `json:"passage"` // its own text may be left out, where there is much
}
