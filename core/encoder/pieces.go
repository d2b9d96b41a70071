package encoder

import (
	"math"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// pieces cuts texts into the pieces of words that the encoder knows: the most
// likely cut by a unigram model (Kudo, "Subword Regularization", 2018).
type pieces struct {
	known   map[string]piece
	longest int     // in bytes
	unknown float64 // what a letter costs that is in no piece
}

type piece struct {
	id    int32
	score float64 // the logarithm of how likely
}

const space = "▁" // stands before each word

// unknownPiece stands for letters that no piece has.
const unknownPiece = 0

func newPieces(names []string, scores []float64) pieces {
	p := pieces{known: make(map[string]piece, len(names))}
	least := 0.0
	for id, name := range names {
		if scores[id] == 0 { // signs of the model's own
			continue
		}
		p.known[name] = piece{int32(id), scores[id]}
		p.longest = max(p.longest, len(name))
		least = min(least, scores[id])
	}
	p.unknown = least - 10
	return p
}

// longestText is how many bytes of a text are looked at: many times what the
// encoder reads.
const longestText = 8_000

func (p *pieces) split(text string) []int32 {
	if len(text) > longestText {
		text = strings.ToValidUTF8(text[:longestText], "")
	}
	words := strings.Fields(norm.NFKC.String(text))
	if len(words) == 0 {
		return nil
	}
	text = space + strings.Join(words, space)
	type step struct {
		score float64
		from  int
		id    int32
	}
	best := make([]step, len(text)+1)
	for i := range best {
		best[i].score = math.Inf(-1)
	}
	best[0].score = 0
	for at := 0; at < len(text); {
		_, size := utf8.DecodeRuneInString(text[at:])
		base := best[at].score
		if next := &best[at+size]; base+p.unknown > next.score {
			*next = step{base + p.unknown, at, unknownPiece}
		}
		for to := at + 1; to <= min(len(text), at+p.longest); to++ {
			if found, ok := p.known[text[at:to]]; ok && base+found.score > best[to].score {
				best[to] = step{base + found.score, at, found.id}
			}
		}
		at += size
	}
	var ids []int32
	for at := len(text); at > 0; at = best[at].from {
		if id := best[at].id; id != unknownPiece || len(ids) == 0 || ids[len(ids)-1] != unknownPiece {
			ids = append(ids, id)
		}
	}
	for i, j := 0, len(ids)-1; i < j; i, j = i+1, j-1 {
		ids[i], ids[j] = ids[j], ids[i]
	}
	return ids
}
