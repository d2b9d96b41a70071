package draw

import (
	"fmt"
	"html"
	"strings"
)

// pair is two boxes with a wire between them.
type pair struct{ from, to string }

// wires lays the wires: from the lower edge of one box to the upper edge of
// another. Wires between the same two boxes are one, with all their labels.
func (l *layout) wires() {
	order, labels := l.pairs()
	straight := l.wiresRound(order, labels)
	l.wiresStraight(straight, labels)
	l.partLabels()
}

// pairs are the boxes that have wires between them, in the order of the wires,
// and what goes there.
func (l *layout) pairs() (order []pair, labels map[pair]string) {
	all := map[pair][]string{}
	for _, lk := range l.links {
		p := pair{lk.from, lk.to}
		if l.at[lk.from] == nil || l.at[lk.to] == nil {
			continue
		}
		if all[p] == nil {
			order = append(order, p)
		}
		all[p] = append(all[p], lk.label)
	}
	labels = make(map[pair]string, len(all))
	for p, list := range all {
		labels[p] = strings.Join(list, ", ")
	}
	return order, labels
}

// wiresRound lays those wires that pass other boxes: they are led round them,
// each in a lane of its own. It returns the others.
func (l *layout) wiresRound(order []pair, labels map[pair]string) (straight []pair) {
	lane, sides := 0, map[string]int{}
	for _, b := range l.drawing.Boxes {
		lane = max(lane, b.X+b.W)
	}
	for _, p := range order {
		a, b := l.at[p.from], l.at[p.to]
		if b.Y-a.Y-a.H <= gapY+boxHeight {
			straight = append(straight, p)
			continue
		}
		lane += laneGap
		sides[p.from]++
		sides[p.to]++
		begin, y1 := l.leaves(a, sides[p.from])
		end, y2 := l.arrives(b, sides[p.to])
		l.drawing.Wires = append(l.drawing.Wires, Wire{
			From: p.from, To: p.to, Label: labels[p], Side: true, X: lane + 6, Y: y2 - 14,
			Path: fmt.Sprintf("%s H%d Q%d %d %d %d V%d Q%d %d %d %d %s",
				begin, lane-8, lane, y1, lane, y1+8, y2-8, lane, y2, lane-8, y2, end),
		})
		l.drawing.Width = max(l.drawing.Width, lane+6+7*len(labels[p])+margin)
	}
	return straight
}

// leaves is the beginning of a box's n-th wire that is led round others: at the
// right, or where another box stands there, at the lower edge.
func (l *layout) leaves(a *Box, n int) (path string, y int) {
	if below := l.beside(a); below > 0 {
		x := a.X + a.W - 6 - 9*n
		y = below + 4 + 9*n
		return fmt.Sprintf("M%d %d V%d Q%d %d %d %d", x, a.Y+a.H, y-8, x, y, x+8, y), y
	}
	y = min(a.Y+10+9*n, a.Y+a.H-4)
	return fmt.Sprintf("M%d %d", a.X+a.W, y), y
}

// arrives is the end of a box's n-th wire that is led round others: at the
// right, or where another box stands there, at the upper edge.
func (l *layout) arrives(b *Box, n int) (path string, y int) {
	if l.beside(b) > 0 {
		x := b.X + b.W - 6 - 9*n
		y = b.Y - 12 - 9*n
		return fmt.Sprintf("H%d Q%d %d %d %d V%d", x+8, x, y, x, y+8, b.Y), y
	}
	return fmt.Sprintf("H%d", b.X+b.W), min(b.Y+10+9*n, b.Y+b.H-4)
}

// wiresStraight lays the wires that lead from one row to the next, side by side
// where a box has several.
func (l *layout) wiresStraight(order []pair, labels map[pair]string) {
	leaving, arriving := map[string]int{}, map[string]int{}
	for _, p := range order {
		leaving[p.from]++
		arriving[p.to]++
	}
	left, arrived := map[string]int{}, map[string]int{}
	for _, p := range order {
		a, b := l.at[p.from], l.at[p.to]
		left[p.from]++
		arrived[p.to]++
		x1, y1 := a.X+a.W*left[p.from]/(leaving[p.from]+1), a.Y+a.H
		x2, y2 := b.X+b.W*arrived[p.to]/(arriving[p.to]+1), b.Y
		bend := max(gapY/2, (y2-y1)/2)
		l.drawing.Wires = append(l.drawing.Wires, Wire{
			From: p.from, To: p.to, Label: labels[p], X: x2, Y: y2 - 12,
			Path: fmt.Sprintf("M%d %d C%d %d %d %d %d %d", x1, y1, x1, y1+bend, x2, y2-bend, x2, y2),
		})
	}
}

// partLabels has labels step aside that would stand on each other.
func (l *layout) partLabels() {
	for i := range l.drawing.Wires {
		w := &l.drawing.Wires[i]
		for j := 0; j < i; j++ {
			o := l.drawing.Wires[j]
			if abs(o.Y-w.Y) < 14 && abs(o.X-w.X) < 7*max(len(o.Label), len(w.Label))/2+20 {
				w.Y = o.Y - 14
				j = -1 // it may stand on one before now
			}
		}
	}
}

