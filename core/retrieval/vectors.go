package retrieval

import (
	"cmp"
	"math"
	"slices"

	"juvalogos/core/embedding"
)

// vectors finds the nearest of many vectors of length 1: exactly while they are
// few, by a graph of neighbours above.
type vectors struct {
	dimensions int
	at         []uint32  // passage of each
	all        []float32 // one after another
	row        map[uint32]int32
	dead       map[int32]bool
	graph      *graph // nil: they are compared one by one
	growing    *graph // is being made
	grown      int32  // of so many
}

// exactUpTo is how many vectors are always compared one by one. Above it the
// graph is faster, which takes its time to be made: see docs/retrieval.md.
const exactUpTo = 20_000

func (v *vectors) add(at uint32, vector []float32) {
	if vector == nil {
		return
	}
	if v.dimensions == 0 {
		v.dimensions = len(vector)
		v.row = map[uint32]int32{}
		v.dead = map[int32]bool{}
	}
	if len(vector) != v.dimensions {
		return // of another model; it is embedded anew soon
	}
	v.row[at] = int32(len(v.at))
	v.at = append(v.at, at)
	v.all = append(v.all, vector...)
	if v.graph != nil {
		v.graph.insert(int32(len(v.at)-1), v.one)
	}
}

// grow puts up to n more vectors into the graph that is being made, and uses it
// once it has all of them; false if there is nothing to do.
func (v *vectors) grow(n int) bool {
	if v.graph != nil || len(v.at) <= exactUpTo {
		return false
	}
	if v.growing == nil {
		v.growing = newGraph()
	}
	for ; n > 0 && int(v.grown) < len(v.at); n-- {
		v.growing.insert(v.grown, v.one)
		v.grown++
	}
	if int(v.grown) == len(v.at) {
		v.graph, v.growing = v.growing, nil
		return false
	}
	return true
}

func (v *vectors) one(i int32) []float32 {
	return v.all[int(i)*v.dimensions : (int(i)+1)*v.dimensions]
}

// of is a passage's vector, nil if it has none.
func (v *vectors) of(at uint32) []float32 {
	if row, ok := v.row[at]; ok {
		return v.one(row)
	}
	return nil
}

func (v *vectors) remove(at uint32) {
	if row, ok := v.row[at]; ok {
		v.dead[row] = true
		delete(v.row, at)
	}
}

type neighbour struct {
	at     uint32
	cosine float32
}

// nearest returns the passages with the nearest vectors, the nearest first.
func (v *vectors) nearest(q []float32, most int) []neighbour {
	if len(q) != v.dimensions || len(v.at) == 0 {
		return nil
	}
	var found []neighbour
	if v.graph != nil {
		for _, n := range v.graph.search(q, most+len(v.dead)/100, max(200, 2*most), v.one) {
			if !v.dead[n.id] {
				found = append(found, neighbour{v.at[n.id], n.cosine})
			}
		}
	} else {
		all := make([]scored, 0, len(v.at))
		for i, at := range v.at {
			if len(v.dead) == 0 || !v.dead[int32(i)] {
				all = append(all, scored{at: at, score: float64(embedding.Dot(q, v.one(int32(i))))})
			}
		}
		for _, s := range best(all, most, cmp.Compare[uint32]) {
			found = append(found, neighbour{s.at, float32(s.score)})
		}
	}
	slices.SortFunc(found, func(a, b neighbour) int {
		return cmp.Or(cmp.Compare(b.cosine, a.cosine), cmp.Compare(a.at, b.at))
	})
	return found[:min(most, len(found))]
}

// graph is a hierarchy of graphs in which every vector knows near ones (Malkov
// and Yashunin, "Efficient and robust approximate nearest neighbor search using
// Hierarchical Navigable Small World graphs", 2018).
type graph struct {
	layers [][][]int32 // neighbours by layer and vector; nil: it is not in the layer
	entry  int32
	seed   uint64
}

const (
	degree     = 12 // neighbours on the upper layers; twice as many on the lowest
	breadth    = 60 // how widely an insertion searches
	mostLayers = 8
)

type nearID struct {
	id     int32
	cosine float32
}

func newGraph() *graph { return &graph{entry: -1, seed: 88172645463325252} }

// level draws how high a vector reaches; the same order of insertions gives the
// same graph.
func (g *graph) level() int {
	g.seed ^= g.seed << 13
	g.seed ^= g.seed >> 7
	g.seed ^= g.seed << 17
	u := float64(g.seed>>11)/(1<<53) + 1e-12
	return min(mostLayers-1, int(-math.Log(u)/math.Log(degree)))
}

