package encoder

import (
	"embed"
	"encoding/binary"
	"errors"
	"fmt"
	"io/fs"
	"math"
	"strconv"
	"strings"
)

//go:embed weights
var files embed.FS

// PieceFile has a line for each piece: what it is, a tab, and the logarithm of
// how likely it is; 0 stands for signs of the model's own.
const PieceFile = "pieces.txt"

// PartFile names the n-th part, from 0, of the weights, which follow each other
// in the order of Order: a matrix as a scale for each column, little-endian
// float32, and its numbers by rows, each one byte in so many of its column's
// scale; a vector as float32.
func PartFile(n int) string { return fmt.Sprintf("weights-%d.bin", n+1) }

// Tensor is one of the weights; Rows is 0 for a vector.
type Tensor struct{ Rows, Columns int }

// Order is how the weights follow each other: the pieces' vectors, one a column;
// the waves; what widens them; then each layer; and the last.
var Order = order()

func order() []Tensor {
	all := []Tensor{{256, knownPieces}, {0, 128}, {256, 512}, {0, 512}}
	for _, width := range []int{256, 512} {
		all = append(all, Tensor{0, width}, Tensor{0, width}, Tensor{width, 3 * width}, Tensor{0, 3 * width},
			Tensor{width, 512}, Tensor{0, 512}, Tensor{0, 512}, Tensor{0, 512}, Tensor{512, 1536}, Tensor{0, 1536},
			Tensor{1536, 512}, Tensor{0, 512})
	}
	return append(all, Tensor{512, 512}, Tensor{0, 512})
}

const knownPieces = 8002

// Append appends a tensor's numbers, by rows, as the files have them.
func (t Tensor) Append(out []byte, numbers []float32) []byte {
	if t.Rows == 0 {
		for _, v := range numbers {
			out = binary.LittleEndian.AppendUint32(out, math.Float32bits(v))
		}
		return out
	}
	scales := make([]float32, t.Columns)
	for i, v := range numbers {
		c := i % t.Columns
		scales[c] = max(scales[c], v/127, -v/127)
	}
	for _, s := range scales {
		out = binary.LittleEndian.AppendUint32(out, math.Float32bits(s))
	}
	for i, v := range numbers {
		b := int8(0)
		if s := scales[i%t.Columns]; s > 0 {
			b = int8(math.Round(float64(v / s)))
		}
		out = append(out, byte(b))
	}
	return out
}

// table is a matrix as its file has it, of which single columns are read.
type table struct {
	columns int // numbers of each: the matrix's rows
	scales  []float32
	numbers []byte // one after another
}

func (t *table) row(i int32, to []float32) {
	scale := t.scales[i]
	for k, b := range t.numbers[int(i)*t.columns : (int(i)+1)*t.columns] {
		to[k] = scale * float32(int8(b))
	}
}

// reader takes weights from the files one after another.
type reader struct {
	rest []byte
	next int // of Order
}

func (r *reader) take(matrix bool) (Tensor, []byte, error) {
	t := Order[r.next]
	r.next++
	size := 4 * t.Columns
	if matrix {
		size += t.Rows * t.Columns
	}
	if matrix != (t.Rows > 0) || len(r.rest) < size {
		return t, nil, errors.New("the encoder's weights are cut off or in another order")
	}
	body := r.rest[:size]
	r.rest = r.rest[size:]
	return t, body, nil
}

func (r *reader) vector() ([]float32, error) {
	t, body, err := r.take(false)
	if err != nil {
		return nil, err
	}
	return floats(body, t.Columns), nil
}

func floats(body []byte, n int) []float32 {
	v := make([]float32, n)
	for i := range v {
		v[i] = math.Float32frombits(binary.LittleEndian.Uint32(body[4*i:]))
	}
	return v
}

// dense reads a matrix and its bias.
func (r *reader) dense() (d dense, err error) {
	t, body, err := r.take(true)
	if err != nil {
		return d, err
	}
	scales, numbers := floats(body, t.Columns), body[4*t.Columns:]
	d.rows, d.columns = t.Rows, t.Columns
	d.numbers, d.scales = make([]int16, t.Columns*t.Rows), scales
	for row := range t.Rows {
		for c := range t.Columns {
			d.numbers[c*t.Rows+row] = int16(int8(numbers[row*t.Columns+c]))
		}
	}
	d.bias, err = r.vector()
	return d, err
}

func (r *reader) levelling() (n levelling, err error) {
	if n.scale, err = r.vector(); err == nil {
		n.shift, err = r.vector()
	}
	return n, err
}

func (r *reader) layer(heads int) (l layer, err error) {
	l.heads = heads
	if l.before, err = r.levelling(); err != nil {
		return l, err
	}
	for _, d := range []*dense{&l.attend, &l.out} {
		if *d, err = r.dense(); err != nil {
			return l, err
		}
	}
	if l.between, err = r.levelling(); err != nil {
		return l, err
	}
	for _, d := range []*dense{&l.wide, &l.narrow} {
		if *d, err = r.dense(); err != nil {
			return l, err
		}
	}
	return l, nil
}

func read() (*Encoder, error) {
	var r reader
	for n := 0; ; n++ {
		part, err := files.ReadFile("weights/" + PartFile(n))
		if errors.Is(err, fs.ErrNotExist) {
			break
		} else if err != nil {
			return nil, err
		}
		r.rest = append(r.rest, part...)
	}
	e := &Encoder{}
	t, body, err := r.take(true)
	if err != nil {
		return nil, err
	}
	e.embed = transposed(t, body)
	if e.timing, err = r.vector(); err != nil {
		return nil, err
	}
	if e.bridge, err = r.dense(); err != nil {
		return nil, err
	}
	for i := range e.layers {
		if e.layers[i], err = r.layer(4); err != nil {
			return nil, err
		}
	}
	if e.last, err = r.dense(); err != nil {
		return nil, err
	}
	e.pieces, err = readPieces()
	return e, err
}

func transposed(t Tensor, body []byte) table {
	numbers := body[4*t.Columns:]
	at := table{columns: t.Rows, scales: floats(body, t.Columns), numbers: make([]byte, t.Rows*t.Columns)}
	for row := range t.Rows {
		for c := range t.Columns {
			at.numbers[c*t.Rows+row] = numbers[row*t.Columns+c]
		}
	}
	return at
}

func readPieces() (pieces, error) {
	list, err := files.ReadFile("weights/" + PieceFile)
	if err != nil {
		return pieces{}, err
	}
	var names []string
	var scores []float64
	for line := range strings.Lines(string(list)) {
		name, number, _ := strings.Cut(strings.TrimSuffix(line, "\n"), "\t")
		score, err := strconv.ParseFloat(number, 64)
		if err != nil {
			return pieces{}, fmt.Errorf("piece %d of the encoder: %w", len(names), err)
		}
		names, scores = append(names, name), append(scores, score)
	}
	return newPieces(names, scores), nil
}
