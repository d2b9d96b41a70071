package main

import (
	"fmt"
	"math/rand/v2"
	"runtime"
	"slices"
	"strings"
	"time"

	"juvalogos/core/embedding"
	"juvalogos/core/encoder"
	"juvalogos/core/passage"
	"juvalogos/core/retrieval"
)

// manyOf are so many passages: those of the corpus, and more that are made of its
// sentences in another order.
func manyOf(pages []page, passages int) (entries []retrieval.Entry) {
	r := rand.New(rand.NewPCG(3, 3))
	var own []passage.Chunk
	for _, p := range pages {
		own = append(own, splitAs(p.doc)...)
	}
	for i := range passages {
		p := own[i%len(own)]
		text := p.Text
		if i >= len(own) { // shuffled halves of two passages
			a, b := strings.Split(p.Text, "\n"), strings.Split(own[r.IntN(len(own))].Text, "\n")
			r.Shuffle(len(a), func(i, j int) { a[i], a[j] = a[j], a[i] })
			text = strings.Join(append(a[:len(a)/2+1], b[:len(b)/2]...), "\n")
		}
		entries = append(entries, retrieval.Entry{Key: int64(i), Document: int64(i / 25), Number: i % 25,
			Title: pages[i/25%len(pages)].doc.Title, Path: p.Path, Text: text, Language: "en"})
	}
	return entries
}

// large measures an index of so many passages.
func large(pages []page, asked []question, passages int) (lines []string, err error) {
	words, entries := embedding.Load(), manyOf(pages, passages)
	start, held, err := fromRecord(entries)
	if err != nil {
		return nil, err
	}
	before := heap()
	began := time.Now()
	var sample [][]float32
	retrieval.Embed(entries)
	for i := range entries {
		if i%25 == 0 && entries[i].Vector != nil {
			sample = append(sample, entries[i].Vector)
		}
	}
	common := embedding.Common(sample)
	for i := range entries {
		if entries[i].Vector != nil {
			embedding.Remove(entries[i].Vector, common)
		}
	}
	index := retrieval.New()
	index.Add(entries)
	took := time.Since(began)
	entries = nil
	sensed := false
	measure := func() []time.Duration {
		defer runtime.GOMAXPROCS(runtime.GOMAXPROCS(1))
		var times []time.Duration
		for _, q := range asked {
			v, known := words.Vector(q.text)
			query := retrieval.Query{Text: q.text, Limit: 10}
			if known {
				embedding.Remove(v[:], common)
				query.Vector = v[:]
			}
			began := time.Now()
			if sensed {
				query.Sense = encoder.Load().Encode(q.text)
			}
			index.Search(query, retrieval.DefaultOptions)
			times = append(times, time.Since(began))
		}
		slices.Sort(times)
		return times
	}
	one := measure()
	began = time.Now()
	for index.Improve() {
	}
	graph := time.Since(began)
	memory := heap() - before
	times := measure()
	senseAtRandom(index, passages)
	sensed = true
	encoded := heap() - before - memory
	with := measure()
	return []string{
		fmt.Sprintf("| from the start of the library to the first answer, everything in PostgreSQL (aim: 10 s) | "+
			"%.1f s |", start.Seconds()),
		fmt.Sprintf("| memory of the library then, its own vectors and texts in it (aim: 600 MB) | %d MB |", held>>20),
		fmt.Sprintf("| of it, from split texts to the index | %.1f s |", took.Seconds()),
		fmt.Sprintf("| a search on one core then, vectors compared one by one, median | %.1f ms |",
			one[len(one)/2].Seconds()*1000),
		fmt.Sprintf("| the graph of neighbours, made while it is searched | %.1f s |", graph.Seconds()),
		fmt.Sprintf("| memory of the index with its graph | %d MB |", memory>>20),
		fmt.Sprintf("| a search on one core, median (aim: 10 ms) | %.1f ms |", times[len(times)/2].Seconds()*1000),
		fmt.Sprintf("| ... the slowest of twenty | %.1f ms |", times[len(times)*19/20].Seconds()*1000),
		fmt.Sprintf("| with the encoder's vectors of %d windows, made up, and the question's (aim: 25 ms) | %.1f ms |",
			passages*windowsEach, with[len(with)/2].Seconds()*1000),
		fmt.Sprintf("| ... the slowest of twenty | %.1f ms |", with[len(with)*19/20].Seconds()*1000),
		fmt.Sprintf("| memory of these vectors | %d MB |", encoded>>20),
	}, nil
}

func heap() uint64 {
	runtime.GC()
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return m.HeapInuse
}

// windowsEach is how many windows a passage has, about.
const windowsEach = 3

// senseAtRandom gives passages vectors of windows that mean nothing: as many numbers
// to compare as real ones.
func senseAtRandom(index *retrieval.Index, passages int) {
	r := rand.New(rand.NewPCG(5, 6))
	for document := range passages / 25 {
		by := map[int][]*encoder.Code{}
		for n := range 25 {
			for range windowsEach {
				c := &encoder.Code{Scale: 1.0 / 127 / 16}
				for k := range c.Numbers {
					c.Numbers[k] = int8(r.IntN(255) - 127)
				}
				by[n] = append(by[n], c)
			}
		}
		index.Sense(int64(document), by)
	}
}
