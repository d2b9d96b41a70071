// Package draw lays out a recipe as a graph and writes it as SVG or for a
// terminal.
//
// Boxes are the steps, what is taken from the visitor, the settings, and the
// reply; wires are what is led from one to another, with their names and types.
// Every box stands below all that it needs, and those that can run side by side
// stand next to each other; a group is drawn with its steps inside. The layout
// is the same for the same recipe, so that a picture of it can be compared.
//
//	r, err := steps.Check("own.recipe.yaml", text)
//	fmt.Print(draw.Layout(r).Text())
//
// Nothing is drawn here of a run; a page lays that over the boxes by their
// names.
package draw

import (
	"cmp"
	"slices"
	"strings"

	"juvalogos/core/recipe"
)

// Drawing is a recipe laid out: from top to bottom, each step below all that it
// needs. Lengths are in pixels.
type Drawing struct {
	Name   string `json:"name"`
	About  string `json:"about"`
	Width  int    `json:"width"`
	Height int    `json:"height"`
	Boxes  []Box  `json:"boxes"`
	Wires  []Wire `json:"wires"`
}

// Box is a step, what is taken, or the reply.
type Box struct {
	// Name is the step's, GROUP/STEP within a group; takes, settings and reply
	// are the ends.
	Name  string   `json:"name"`
	Title string   `json:"title"`
	Kind  string   `json:"kind"` // of the step; takes, settings or reply
	Notes []string `json:"notes,omitempty"`
	Gives []string `json:"gives,omitempty"` // NAME: TYPE
	Line  int      `json:"line,omitempty"`  // in the recipe's file
	Group bool     `json:"group,omitempty"`
	X     int      `json:"x"`
	Y     int      `json:"y"`
	W     int      `json:"w"`
	H     int      `json:"h"`
}

// Wire leads from one box to another.
type Wire struct {
	From  string `json:"from"`
	To    string `json:"to"`
	Label string `json:"label"` // what goes there, and its type
	// Path is the d of an SVG path; X and Y where the label stands.
	Path string `json:"path"`
	X    int    `json:"x"`
	Y    int    `json:"y"`
	Side bool   `json:"side,omitempty"` // the label begins there; else its middle is there
}

const (
	boxWidth  = 196
	boxHeight = 46
	noteLine  = 16
	gapX      = 36
	gapY      = 64
	margin    = 16
	groupHead = 44
)

// Layout lays a recipe out.
func Layout(r *recipe.Recipe) Drawing {
	d := Drawing{Name: r.Name, About: r.About}
	l := &layout{drawing: &d, at: map[string]*Box{}}
	var inputs []string
	for _, in := range r.Inputs {
		inputs = append(inputs, in.Name+": "+string(in.Type))
	}
	boxes := []*Box{{Name: "inputs", Title: "from the visitor", Kind: "inputs", Gives: inputs}}
	if len(r.File.Settings) > 0 {
		var set []string
		for _, in := range r.File.Settings {
			set = append(set, in.Name+": "+string(in.Type))
		}
		boxes = append(boxes, &Box{Name: "settings", Title: "set in the desk file", Kind: "settings", Gives: set})
	}
	reply := &Box{Name: "reply", Title: "the reply", Kind: "reply", Notes: nil}
	if r.Lanes() {
		reply.Notes = []string{"several texts, as " + r.Show}
	}
	for _, p := range r.Parts {
		reply.Notes = append(reply.Notes, "and: "+p.Title)
	}
	d.Width, d.Height = l.level(boxes, r.Steps, "", reply, ends(r), margin, margin)
	d.Width, d.Height = d.Width+margin, d.Height+margin
	l.wires()
	return d
}

// link is a wire before it is laid out.
type link struct{ from, to, label string }

type layout struct {
	drawing *Drawing
	at      map[string]*Box
	links   []link
}

func ends(r *recipe.Recipe) []link {
	all := []link{{source(r.Reply, ""), "reply", label(r.Reply)}}
	for _, p := range r.Parts {
		all = append(all, link{source(p.From, ""), "reply", label(p.From)})
	}
	return all
}

// source names the box that a reference comes from.
func source(ref recipe.Ref, before string) string {
	switch {
	case ref.Step != nil:
		return before + ref.Step.Name
	case strings.HasPrefix(ref.Name, "settings."):
		return "settings"
	case ref.Name == "item" || ref.Name == "number":
		return ""
	}
	return "inputs"
}

func label(ref recipe.Ref) string {
	name := ref.Output
	if ref.Step == nil {
		name = strings.TrimPrefix(ref.Name, "settings.")
	}
	return name + ": " + string(ref.Type)
}

