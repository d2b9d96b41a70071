package embedding

import (
	"embed"
	"encoding/binary"
	"fmt"
	"math"
)

//go:embed vectors
var files embed.FS

// PerFile is how many words' vectors a file holds.
const PerFile = 35_000

// WordFile names the n-th file, from 0, of the vectors of words alone.
func WordFile(n int) string { return fmt.Sprintf("vectors-%d.bin", n+1) }

// TextFile names the n-th file, from 0, of the vectors of words as parts of
// texts.
func TextFile(n int) string { return fmt.Sprintf("texts-%d.bin", n+1) }

// records are vectors as their files have them, file by file: of each word a
// scale as a little-endian float32, and the numbers, each in so many scales.
type records [][]byte

const record = 4 + Dimensions

func load(words int, name func(int) string) (all records) {
	for n := 0; n*PerFile < words; n++ {
		body, err := files.ReadFile("vectors/" + name(n))
		if err != nil {
			panic(err) // it is in the binary
		}
		all = append(all, body)
	}
	return all
}

func (r records) of(word int32) (scale float32, numbers []byte) {
	one := r[word/PerFile][int(word%PerFile)*record:][:record]
	return math.Float32frombits(binary.LittleEndian.Uint32(one)), one[4:]
}

func (r records) length(word int32) float32 {
	scale, numbers := r.of(word)
	sum := 0
	for _, b := range numbers {
		sum += int(int8(b)) * int(int8(b))
	}
	return scale * float32(math.Sqrt(float64(sum)))
}

// AppendRecord appends a word's vector as records have it.
func AppendRecord(out []byte, v []float32) []byte {
	most := float32(0)
	for _, x := range v {
		most = max(most, x, -x)
	}
	scale := most / 127
	out = binary.LittleEndian.AppendUint32(out, math.Float32bits(scale))
	if scale == 0 {
		return append(out, make([]byte, len(v))...)
	}
	for _, x := range v {
		out = append(out, byte(int8(math.Round(float64(x/scale)))))
	}
	return out
}
