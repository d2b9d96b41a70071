//go:build goexperiment.simd && amd64

package encoder

import (
	"simd/archsimd"
	"unsafe"
)

// wide is whether the processor works on 64 bytes at once.
var wide = archsimd.X86.AVX512()

// multiply writes the products of rows of whole numbers with a matrix's columns,
// the bias added, into out, times what a unit of both is; plus is added too where
// it is not nil.
func multiply(x []int16, units []float32, d *dense, out, plus []float32) {
	if !wide {
		plainly(x, units, d, out, plus)
		return
	}
	depth, columns := d.rows, d.columns
	all := shorts(x)
	step := depth / 32
	for c := 0; c < columns; c += 4 {
		w := shorts(d.numbers[c*depth : (c+4)*depth])
		bias := archsimd.LoadFloat32x4((*[4]float32)(d.bias[c:]))
		scales := archsimd.LoadFloat32x4((*[4]float32)(d.scales[c:]))
		put := func(r int, sums archsimd.Int32x4) {
			unit := archsimd.BroadcastFloat32x4(units[r])
			v := sums.ConvertToFloat32().Mul(unit.Mul(scales)).Add(bias)
			if plus != nil {
				v = v.Add(archsimd.LoadFloat32x4((*[4]float32)(plus[r*columns+c:])))
			}
			v.Store((*[4]float32)(out[r*columns+c:]))
		}
		r := 0
		for ; r+2 <= len(units); r += 2 {
			a, b := two(all[r*step:(r+1)*step], all[(r+1)*step:(r+2)*step], w)
			put(r, a)
			put(r+1, b)
		}
		if r < len(units) {
			row := all[r*step : (r+1)*step]
			a, _ := two(row, row, w)
			put(r, a)
		}
	}
}

// shorts are the same numbers, as many together as one instruction works on:
// indexing these costs a comparison where slicing costs ten instructions.
func shorts(x []int16) [][32]int16 {
	return unsafe.Slice((*[32]int16)(unsafe.Pointer(unsafe.SliceData(x))), len(x)/32)
}

// two multiplies two rows with four columns, which follow each other in w. The
// compiler keeps fifteen vectors in registers, and this needs fourteen.
func two(x, y, w [][32]int16) (a, b archsimd.Int32x4) {
	var a0, a1, a2, a3, b0, b1, b2, b3 archsimd.Int32x16
	depth := len(x)
	y, w0, w1 := y[:depth], w[:depth], w[depth:][:depth]
	w2, w3 := w[2*depth:][:depth], w[3*depth:][:depth]
	for k := range x {
		xk, yk := archsimd.LoadInt16x32(&x[k]), archsimd.LoadInt16x32(&y[k])
		v := archsimd.LoadInt16x32(&w0[k])
		a0, b0 = a0.Add(xk.DotProductPairs(v)), b0.Add(yk.DotProductPairs(v))
		v = archsimd.LoadInt16x32(&w1[k])
		a1, b1 = a1.Add(xk.DotProductPairs(v)), b1.Add(yk.DotProductPairs(v))
		v = archsimd.LoadInt16x32(&w2[k])
		a2, b2 = a2.Add(xk.DotProductPairs(v)), b2.Add(yk.DotProductPairs(v))
		v = archsimd.LoadInt16x32(&w3[k])
		a3, b3 = a3.Add(xk.DotProductPairs(v)), b3.Add(yk.DotProductPairs(v))
	}
	return sums(a0, a1, a2, a3), sums(b0, b1, b2, b3)
}

// sums adds up each of four vectors.
func sums(a, b, c, d archsimd.Int32x16) archsimd.Int32x4 {
	return quarter(a).AddPairs(quarter(b)).AddPairs(quarter(c).AddPairs(quarter(d)))
}

func quarter(a archsimd.Int32x16) archsimd.Int32x4 {
	half := a.GetLo().Add(a.GetHi())
	return half.GetLo().Add(half.GetHi())
}

// floats are the same numbers, sixteen by sixteen.
func floats16(x []float32) [][16]float32 {
	return unsafe.Slice((*[16]float32)(unsafe.Pointer(unsafe.SliceData(x))), len(x)/16)
}

func dot(a, b []float32) float32 {
	if !wide {
		return plainDot(a, b)
	}
	var sum archsimd.Float32x16
	p, q := floats16(a), floats16(b[:len(a)])
	q = q[:len(p)]
	for i := range p {
		sum = archsimd.LoadFloat32x16(&p[i]).MulAdd(archsimd.LoadFloat32x16(&q[i]), sum)
	}
	half := sum.GetLo().Add(sum.GetHi())
	four := half.GetLo().Add(half.GetHi())
	four = four.AddPairs(four)
	rest := len(p) * 16
	return four.AddPairs(four).GetElem(0) + plainDot(a[rest:], b[rest:])
}

func addScaled(to, from []float32, by float32) {
	if !wide {
		plainAddScaled(to, from, by)
		return
	}
	v := archsimd.BroadcastFloat32x16(by)
	p, q := floats16(to), floats16(from[:len(to)])
	q = q[:len(p)]
	for i := range p {
		v.MulAdd(archsimd.LoadFloat32x16(&q[i]), archsimd.LoadFloat32x16(&p[i])).Store(&p[i])
	}
	plainAddScaled(to[len(p)*16:], from[len(p)*16:len(to)], by)
}
