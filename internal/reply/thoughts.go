package reply

import (
	"juvalogos/core/deskfile"
	"juvalogos/core/phrase"
	"juvalogos/core/recipe"
	"juvalogos/internal/desk"
)

// What a model thinks aloud on the way to a reply is a part of the turn of its
// own: it is shown beside the reply, and neither remembered nor held against
// passages.

// thinkAloud returns what adds to the thinking before a text of the reply, as a step
// hands it over; nil if the desk hides it.
func (r *Reply) thinkAloud(d *desk.Desk, lane int) (add func(text []byte)) {
	if d.Settings.Thinking == deskfile.Hide {
		return nil
	}
	return func(text []byte) {
		text = keepable(text)
		r.mu.Lock()
		defer r.mu.Unlock()
		for len(r.thoughts) <= lane {
			r.thoughts = append(r.thoughts, nil)
		}
		r.thoughts[lane] = append(r.thoughts[lane], text...)
		r.wake()
	}
}

// ThoughtsSince returns what is new of the thinking beyond what a listener has, for
// each text of the reply, and adds to have what it now has.
func (r *Reply) ThoughtsSince(have []int) (news []LaneText, now []int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for i, t := range r.thoughts {
		if i >= len(have) {
			have = append(have, 0)
		}
		if len(t) > have[i] {
			news = append(news, LaneText{i, len(t), string(t[have[i]:])})
			have[i] = len(t)
		}
	}
	return news, have
}

// Thinking reports whether something has been thought aloud that may be read.
func (r *Reply) Thinking() bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return len(r.thoughts) > 0
}

// thinkingParts are the parts that hold what was thought.
func (r *Reply) thinkingParts() (parts []recipe.MadePart) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for i, t := range r.thoughts {
		if len(t) == 0 {
			continue
		}
		title := phrase.Of("How it thought about it").String()
		if i < len(r.lanes) && !r.Choosing.Blind {
			title = r.lanes[i].Title + ": " + title
		} else if len(r.thoughts) > 1 {
			title = phrase.Of("%d: how it thought about it", i+1).String()
		}
		parts = append(parts, recipe.MadePart{Title: title, Type: recipe.Thinking, Value: string(t)})
	}
	return parts
}