// beside returns the lower edge of the boxes that stand right of one in its
// row, its own included; 0 if none does.
func (l *layout) beside(a *Box) int {
	below := 0
	for i := range l.drawing.Boxes {
		b := &l.drawing.Boxes[i]
		if b.X >= a.X+a.W && b.Y < a.Y+a.H && a.Y < b.Y+b.H {
			below = max(below, b.Y+b.H, a.Y+a.H)
		}
	}
	return below
}

const laneGap = 16

func abs(n int) int { return max(n, -n) }

// SVG writes the drawing as a picture that stands alone.
func (d Drawing) SVG() string {
	var b strings.Builder
	fmt.Fprintf(&b, `<svg xmlns="http://www.w3.org/2000/svg" width="%d" height="%d" viewBox="0 0 %[1]d %[2]d" font-family="Georgia, serif" role="img" aria-label="The recipe %s">`+"\n", d.Width, d.Height, html.EscapeString(d.Name))
	b.WriteString(`<rect width="100%" height="100%" fill="#ebedea"/><defs><marker id="tip" viewBox="0 0 8 8" refX="7" refY="4" markerWidth="7" markerHeight="7" orient="auto"><path d="M0 0 L8 4 L0 8 z" fill="#4a5663"/></marker></defs>` + "\n")
	for _, box := range d.Boxes {
		fill, stroke := "#f5f7f3", "#4a5663"
		switch {
		case box.Group:
			fill = "#dfe3de"
		case box.Kind == "inputs" || box.Kind == "settings" || box.Kind == "reply":
			fill, stroke = "#dde5d3", "#3c5624"
		}
		fmt.Fprintf(&b, `<rect x="%d" y="%d" width="%d" height="%d" rx="4" fill="%s" stroke="%s"/>`+"\n", box.X, box.Y,
			box.W, box.H, fill, stroke)
		text := func(dy int, size int, weight, fill, s string) {
			fmt.Fprintf(&b, `<text x="%d" y="%d" font-size="%d" font-weight="%s" fill="%s">%s</text>`+"\n", box.X+12,
				box.Y+dy, size, weight, fill, html.EscapeString(s))
		}
		text(19, 14, "bold", "#1a2533", box.Title)
		dy := 36
		switch box.Kind {
		case "inputs", "settings":
			for _, g := range box.Gives {
				text(dy, 12, "normal", "#4a5663", g)
				dy += noteLine
			}
		case "reply":
		default:
			text(dy, 12, "normal", "#4a5663", box.Kind)
			dy += noteLine
		}
		for _, n := range box.Notes {
			text(dy, 12, "normal", "#3c5624", n)
			dy += noteLine
		}
	}
	for _, w := range d.Wires {
		fmt.Fprintf(&b, `<path d="%s" fill="none" stroke="#4a5663" stroke-width="1.2" marker-end="url(#tip)"/>`+"\n",
			w.Path)
	}
	for _, w := range d.Wires {
		fmt.Fprintf(&b, `<text x="%d" y="%d" font-size="11" text-anchor="%s" fill="#3c5624" stroke="#ebedea" stroke-width="4" paint-order="stroke">%s</text>`+"\n", w.X, w.Y, anchor(w), html.EscapeString(w.Label))
	}
	b.WriteString("</svg>\n")
	return b.String()
}

func anchor(w Wire) string {
	if w.Side {
		return "start"
	}
	return "middle"
}

// Text writes the drawing for a terminal: the boxes from top to bottom, those
// that run side by side next to each other, and what each takes from where.
func (d Drawing) Text() string {
	into := map[string][]string{}
	for _, w := range d.Wires {
		into[w.To] = append(into[w.To], w.From+" ─ "+w.Label)
	}
	var b strings.Builder
	depth := func(name string) int { return strings.Count(name, "/") }
	for i, box := range d.Boxes {
		pad := strings.Repeat("│   ", depth(box.Name))
		beside := ""
		if i > 0 && d.Boxes[i-1].Y == box.Y && depth(d.Boxes[i-1].Name) == depth(box.Name) {
			beside = "   (beside " + d.Boxes[i-1].Title + ")"
		}
		title := box.Title
		if box.Kind != "inputs" && box.Kind != "settings" && box.Kind != "reply" {
			title += "  ·  " + box.Kind
		}
		fmt.Fprintf(&b, "%s┌ %s%s\n", pad, title, beside)
		for _, n := range box.Notes {
			fmt.Fprintf(&b, "%s│   %s\n", pad, n)
		}
		for _, f := range into[box.Name] {
			fmt.Fprintf(&b, "%s│ ← %s\n", pad, f)
		}
		if len(box.Gives) > 0 {
			fmt.Fprintf(&b, "%s│ → %s\n", pad, strings.Join(box.Gives, ", "))
		}
		if !box.Group {
			fmt.Fprintf(&b, "%s└\n", pad)
		}
	}
	return b.String()
}
