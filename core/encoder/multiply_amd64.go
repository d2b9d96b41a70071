package encoder

import (
	"golang.org/x/sys/cpu"

	"juvalogos/core/embedding"
)

func offered() (wide, widest bool) {
	x := cpu.X86
	wide = x.HasAVX2 && x.HasFMA
	return wide, wide && x.HasAVX512F && x.HasAVX512BW && x.HasAVX512VL
}

// products256 and products512 multiply two rows with four columns, which follow
// each other in w; all are depth numbers long, a multiple of 16 or 32. The products
// with x are the first four, those with y the others.
//
//go:noescape
func products256(x, y, w *int16, depth int, out *[8]int32)

//go:noescape
func products512(x, y, w *int16, depth int, out *[8]int32)

// dot256 multiplies n numbers, a multiple of 8, and adds the products up.
//
//go:noescape
func dot256(a, b *float32, n int) float32

// addScaled256 adds n numbers, a multiple of 8, times by.
//
//go:noescape
func addScaled256(to, from *float32, n int, by float32)

// multiply writes the products of rows of whole numbers with a matrix's columns,
// the bias added, into out, times what a unit of both is; plus is added too where
// it is not nil.
func multiply(x []int16, units []float32, d *dense, out, plus []float32) {
	products := products512
	switch {
	case !wide || d.rows%32 != 0 || d.columns%4 != 0:
		plainly(x, units, d, out, plus)
		return
	case !widest:
		products = products256
	}
	var sums [8]int32
	put := func(r, c int, sums []int32) {
		at := r*d.columns + c
		for k, s := range sums {
			v := float32(s)*(units[r]*d.scales[c+k]) + d.bias[c+k]
			if plus != nil {
				v += plus[at+k]
			}
			out[at+k] = v
		}
	}
	for c := 0; c < d.columns; c += 4 {
		w := &d.numbers[c*d.rows]
		for r := 0; r < len(units); r += 2 {
			next := min(r+1, len(units)-1) // the last one of an odd number is its own companion
			products(&x[r*d.rows], &x[next*d.rows], w, d.rows, &sums)
			put(r, c, sums[:4])
			if next != r {
				put(next, c, sums[4:])
			}
		}
	}
}

func dot(a, b []float32) float32 {
	if !wide || len(a) == 0 || len(a)%8 != 0 || len(a) != len(b) {
		return embedding.Dot(a, b)
	}
	return dot256(&a[0], &b[0], len(a))
}

func addScaled(to, from []float32, by float32) {
	if !wide || len(to) == 0 || len(to)%8 != 0 || len(to) != len(from) {
		plainAddScaled(to, from, by)
		return
	}
	addScaled256(&to[0], &from[0], len(to), by)
}
