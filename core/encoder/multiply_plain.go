//go:build !goexperiment.simd || !amd64

package encoder

func multiply(x []int16, units []float32, d *dense, out, plus []float32) {
	plainly(x, units, d, out, plus)
}

func dot(a, b []float32) float32 { return plainDot(a, b) }

func addScaled(to, from []float32, by float32) { plainAddScaled(to, from, by) }
