package encoder

import (
	"encoding/binary"
	"errors"
	"math"
)

// Code is a vector in 516 bytes: a scale and each number in so many of it.
type Code struct {
	Scale   float32
	Numbers [Dimensions]int8
}

// CodeOf makes a code of a vector; nil stays nil.
func CodeOf(v []float32) *Code {
	if v == nil {
		return nil
	}
	most := float32(0)
	for _, x := range v {
		most = max(most, x, -x)
	}
	c := &Code{Scale: most / 127}
	if most == 0 {
		return c
	}
	for i, x := range v {
		c.Numbers[i] = int8(math.Round(float64(x / c.Scale)))
	}
	return c
}

// Bytes is the code as it is kept: the scale as a little-endian float32, and the
// numbers.
func (c *Code) Bytes() []byte {
	out := binary.LittleEndian.AppendUint32(make([]byte, 0, 4+Dimensions), math.Float32bits(c.Scale))
	for _, n := range c.Numbers {
		out = append(out, byte(n))
	}
	return out
}

// ReadCode reads what Bytes wrote; the error says that it is of another length.
func ReadCode(b []byte) (*Code, error) {
	if len(b) != 4+Dimensions {
		return nil, errors.New("a kept vector has another length than the encoder's")
	}
	c := &Code{Scale: math.Float32frombits(binary.LittleEndian.Uint32(b))}
	for i, n := range b[4:] {
		c.Numbers[i] = int8(n)
	}
	return c, nil
}

// Dot is the scalar product with a vector: the cosine, for vectors of length 1.
func (c *Code) Dot(v []float32) float32 {
	var s0, s1, s2, s3 float32
	v = v[:Dimensions]
	for i := 0; i < Dimensions; i += 4 {
		s0 += v[i] * float32(c.Numbers[i])
		s1 += v[i+1] * float32(c.Numbers[i+1])
		s2 += v[i+2] * float32(c.Numbers[i+2])
		s3 += v[i+3] * float32(c.Numbers[i+3])
	}
	return (s0 + s1 + s2 + s3) * c.Scale
}

// Signs are the signs of a vector's numbers, a bit each: vectors that are near
// each other have nearly the same.
type Signs [Dimensions / 64]uint64

// SignsOf are those of a vector.
func SignsOf(v []float32) (s Signs) {
	for i, x := range v {
		if x > 0 {
			s[i/64] |= 1 << (i % 64)
		}
	}
	return s
}

// Signs are those of the code's vector.
func (c *Code) Signs() (s Signs) {
	for i, n := range c.Numbers {
		if n > 0 {
			s[i/64] |= 1 << (i % 64)
		}
	}
	return s
}
