package main

import (
	"fmt"
	"math"
	"math/rand/v2"
	"runtime"
	"sync"

	"juvalogos/core/embedding"
)

const dimensions = embedding.Dimensions

// course says how is learnt.
type course struct {
	epochs, batch int
	// pairs that stand together from which a batch is drawn: others of the same documents are the
	// harder ones to tell apart
	window    int
	rate      float64 // of the first step; it falls to a tenth
	sharpness float64 // by what cosines are multiplied before they are compared
	// how often a text loses the words that its other half has too: those a search by words finds anyway
	drop float64
}

// learner holds the vectors and, as logarithms, the weights of words, and the
// sums of squares that Adagrad (Duchi, Hazan and Singer, 2011) divides by.
type learner struct {
	vectors, weights       []float32
	vectorSums, weightSums []float32
}

func begin(w *embedding.Words) *learner {
	n := w.Len()
	l := &learner{make([]float32, n*dimensions), make([]float32, n), make([]float32, n*dimensions), make([]float32, n)}
	for i := range n {
		v := w.Word(int32(i))
		copy(l.of(int32(i)), v[:])
		l.weights[i] = float32(math.Log(float64(embedding.Weight(int32(i)))))
	}
	return l
}

func (l *learner) of(word int32) []float32 {
	return l.vectors[int(word)*dimensions : int(word+1)*dimensions]
}

func (l *learner) learn(pairs []pair, held [][]pair, c course) {
	r := rand.New(rand.NewPCG(1, 2))
	for epoch := range c.epochs {
		var batches [][]pair
		for i := 0; i < len(pairs); i += c.window {
			some := pairs[i:min(len(pairs), i+c.window)]
			r.Shuffle(len(some), func(i, j int) { some[i], some[j] = some[j], some[i] })
			for k := 0; k+c.batch <= len(some); k += c.batch {
				batches = append(batches, some[k:k+c.batch])
			}
		}
		r.Shuffle(len(batches), func(i, j int) { batches[i], batches[j] = batches[j], batches[i] })
		for k, batch := range batches {
			done := float64(epoch*len(batches)+k) / float64(c.epochs*len(batches))
			less := make([]pair, len(batch))
			for i, p := range batch {
				if less[i] = p; r.Float64() < c.drop {
					less[i].long = without(p.long, p.short)
				}
			}
			l.step(less, c.rate*(1-0.9*done), c.sharpness)
		}
		loss, right := 0.0, 0.0
		for _, batch := range held {
			a, b := l.compare(batch, c.sharpness).judge()
			loss, right = loss+a/float64(len(held)), right+b/float64(len(held))
		}
		fmt.Printf("%d of %d: held out, loss %.4f, right %.4f\n", epoch+1, c.epochs, loss, right)
	}
}

// without leaves out of a bag what another one has, unless little is left.
func without(b, other bag) (less bag) {
	has := map[int32]bool{}
	for _, w := range other.words {
		has[w] = true
	}
	for i, w := range b.words {
		if !has[w] {
			less.words, less.counts = append(less.words, w), append(less.counts, b.counts[i])
		}
	}
	if len(less.words) < 3 {
		return b
	}
	return less
}

// text makes the vector of a bag, of length 1, and returns how long it was.
func (l *learner) text(b bag, v []float32) (length float32) {
	for i, w := range b.words {
		weight := l.weight(w) * b.counts[i]
		for k, x := range l.of(w) {
			v[k] += weight * x
		}
	}
	length = float32(math.Sqrt(float64(embedding.Dot(v, v)))) + 1e-9
	for k := range v {
		v[k] /= length
	}
	return length
}

func (l *learner) weight(word int32) float32 { return float32(math.Exp(float64(l.weights[word]))) }

// compared is a batch whose short texts were held against all its long ones.
type compared struct {
	n                         int
	short, long               []float32 // vectors
	shortLengths, longLengths []float32
	scores                    []float32 // of short i with long j at i*n+j
}