// level lays out the steps of a level below the boxes that are given, and an
// end below them, from x, y on. It returns the corner at the other side.
func (l *layout) level(first []*Box, steps []*recipe.Step, before string, end *Box, ends []link, x, y int) (right,
	bottom int) {
	rank := map[string]int{}
	rows := [][]*Box{first}
	inner := map[string]*recipe.Step{}
	own := map[string]bool{}
	for _, s := range steps {
		own[before+s.Name] = true
	}
	for _, s := range steps {
		b := &Box{Name: before + s.Name, Title: s.Name, Kind: s.Kind.Name, Line: s.Line, Notes: notes(s),
			Group: s.Inner != nil}
		for _, o := range s.Out {
			b.Gives = append(b.Gives, o.Name+": "+string(o.Type))
		}
		if b.Group {
			inner[b.Name] = s
		}
		at := 0
		if len(first) == 0 {
			at = -1
		}
		seen := map[string]bool{}
		for _, ref := range s.Needs() {
			from := source(ref, before)
			if from == "" || !own[from] && (before != "" || from != "inputs" && from != "settings") {
				if before != "" {
					continue // a group's wires from around it lead to the group
				}
			}
			at = max(at, rank[from])
			lk := link{from, b.Name, label(ref)}
			if key := lk.from + lk.label; !seen[key] {
				seen[key] = true
				l.links = append(l.links, lk)
			}
		}
		rank[b.Name] = at + 1
		for len(rows) <= at+1 {
			rows = append(rows, nil)
		}
		rows[at+1] = append(rows[at+1], b)
	}
	if end != nil {
		rows = append(rows, []*Box{end})
		l.links = append(l.links, ends...)
	}
	if len(rows[0]) == 0 {
		rows = rows[1:]
	}
	l.order(rows)
	widest := 0
	widths := make([]int, len(rows))
	for i, row := range rows {
		for j, b := range row {
			l.size(b, inner[b.Name])
			if j > 0 {
				widths[i] += gapX
			}
			widths[i] += b.W
		}
		widest = max(widest, widths[i])
	}
	for i, row := range rows {
		at, tallest := x+(widest-widths[i])/2, 0
		for _, b := range row {
			b.X, b.Y = at, y
			at += b.W + gapX
			tallest = max(tallest, b.H)
		}
		for _, b := range row {
			l.place(b, inner[b.Name])
		}
		y += tallest + gapY
	}
	return x + widest, y - gapY
}

// order puts the boxes of each row near to those above that they hang on.
func (l *layout) order(rows [][]*Box) {
	column := map[string]float64{}
	for _, row := range rows {
		center := map[string]float64{}
		for i, b := range row {
			sum, n := 0.0, 0.0
			for _, lk := range l.links {
				if c, ok := column[lk.from]; ok && lk.to == b.Name {
					sum, n = sum+c, n+1
				}
			}
			center[b.Name] = float64(i)
			if n > 0 {
				center[b.Name] = sum / n
			}
		}
		slices.SortStableFunc(row, func(a, b *Box) int { return cmp.Compare(center[a.Name], center[b.Name]) })
		for i, b := range row {
			column[b.Name] = (float64(i) + 0.5) / float64(len(row))
		}
	}
}

func (l *layout) size(b *Box, group *recipe.Step) {
	b.W, b.H = boxWidth, boxHeight+noteLine*len(b.Notes)
	if b.Kind == "inputs" || b.Kind == "settings" {
		b.H = boxHeight - 14 + noteLine*len(b.Gives)
	}
	if group == nil {
		return
	}
	trial := &layout{drawing: &Drawing{}, at: map[string]*Box{}}
	right, bottom := trial.level(nil, group.Inner, b.Name+"/", nil, nil, 0, 0)
	b.W = max(b.W, right+2*margin)
	b.H = groupHead + noteLine*len(b.Notes) + bottom + margin
}

// place puts a box into the drawing, and what is in it.
func (l *layout) place(b *Box, group *recipe.Step) {
	l.at[b.Name] = b
	l.drawing.Boxes = append(l.drawing.Boxes, *b)
	if group != nil {
		l.level(nil, group.Inner, b.Name+"/", nil, nil, b.X+margin, b.Y+groupHead+noteLine*len(b.Notes))
	}
}

// notes says in a few words what is special about how a step runs.
func notes(s *recipe.Step) (all []string) {
	if s.Each != nil {
		all = append(all, "for each of "+s.Each.String())
	}
	if c := s.If; c != nil {
		all = append(all, "if "+c.String())
	}
	return append(all, s.Manner()...)
}