func (g *graph) insert(id int32, vector func(int32) []float32) {
	level := g.level()
	for len(g.layers) <= level {
		g.layers = append(g.layers, nil)
	}
	for l := range g.layers {
		for len(g.layers[l]) <= int(id) {
			g.layers[l] = append(g.layers[l], nil)
		}
	}
	for l := range level + 1 {
		g.layers[l][id] = []int32{}
	}
	if g.entry < 0 {
		g.entry = id
		return
	}
	q := vector(id)
	at := nearID{g.entry, embedding.Dot(q, vector(g.entry))}
	top := len(g.layers) - 1
	for l := top; l > level; l-- {
		at = g.descend(q, at, l, vector)
	}
	for l := min(level, top); l >= 0; l-- {
		if g.layers[l][at.id] == nil {
			continue
		}
		found := g.wide(q, at, l, breadth, vector)
		most := degree
		if l == 0 {
			most = 2 * degree
		}
		chosen := diverse(found, degree, vector)
		for _, n := range chosen {
			g.layers[l][id] = append(g.layers[l][id], n.id)
			back := append(g.layers[l][n.id], id)
			if len(back) > most {
				all := make([]nearID, len(back))
				for i, b := range back {
					all[i] = nearID{b, embedding.Dot(vector(n.id), vector(b))}
				}
				slices.SortFunc(all, nearer)
				back = back[:0]
				for _, b := range diverse(all, most, vector) {
					back = append(back, b.id)
				}
			}
			g.layers[l][n.id] = back
		}
		if len(found) > 0 {
			at = found[0]
		}
	}
	if level == top && g.layers[top][g.entry] == nil {
		g.entry = id
	}
}

func nearer(a, b nearID) int {
	return cmp.Or(cmp.Compare(b.cosine, a.cosine), cmp.Compare(a.id, b.id))
}

// diverse chooses neighbours that are nearer to the vector than to each other,
// and fills up with the nearest of the others.
func diverse(sorted []nearID, most int, vector func(int32) []float32) []nearID {
	if len(sorted) <= most {
		return sorted
	}
	var chosen, rest []nearID
	for _, n := range sorted {
		if len(chosen) == most {
			break
		}
		good := true
		for _, c := range chosen {
			if embedding.Dot(vector(n.id), vector(c.id)) > n.cosine {
				good = false
				break
			}
		}
		if good {
			chosen = append(chosen, n)
		} else {
			rest = append(rest, n)
		}
	}
	for _, n := range rest {
		if len(chosen) == most {
			break
		}
		chosen = append(chosen, n)
	}
	return chosen
}

// descend goes to the nearest neighbour as long as one is nearer.
func (g *graph) descend(q []float32, at nearID, layer int, vector func(int32) []float32) nearID {
	for {
		moved := false
		for _, n := range g.layers[layer][at.id] {
			if c := embedding.Dot(q, vector(n)); c > at.cosine {
				at, moved = nearID{n, c}, true
			}
		}
		if !moved {
			return at
		}
	}
}

// wide finds the nearest from one on, keeping so many in view.
func (g *graph) wide(q []float32, from nearID, layer, keep int, vector func(int32) []float32) []nearID {
	seen := map[int32]bool{from.id: true}
	best := []nearID{from} // sorted
	open := []nearID{from} // sorted, nearest last
	for len(open) > 0 {
		at := open[len(open)-1]
		open = open[:len(open)-1]
		if len(best) >= keep && at.cosine < best[len(best)-1].cosine {
			break
		}
		for _, n := range g.layers[layer][at.id] {
			if seen[n] {
				continue
			}
			seen[n] = true
			c := nearID{n, embedding.Dot(q, vector(n))}
			if len(best) >= keep && c.cosine <= best[len(best)-1].cosine {
				continue
			}
			i, _ := slices.BinarySearchFunc(best, c, nearer)
			best = slices.Insert(best, i, c)
			if len(best) > keep {
				best = best[:keep]
			}
			i, _ = slices.BinarySearchFunc(open, c, func(a, b nearID) int { return nearer(b, a) })
			open = slices.Insert(open, i, c)
		}
	}
	return best
}

func (g *graph) search(q []float32, most, keep int, vector func(int32) []float32) []nearID {
	if g.entry < 0 {
		return nil
	}
	at := nearID{g.entry, embedding.Dot(q, vector(g.entry))}
	for l := len(g.layers) - 1; l > 0; l-- {
		if int(at.id) < len(g.layers[l]) && g.layers[l][at.id] != nil {
			at = g.descend(q, at, l, vector)
		}
	}
	found := g.wide(q, at, 0, keep, vector)
	return found[:min(most, len(found))]
}