func (l *learner) compare(batch []pair, sharpness float64) *compared {
	n := len(batch)
	c := &compared{n, make([]float32, n*dimensions), make([]float32, n*dimensions), make([]float32, n),
		make([]float32, n), make([]float32, n*n)}
	sideBySide(n, func(i int) {
		c.shortLengths[i] = l.text(batch[i].short, row(c.short, i))
		c.longLengths[i] = l.text(batch[i].long, row(c.long, i))
	})
	sideBySide(n, func(i int) {
		for j := range n {
			c.scores[i*n+j] = float32(sharpness) * embedding.Dot(row(c.short, i), row(c.long, j))
		}
	})
	return c
}

func row(all []float32, i int) []float32 { return all[i*dimensions : (i+1)*dimensions] }

// judge returns the mean loss, minus the logarithm of the probability that each
// short text's own long one is given among all (van den Oord, Li and Vinyals,
// "Representation Learning with Contrastive Predictive Coding", 2018), and how
// often that one is the likeliest. The scores become the slopes of the loss.
func (c *compared) judge() (loss, right float64) {
	for i := range c.n {
		scores := c.scores[i*c.n : (i+1)*c.n]
		own, most, first := scores[i], scores[0], 0
		for j, s := range scores {
			if s > most {
				most, first = s, j
			}
		}
		sum := 0.0
		for _, s := range scores {
			sum += math.Exp(float64(s - most))
		}
		for j, s := range scores {
			scores[j] = float32(math.Exp(float64(s-most)) / sum / float64(c.n))
		}
		scores[i] -= 1 / float32(c.n)
		loss += (math.Log(sum) - float64(own-most)) / float64(c.n)
		if first == i {
			right += 1 / float64(c.n)
		}
	}
	return loss, right
}

// step moves the vectors and weights of a batch's words down the slope.
func (l *learner) step(batch []pair, rate, sharpness float64) {
	c := l.compare(batch, sharpness)
	c.judge()
	short, long := make([]float32, len(c.short)), make([]float32, len(c.long))
	sideBySide(c.n, func(i int) {
		for j := range c.n {
			into(row(short, i), c.scores[i*c.n+j]*float32(sharpness), row(c.long, j))
			into(row(long, i), c.scores[j*c.n+i]*float32(sharpness), row(c.short, j))
		}
	})
	slopes := map[int32]*[dimensions + 1]float32{} // by word: its vector's, then its weight's
	var order []int32                              // sums in the same order are the same sums
	for i, p := range batch {
		for _, side := range []struct {
			bag       bag
			v, slope  []float32
			wasLength float32
		}{{p.short, row(c.short, i), row(short, i), c.shortLengths[i]},
			{p.long, row(c.long, i), row(long, i), c.longLengths[i]}} {
			along := embedding.Dot(side.v, side.slope)
			for k := range side.slope { // what only lengthens the vector changes nothing
				side.slope[k] = (side.slope[k] - along*side.v[k]) / side.wasLength
			}
			for k, w := range side.bag.words {
				s := slopes[w]
				if s == nil {
					s = new([dimensions + 1]float32)
					slopes[w], order = s, append(order, w)
				}
				weight := l.weight(w) * side.bag.counts[k]
				into(s[:dimensions], weight, side.slope)
				s[dimensions] += weight * embedding.Dot(l.of(w), side.slope)
			}
		}
	}
	down := func(at, sum *float32, slope float32) {
		*sum += slope * slope
		*at -= float32(rate) * slope / (float32(math.Sqrt(float64(*sum))) + 1e-6)
	}
	for _, w := range order {
		s := slopes[w]
		v, sums := l.of(w), l.vectorSums[int(w)*dimensions:]
		for k := range v {
			down(&v[k], &sums[k], s[k])
		}
		down(&l.weights[w], &l.weightSums[w], s[dimensions])
	}
}

// into adds a multiple of one vector to another.
func into(to []float32, times float32, v []float32) {
	for k := range to {
		to[k] += times * v[k]
	}
}

// sideBySide does something for each number below n, on all processors.
func sideBySide(n int, do func(int)) {
	var all sync.WaitGroup
	for c := range runtime.NumCPU() {
		all.Go(func() {
			for i := c; i < n; i += runtime.NumCPU() {
				do(i)
			}
		})
	}
	all.Wait()
}
