package encoder

// What the processor works on at once: 32 bytes, or 64. What follows is for those
// without such instructions.
var wide, widest = offered()

func plainly(x []int16, units []float32, d *dense, out, plus []float32) {
	for c := range d.columns {
		w := d.numbers[c*d.rows : (c+1)*d.rows]
		for r, unit := range units {
			v := float32(plainSum(x[r*d.rows:(r+1)*d.rows], w))*(unit*d.scales[c]) + d.bias[c]
			if at := r*d.columns + c; plus != nil {
				out[at] = v + plus[at]
			} else {
				out[at] = v
			}
		}
	}
}

func plainSum(a, b []int16) int32 {
	var s0, s1, s2, s3 int32
	b = b[:len(a)]
	i := 0
	for ; i+4 <= len(a); i += 4 {
		s0 += int32(a[i]) * int32(b[i])
		s1 += int32(a[i+1]) * int32(b[i+1])
		s2 += int32(a[i+2]) * int32(b[i+2])
		s3 += int32(a[i+3]) * int32(b[i+3])
	}
	for ; i < len(a); i++ {
		s0 += int32(a[i]) * int32(b[i])
	}
	return s0 + s1 + s2 + s3
}

func plainAddScaled(to, from []float32, by float32) {
	for i, v := range from {
		to[i] += by * v
	}
}
