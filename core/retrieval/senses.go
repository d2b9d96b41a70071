package retrieval

import (
	"cmp"
	"math/bits"
	"slices"

	"juvalogos/core/encoder"
)

// senses are the encoder's vectors of the windows of passages. A window that
// several passages share is there once.
type senses struct {
	codes  []*encoder.Code // nil: no passage has it any more
	signs  []encoder.Signs
	of     [][]uint32 // passages that have it
	number map[*encoder.Code]int32
	has    map[uint32][]int32 // windows of a passage
}

func (s *senses) add(at uint32, windows []*encoder.Code) {
	if len(windows) == 0 {
		return
	}
	if s.number == nil {
		s.number, s.has = map[*encoder.Code]int32{}, map[uint32][]int32{}
	}
	own := make([]int32, 0, len(windows))
	for _, c := range windows {
		n, there := s.number[c]
		if !there {
			n = int32(len(s.codes))
			s.number[c] = n
			s.codes, s.signs, s.of = append(s.codes, c), append(s.signs, c.Signs()), append(s.of, nil)
		}
		if !slices.Contains(own, n) {
			s.of[n] = append(s.of[n], at)
			own = append(own, n)
		}
	}
	s.has[at] = own
}

func (s *senses) remove(at uint32) {
	for _, n := range s.has[at] {
		s.of[n] = slices.DeleteFunc(s.of[n], func(p uint32) bool { return p == at })
		if len(s.of[n]) == 0 && s.codes[n] != nil {
			delete(s.number, s.codes[n])
			s.codes[n] = nil
		}
	}
	delete(s.has, at)
}

// windows are a passage's codes.
func (s *senses) windows(at uint32) (codes []*encoder.Code) {
	for _, n := range s.has[at] {
		codes = append(codes, s.codes[n])
	}
	return codes
}

// best is the cosine of a passage's nearest window; false if it has none.
func (s *senses) best(at uint32, q []float32) (cosine float64, any bool) {
	for _, n := range s.has[at] {
		if c := float64(s.codes[n].Dot(q)); !any || c > cosine {
			cosine, any = c, true
		}
	}
	return cosine, any
}

// looked is how many windows are compared exactly, of those whose signs differ
// the least from the question's.
const looked = 1200

// nearest returns the passages with the nearest windows, the nearest first, of
// some documents only if may is not nil.
func (s *senses) nearest(q []float32, most int, may func(at uint32) bool) []neighbour {
	var counts [encoder.Dimensions + 1]int
	asked := encoder.SignsOf(q)
	apart := make([]uint16, len(s.signs))
	allowed := func(n int) bool { return s.codes[n] != nil && (may == nil || slices.ContainsFunc(s.of[n], may)) }
	for n := range s.signs {
		d := 0
		for k, w := range s.signs[n] {
			d += bits.OnesCount64(w ^ asked[k])
		}
		apart[n] = uint16(d)
		if may == nil || allowed(n) {
			counts[d]++
		}
	}
	limit, sum := 0, 0
	for ; limit < encoder.Dimensions && sum+counts[limit] <= looked; limit++ {
		sum += counts[limit]
	}
	cosines := map[uint32]float32{}
	for n, d := range apart {
		if int(d) > limit || !allowed(n) {
			continue
		}
		c := s.codes[n].Dot(q)
		for _, at := range s.of[n] {
			if was, there := cosines[at]; (!there || c > was) && (may == nil || may(at)) {
				cosines[at] = c
			}
		}
	}
	found := make([]neighbour, 0, len(cosines))
	for at, c := range cosines {
		found = append(found, neighbour{at, c})
	}
	slices.SortFunc(found, func(a, b neighbour) int {
		return cmp.Or(cmp.Compare(b.cosine, a.cosine), cmp.Compare(a.at, b.at))
	})
	return found[:min(most, len(found))]
}
