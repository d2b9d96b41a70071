package main

import (
	"os"
	"path/filepath"

	"juvalogos/core/embedding"
)

// write writes the vectors, times their weights, as cutvectors does.
func (l *learner) write(folder string) error {
	for n := 0; n*embedding.PerFile*dimensions < len(l.vectors); n++ {
		var out []byte
		for w := n * embedding.PerFile; w < min(len(l.weights), (n+1)*embedding.PerFile); w++ {
			v := make([]float32, dimensions)
			into(v, l.weight(int32(w)), l.of(int32(w)))
			out = embedding.AppendRecord(out, v)
		}
		if err := os.WriteFile(filepath.Join(folder, embedding.TextFile(n)), out, 0o644); err != nil {
			return err
		}
	}
	return nil
}
