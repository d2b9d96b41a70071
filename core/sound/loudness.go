package sound

import (
	"math"
	"slices"
)

// Frame is the stretch of one value of a Loudness, in seconds.
const Frame = 0.02

// Loudness is how loud a recording is, a value every [Frame]: half decibels above
// -96 dB of full scale, 192 the loudest.
type Loudness []byte

// Seconds is how long the recording is, to a [Frame].
func (l Loudness) Seconds() float64 { return float64(len(l)) * Frame }

const lowest = -96

func decibels(v byte) float64 { return lowest + float64(v)/2 }

// Meter takes samples as they are decoded.
type Meter struct {
	Rate     int // samples a second
	Loudness Loudness
	Samples  int64
	sum      float64
	n        int
}

// Take takes samples, -32768 to 32767, of one channel.
func (m *Meter) Take(samples []int16) {
	frame := int(float64(m.Rate) * Frame)
	for _, s := range samples {
		m.sum += float64(s) * float64(s)
		if m.n++; m.n == frame {
			m.flush()
		}
	}
	m.Samples += int64(len(samples))
}

// Close takes in what is left at the end.
func (m *Meter) Close() {
	if m.n > 0 {
		m.flush()
	}
}

func (m *Meter) flush() {
	level := 10*math.Log10(m.sum/float64(m.n)+1e-9) - 20*math.Log10(32768)
	m.Loudness = append(m.Loudness, byte(min(max((level-lowest)*2, 0), 192)))
	m.sum, m.n = 0, 0
}

// faintest is the loudness below which nobody speaks, in dB of full scale.
const faintest = -58

// Silent reports whether there is nothing to be heard: fewer than three frames in a
// thousand, and fewer than five in all, are above what nobody speaks below.
func (l Loudness) Silent() bool {
	loud := 0
	for _, v := range l {
		if decibels(v) > faintest {
			loud++
		}
	}
	return loud < 5 || loud*1000 < 3*len(l)
}

// Peaks is the loudness as it is drawn: so many values of 0 to 100, or fewer if there
// are no more.
func (l Loudness) Peaks(most int) []int {
	n := min(most, len(l))
	peaks := make([]int, n)
	loudest := 1.0
	levels := make([]float64, n)
	for i := range levels {
		part := l[i*len(l)/n : (i+1)*len(l)/n]
		levels[i] = math.Pow(10, decibels(slices.Max(part))/20)
		loudest = max(loudest, levels[i]*1e4)
	}
	for i, v := range levels {
		peaks[i] = int(math.Round(100 * v * 1e4 / loudest))
	}
	return peaks
}

// floor is the loudness below which it is quiet here: well above the quietest moments, and
// well below the loudest. Where all is about as loud it is below them all.
func (l Loudness) floor() byte {
	sorted := slices.Sorted(slices.Values(l))
	if len(sorted) == 0 {
		return 0
	}
	quiet, loud := float64(sorted[len(sorted)/33]), float64(sorted[len(sorted)*95/100])
	if loud-quiet < 24 {
		return byte(max(quiet-1, 0))
	}
	return byte(max(min(quiet+20, quiet+(loud-quiet)*0.35), faintest-lowest))
}

// Spoken are the stretches in which it is not quiet, of which the shortest are left out
// and those that are almost together are one: beginnings and ends in seconds.
func (l Loudness) Spoken() [][2]float64 {
	const (
		pause    = 12 // frames that part two stretches
		shortest = 3
	)
	floor := l.floor()
	var all [][2]float64
	began, last := -1, 0
	flush := func() {
		if began >= 0 && last-began+1 >= shortest {
			all = append(all, [2]float64{float64(began) * Frame, float64(last+1) * Frame})
		}
		began = -1
	}
	for i, v := range l {
		if v <= floor {
			continue
		}
		if began >= 0 && i-last > pause {
			flush()
		}
		if began < 0 {
			began = i
		}
		last = i
	}
	flush()
	return all
}
