package sound

// CutLimits bound pieces, in seconds.
type CutLimits struct {
	Most float64 // of a piece, with what it has over its neighbours
	// Over is how much a piece has of each neighbour where it could not be cut in a
	// silence; 2.5 if it is 0.
	Over float64
}

// Piece is a stretch of a recording that is heard by itself.
type Piece struct {
	Start, End float64 // with what it has over
	// Cut is where it begins after the one before, and Clean whether that is in a
	// silence: then neither has a word of the other.
	Cut   float64
	Clean bool
}

// What a cut looks for: a silence of so many frames is as good as any longer one, and one
// below the least is none.
const (
	goodSilence  = 40
	leastSilence = 13
	usualOver    = 2.5
	leastPiece   = 0.3 // of the longest: no piece ends before that
)

// Cut finds the pieces of a recording: each as long as it may be, cut in the middle of a
// silence if there is one, otherwise where it is quietest, with something over. A
// recording that is short enough is one piece. Time grows with the length.
func Cut(l Loudness, limits CutLimits) []Piece {
	over := limits.Over
	if over == 0 {
		over = usualOver
	}
	over = min(over, limits.Most/5)
	whole := l.Seconds()
	if whole <= limits.Most || limits.Most <= 0 {
		return []Piece{{0, whole, 0, true}}
	}
	var pieces []Piece
	floor := l.floor()
	at := Piece{Cut: 0, Clean: true}
	for {
		begin := at.Start
		if whole-begin <= limits.Most {
			at.End = whole
			return append(pieces, at)
		}
		from, to := begin+max(limits.Most*leastPiece, 2*over), begin+limits.Most-over
		where, clean, margin := l.quietest(frameOf(from), frameOf(to), floor)
		next := Piece{Start: where - over, Cut: where, Clean: clean}
		at.End = where + over
		if clean {
			margin = min(margin, 0.3)
			next.Start, at.End = where-margin, where+margin
		}
		pieces, at = append(pieces, at), next
	}
}

func frameOf(seconds float64) int { return int(seconds / Frame) }

// quietest is the best place to cut between two frames, whether that is in a silence, and
// how long that is to both sides.
func (l Loudness) quietest(from, to int, floor byte) (where float64, clean bool, margin float64) {
	to = min(to, len(l))
	best, bestAt, bestRun := -1.0, 0, 0
	for i := from; i < to; {
		if l[i] > floor {
			i++
			continue
		}
		end := i
		for end < to && l[end] <= floor {
			end++
		}
		// A longer silence is better, up to a point, and so is a later one.
		if run := end - i; run >= leastSilence {
			score := float64(min(run, goodSilence))/goodSilence + 0.6*float64(i-from)/float64(to-from)
			if score > best {
				best, bestAt, bestRun = score, i, run
			}
		}
		i = end
	}
	if best >= 0 {
		return (float64(bestAt) + float64(bestRun)/2) * Frame, true, float64(bestRun) / 2 * Frame
	}
	const window = 5
	least, at := 1<<30, to
	for i := from; i+window <= to; i++ {
		sum := 0
		for _, v := range l[i : i+window] {
			sum += int(v)
		}
		if sum <= least {
			least, at = sum, i+window/2
		}
	}
	return float64(at) * Frame, false, 0
}
