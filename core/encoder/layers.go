package encoder

import (
	"math"
	"sync"
)

// dense multiplies by a matrix of rows by columns and adds a bias. The matrix is
// of whole numbers, column after column, each in so many of its column's scale.
type dense struct {
	rows, columns int
	numbers       []int16
	scales, bias  []float32
}

// times writes x, of so many rows, times the matrix into out; plus, of out's
// shape, is added where it is not nil and may be out itself.
func (d *dense) times(x []float32, rows int, s *scratch, out, plus []float32) {
	whole, units := s.whole[:rows*d.rows], s.units[:rows]
	for r := range units {
		units[r] = round(x[r*d.rows:(r+1)*d.rows], whole[r*d.rows:(r+1)*d.rows])
	}
	multiply(whole, units, d, out, plus)
}

// largest is what numbers are rounded to: no sum of 1536 products with a byte
// leaves 32 bits.
const largest = 8191

// round writes numbers in so many of a unit, and returns it.
func round(x []float32, to []int16) (unit float32) {
	bits := uint32(0) // those of numbers without their signs are ordered as they are
	for _, v := range x {
		bits = max(bits, math.Float32bits(v)&^(1<<31))
	}
	most := math.Float32frombits(bits)
	if most == 0 {
		clear(to)
		return 0
	}
	by := largest / most
	to = to[:len(x)]
	for i, v := range x {
		// Beside so large a number only whole ones fit, in the last bits.
		to[i] = int16(math.Float32bits(v*by + 1.5*(1<<23)))
	}
	return most / largest
}

// levelling brings each row to mean 0 and variance 1, then scales and shifts it.
type levelling struct{ scale, shift []float32 }

func (n *levelling) width() int { return len(n.scale) }

func (n *levelling) apply(x, out []float32) {
	width := n.width()
	for from := 0; from < len(out); from += width {
		row, to := x[from:from+width], out[from:from+width]
		var sum, squares float32
		for _, v := range row {
			sum += v
		}
		mean := sum / float32(width)
		for _, v := range row {
			squares += (v - mean) * (v - mean)
		}
		by := float32(1 / math.Sqrt(float64(squares/float32(width))+1e-6))
		for k, v := range row {
			to[k] = (v-mean)*by*n.scale[k] + n.shift[k]
		}
	}
}

// attention lets each of a text's pieces gather from all of them: qkv has
// queries, keys and values side by side, width numbers each, by heads.
func attention(qkv, out []float32, rows, width, heads int, weights []float32) {
	each := width / heads
	scale := float32(1 / math.Sqrt(float64(each)))
	for h := range heads {
		for i := range rows {
			q := qkv[i*3*width+h*each:][:each]
			most := float32(math.Inf(-1))
			for j := range rows {
				weights[j] = dot(q, qkv[j*3*width+width+h*each:][:each]) * scale
				most = max(most, weights[j])
			}
			sum := float32(0)
			for j := range rows {
				weights[j] = float32(math.Exp(float64(weights[j] - most)))
				sum += weights[j]
			}
			to := out[i*width+h*each:][:each]
			clear(to)
			for j := range rows {
				addScaled(to, qkv[j*3*width+2*width+h*each:][:each], weights[j]/sum)
			}
		}
	}
}

func positive(x []float32) {
	for i, v := range x {
		if v < 0 {
			x[i] = 0
		}
	}
}

// scratch is what one run of the layers needs.
type scratch struct {
	x, y, h, wide, weights, units []float32
	whole                         []int16
}

var scratches = sync.Pool{New: func() any { return new(scratch) }}

func getScratch(rows int) *scratch {
	s := scratches.Get().(*scratch)
	if len(s.x) < rows*256 {
		s.x, s.y = make([]float32, rows*256), make([]float32, rows*Dimensions)
		s.h, s.wide = make([]float32, rows*Dimensions), make([]float32, rows*3*Dimensions)
		s.weights, s.units = make([]float32, MostPieces), make([]float32, rows)
		s.whole = make([]int16, rows*3*Dimensions)
	}
	return s
}

func putScratch(s *scratch) { scratches.Put(s) }
