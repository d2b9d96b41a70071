package main

import (
	"bufio"
	"crypto/sha256"
	"fmt"
	"io"
	"os"
	"sync"

	"juvalogos/core/encoder"
)

// encoding gives texts the encoder's vectors, those that were encoded before
// from a file.
type encoding struct {
	mu   sync.Mutex
	file string
	has  map[[sha256.Size]byte]*encoder.Code
}

func openEncoding(file string) (*encoding, error) {
	e := &encoding{file: file, has: map[[sha256.Size]byte]*encoder.Code{}}
	f, err := os.Open(file)
	if os.IsNotExist(err) {
		return e, nil
	} else if err != nil {
		return nil, err
	}
	defer f.Close()
	r := bufio.NewReader(f)
	record := make([]byte, sha256.Size+4+encoder.Dimensions)
	for {
		if _, err := io.ReadFull(r, record); err != nil {
			return e, nil // what was not wholly written is encoded anew
		}
		c, err := encoder.ReadCode(record[sha256.Size:])
		if err != nil {
			return nil, err
		}
		e.has[[sha256.Size]byte(record)] = c
	}
}

// codes are those of texts, in their order.
func (e *encoding) codes(texts []string) ([]*encoder.Code, error) {
	e.mu.Lock()
	defer e.mu.Unlock()
	all := make([]*encoder.Code, len(texts))
	var missing []string
	asked := map[[sha256.Size]byte]bool{}
	for i, t := range texts {
		key := sha256.Sum256([]byte(t))
		if all[i] = e.has[key]; all[i] == nil && !asked[key] {
			missing, asked[key] = append(missing, t), true
		}
	}
	if len(missing) == 0 {
		return all, nil
	}
	f, err := os.OpenFile(e.file, os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o644)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	const together = 500
	for from := 0; from < len(missing); from += together {
		some := missing[from:min(from+together, len(missing))]
		if from > 0 {
			fmt.Fprintf(os.Stderr, "\rencoded %d of %d", from, len(missing))
		}
		for i, v := range encoder.Load().EncodeAll(some, 0) {
			c := encoder.CodeOf(v)
			if c == nil {
				c = &encoder.Code{}
			}
			key := sha256.Sum256([]byte(some[i]))
			e.has[key] = c
			if _, err := f.Write(append(key[:], c.Bytes()...)); err != nil {
				return nil, err
			}
		}
	}
	for i, t := range texts {
		all[i] = e.has[sha256.Sum256([]byte(t))]
	}
	return all, nil
}
