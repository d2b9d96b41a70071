package reply

import (
	"encoding/json"
	"strconv"
	"time"

	"juvalogos/core/deskfile"
	"juvalogos/core/recipe"
	"juvalogos/internal/desk"
)

// Lane is one of the texts of a reply that has several, as it is on record.
type Lane struct {
	Title        string  `json:"title"`
	Model        string  `json:"model"`
	Text         string  `json:"text"`
	Failed       bool    `json:"failed,omitempty"`
	Show         string  `json:"show"`            // columns or cards
	Blind        bool    `json:"blind,omitempty"` // until the visitor has chosen
	Seconds      float64 `json:"seconds"`
	PromptTokens int     `json:"prompt_tokens"`
	ReplyTokens  int     `json:"reply_tokens"`
	Cost         float64 `json:"cost"`
}

// choosing says how a reply of several texts is shown.
type Choosing struct {
	Show   string   // columns or cards; empty: the reply is one text
	Blind  bool     // titles are hidden until the visitor has chosen
	Titles []string // as far as they are known beforehand
}

// choosing tells how the replies of a desk are shown.
func choosing(d *desk.Desk) (c Choosing) {
	if !d.Recipe.Lanes() {
		return c
	}
	c.Show = d.Recipe.Show
	if from := d.Recipe.Blind; from.Name != "" {
		c.Blind, _ = d.RecipeSettings[from.Name[len("settings."):]].(bool)
	}
	for _, v := range d.Recipe.Voices(d.RecipeSettings) {
		c.Titles = append(c.Titles, titleOfVoice(v, d.Settings.Model))
	}
	return c
}

func titleOfVoice(v recipe.Voice, usual string) string {
	switch {
	case v.Title != "":
		return v.Title
	case v.Model != "":
		return v.Model
	}
	return usual
}

// expect readies a reply for what the desk's recipe will write.
func (r *Reply) expect(d *desk.Desk) {
	r.record = &recipe.Recorder{}
	r.Choosing = choosing(d)
	r.droppable = d.Settings.Unattended == deskfile.Drop
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, title := range r.Choosing.Titles {
		r.lanes = append(r.lanes, &Lane{Title: title})
	}
}

// open returns what adds to a text of the reply, as a step hands it over.
func (r *Reply) open(lane int, now func() time.Time) (add func(text []byte)) {
	if r.Choosing.Show == "" {
		return func(text []byte) { r.add(text, now) }
	}
	return func(text []byte) {
		text = keepable(text)
		r.mu.Lock()
		defer r.mu.Unlock()
		r.began(now)
		for len(r.lanes) <= lane {
			r.lanes = append(r.lanes, &Lane{Title: strconv.Itoa(len(r.lanes) + 1)})
		}
		r.lanes[lane].Text += string(text)
		r.lanesGrew = true
		r.wake()
	}
}

// whole returns the text that the reply is, once it is made, and completes its
// lanes. What has not been written yet is added.
func (r *Reply) whole(result recipe.Result, made []Lane) string {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.Choosing.Show == "" {
		if result.Reply != "" && result.Reply != string(r.text) {
			// A later step has mended what was shown as it grew; readers get
			// that to its end all the same.
			r.mended = []byte(result.Reply)
			return result.Reply
		}
		return string(r.text)
	}
	for i, m := range made {
		for len(r.lanes) <= i {
			r.lanes = append(r.lanes, &Lane{Title: strconv.Itoa(len(r.lanes) + 1)})
		}
		text, title := r.lanes[i].Text, r.lanes[i].Title
		if m.Text == "" {
			m.Text = text
		}
		if m.Title == "" {
			m.Title = title
		}
		*r.lanes[i] = m
	}
	r.lanesGrew = true
	for _, l := range r.lanes {
		if l.Text != "" && !l.Failed {
			r.text = []byte(l.Text) // until the visitor prefers another
			break
		}
	}
	return string(r.text)
}

// lanesNow returns a copy of the lanes; nil if the reply is one text.
func (r *Reply) lanesNow() []Lane {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.copyLanes()
}

func (r *Reply) copyLanes() []Lane {
	if r.Choosing.Show == "" {
		return nil
	}
	lanes := make([]Lane, len(r.lanes))
	for i, l := range r.lanes {
		lanes[i] = *l
		lanes[i].Show, lanes[i].Blind = r.Choosing.Show, r.Choosing.Blind
	}
	return lanes
}

// LaneText is what is new of one lane.
type LaneText struct {
	Lane, Offset int // Offset is where it ends, in bytes
	Text         string
}

// LanesSince returns what is new of the lanes beyond what a listener has of
// each, and adds to have what it now has.
func (r *Reply) LanesSince(have []int) (news []LaneText, now []int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for i, l := range r.lanes {
		if i >= len(have) {
			have = append(have, 0)
		}
		if have[i] > len(l.Text) {
			have[i] = 0
		}
		if len(l.Text) > have[i] {
			news = append(news, LaneText{i, len(l.Text), l.Text[have[i]:]})
			have[i] = len(l.Text)
		}
	}
	return news, have
}

// lanesOf works out from the spans who wrote which lane, how fast and at what
// cost.
func lanesOf(d *desk.Desk, spans []recipe.Span, result recipe.Result) []Lane {
	if !d.Recipe.Lanes() {
		return nil
	}
	lanes := make([]Lane, len(result.Lanes))
	for i, l := range result.Lanes {
		lanes[i] = Lane{Text: l.Text, Failed: l.Failed}
	}
	choosing := choosing(d)
	for i, title := range choosing.Titles {
		if i < len(lanes) {
			lanes[i].Title = title
		}
	}
	for _, s := range spans {
		for _, c := range s.Calls {
			if c.Lane == 0 {
				continue
			}
			for len(lanes) < c.Lane {
				lanes = append(lanes, Lane{Failed: true})
			}
			l := &lanes[c.Lane-1]
			l.Model = c.Model
			l.Seconds += c.Took.Seconds()
			l.PromptTokens += c.PromptTokens
			l.ReplyTokens += c.ReplyTokens
			l.Cost += c.Cost
		}
	}
	for i := range lanes {
		lanes[i].Show, lanes[i].Blind = choosing.Show, choosing.Blind
	}
	return lanes
}

// ReadLanes reads lanes from the record.
func ReadLanes(text json.RawMessage) (lanes []Lane) {
	if text != nil && json.Unmarshal(text, &lanes) != nil {
		return nil // cannot happen: we wrote it
	}
	return lanes
}

// LanesOnRecord are the texts as they are now, as the record has them; nil for a
// reply that is one text.
func (r *Reply) LanesOnRecord() json.RawMessage {
	return encode(r.lanesNow(), r.Choosing.Show == "")
}
