//go:build !amd64

package encoder

import "juvalogos/core/embedding"

func offered() (wide, widest bool) { return false, false }

func multiply(x []int16, units []float32, d *dense, out, plus []float32) {
	plainly(x, units, d, out, plus)
}

func dot(a, b []float32) float32 { return embedding.Dot(a, b) }

func addScaled(to, from []float32, by float32) { plainAddScaled(to, from, by) }
