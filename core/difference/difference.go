// Package difference finds what changed between two texts, line by line and within
// lines.
//
// It answers with the shortest way from one to the other (Myers 1986), in pieces
// that are the same, gone or added. Items can be anything that is compared as
// strings: lines for a file, words for a reply.
//
//	fmt.Print(difference.Text(old, new, "revision 3", "revision 4"))
//
// Time grows with the length times the number of changes. Texts of some ten
// thousand lines that have nothing in common are slow; callers bound what they
// hand in.
package difference

import (
	"fmt"
	"strings"
)

// Change says what became of a piece.
type Change byte

// The kinds.
const (
	Same  Change = ' '
	Gone  Change = '-'
	Added Change = '+'
)

// Piece is a run of items of one kind, as indices: of the old items for Same
// and Gone, of the new ones for Added. Same pieces have equal lengths on both
// sides.
type Piece struct {
	Kind           Change
	Old, New, Size int
}

// Find returns the shortest way from one list of items to another (Myers, An
// O(ND) difference algorithm and its variations, Algorithmica 1986, greedy
// forward form). What comes of old before what comes of new.
func Find(old, new []string) []Piece {
	n, m := len(old), len(new)
	var trail [][]int // the farthest reach on each diagonal, before each step
	reach := make([]int, 2*(n+m)+3)
	mid := n + m + 1
	at := func(k int) *int { return &reach[mid+k] }
	for d := 0; d <= n+m; d++ {
		trail = append(trail, append([]int(nil), reach[mid-d-1:mid+d+2]...))
		for k := -d; k <= d; k += 2 {
			x := *at(k - 1) + 1
			if k == -d || k != d && *at(k - 1) < *at(k + 1) {
				x = *at(k + 1)
			}
			for x < n && x-k < m && old[x] == new[x-k] {
				x++
			}
			*at(k) = x
			if x >= n && x-k >= m {
				return back(trail, n, m, d)
			}
		}
	}
	return nil // cannot happen: n+m steps always suffice
}

// back follows the trail from the end to the beginning.
func back(trail [][]int, x, y, d int) []Piece {
	var pieces []Piece // from the end
	add := func(kind Change, x, y, size int) {
		if size == 0 {
			return
		}
		if last := len(pieces) - 1; last >= 0 && pieces[last].Kind == kind && kind != Same {
			pieces[last].Old, pieces[last].New = x, y
			pieces[last].Size += size
			return
		}
		pieces = append(pieces, Piece{kind, x, y, size})
	}
	for ; d > 0; d-- {
		reach := func(k int) int { return trail[d][k+d+1] }
		k := x - y
		from := k - 1
		if k == -d || k != d && reach(k-1) < reach(k+1) {
			from = k + 1
		}
		px := reach(from)
		py := px - from
		startX := px
		if from == k-1 {
			startX = px + 1
		}
		add(Same, startX, startX-k, x-startX)
		if from == k-1 {
			add(Gone, px, py, 1)
		} else {
			add(Added, px, py, 1)
		}
		x, y = px, py
	}
	add(Same, 0, 0, x)
	for i, j := 0, len(pieces)-1; i < j; i, j = i+1, j-1 {
		pieces[i], pieces[j] = pieces[j], pieces[i]
	}
	return pieces
}

// around is how many unchanged lines are shown beside a change.
const around = 3

// Text writes the difference of two texts in the unified format, with names
// for them; nothing if they are the same.
func Text(old, new, oldName, newName string) string {
	a, b := lines(old), lines(new)
	pieces := Find(a, b)
	if len(pieces) == 0 || len(pieces) == 1 && pieces[0].Kind == Same {
		return ""
	}
	var out strings.Builder
	fmt.Fprintf(&out, "--- %s\n+++ %s\n", oldName, newName)
	for i := 0; i < len(pieces); {
		if pieces[i].Kind == Same {
			i++
			continue
		}
		// A hunk goes on as long as the changes lie close together.
		from := i
		for i < len(pieces) && (pieces[i].Kind != Same || pieces[i].Size <= 2*around && i+1 < len(pieces)) {
			i++
		}
		writeHunk(&out, pieces, from, i, a, b)
	}
	return out.String()
}

func writeHunk(out *strings.Builder, pieces []Piece, from, to int, a, b []string) {
	first := pieces[from]
	before, after := 0, 0
	if from > 0 {
		before = min(around, pieces[from-1].Size)
	}
	if to < len(pieces) {
		after = min(around, pieces[to].Size)
	}
	oldSize, newSize := before+after, before+after
	for _, p := range pieces[from:to] {
		if p.Kind != Added {
			oldSize += p.Size
		}
		if p.Kind != Gone {
			newSize += p.Size
		}
	}
	start := func(at, size int) int { // an empty side is named by the line before it
		if size == 0 {
			return at
		}
		return at + 1
	}
	fmt.Fprintf(out, "@@ -%d,%d +%d,%d @@\n", start(first.Old-before, oldSize), oldSize,
		start(first.New-before, newSize), newSize)
	for i := range before {
		fmt.Fprintln(out, " "+a[first.Old-before+i])
	}
	for _, p := range pieces[from:to] {
		side, at := a, p.Old
		if p.Kind == Added {
			side, at = b, p.New
		}
		for i := range p.Size {
			fmt.Fprintln(out, string(p.Kind)+side[at+i])
		}
	}
	for i := range after {
		fmt.Fprintln(out, " "+a[pieces[to].Old+i])
	}
}

func lines(text string) []string {
	if text == "" {
		return nil
	}
	return strings.Split(strings.TrimSuffix(text, "\n"), "\n")
}
