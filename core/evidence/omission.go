package evidence

// Why is why words of a file are not among its blocks.
type Why string

// The reasons. The first ones are what is there to find one's way by; what is
// lost is what a reader of the original sees and nobody decided to leave out.
const (
	Navigation  Why = "navigation"   // menus
	Header      Why = "header"       // of a web page or of printed pages
	Footer      Why = "footer"       // likewise
	Repeated    Why = "repeated"     // on many pages, or in many documents of a shelf
	PageNumbers Why = "page-numbers" // of printed pages
	Contents    Why = "contents"     // lists of contents and indexes: blocks, but not to be searched
	Comments    Why = "comments"     // of people who worked on the file
	Deleted     Why = "deleted"      // by changes that are tracked
	Unseen      Why = "unseen"       // that no reader sees: without scripts, templates, particulars
	Pictures    Why = "pictures"     // in the text, whose words are not read
	Blank       Why = "blank"        // pages on which no text was found, not even in their pictures
	Unreadable  Why = "unreadable"   // letters of fonts that do not say which they are
	Shared      Why = "shared"       // in many documents of the shelf, which is not searched
	Computed    Why = "computed"     // rows of tables: asked by computing, not searched
	Missing     Why = "missing"      // parts that the file names and does not have
	Lost        Why = "lost"
)

// Omission is what of a file is not among its blocks, or not searched.
type Omission struct {
	Why    Why    `json:"why"`
	Words  int    `json:"words,omitempty"`
	Count  int    `json:"count,omitempty"`  // of pictures or pages
	Sample string `json:"sample,omitempty"` // its first words

	// All is what was left out. It is there only where the document was read, and
	// goes nowhere else.
	All []string `json:"-"`
}

// Missed reports whether the words are some that a reader of the original reads
// for what they say.
func (o Omission) Missed() bool { return o.Why == Lost || o.Why == Unreadable || o.Why == Missing }

// LeastShare is the share of a document's words below which makers are warned.
const LeastShare = 0.98

// Share is how much of what a reader of the original reads is there of a document
// that has so many words, 0 to 1, if some are left out: what helps to find one's
// way does not count.
func Share(original int, left []Omission) float64 {
	if original == 0 {
		return 1
	}
	missed := 0
	for _, o := range left {
		if o.Missed() {
			missed += o.Words
		}
	}
	return max(0, 1-float64(missed)/float64(original))
}
