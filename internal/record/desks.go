package record

import "time"

// Revision is one published state of a desk.
type Revision struct {
	DeskID int64
	Slug   string
	Number int
	File   string // the desk file's text
	Note   string // what its maker says is new
	MadeBy string
	MadeAt time.Time
}

// Draft is a desk file that is being worked on.
type Draft struct {
	DeskID    int64
	Slug      string
	File      string
	Good      string // the last text without mistakes; empty if there was none
	ChangedBy string
	ChangedAt time.Time
}

// DeskSummary is a desk as a list shows it.
type DeskSummary struct {
	DeskID         int64
	Slug           string
	Published      int    // number of the published revision; 0: none
	File           string // of the published revision, else the newest, else the draft
	Revisions      int    // how many there are
	Newest         int
	ChangedBy      string // who published last, or wrote the draft
	ChangedAt      time.Time
	Draft          *time.Time // when a draft was changed that is not published; nil: none
	QuestionsToday int
	LastAsked      *time.Time
	Judged, Helped int // replies that visitors judged in the last thirty days, and those that helped
}

// Milestones are how far a maker is on the way to a page.
type Milestones struct {
	Written   bool // there is a desk or a draft
	Asked     bool // a question was answered
	Published bool
}
