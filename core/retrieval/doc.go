// Package retrieval finds the passages that answer a question. An Index holds
// passages in memory: words with the fields they stand in for a lexical search
// (BM25F), vectors for one by meaning. A search runs through stages, each of
// which can be switched off and measured:
//
//	lexical   BM25F over title, headings and text
//	vector    cosine between vectors, exact or by a graph of neighbours
//	fused     both, by weighted reciprocal rank
//	full      the best of these weighed anew: how much of the question is
//	          covered, by words that mean the same too, how close together,
//	          and what title, headings and the rest of the document say
//
// What is found is told apart from what answers: Result.Answers.
package retrieval

import "juvalogos/core/encoder"

// Entry is a passage to find.
type Entry struct {
	Key      int64 // the caller's
	Document int64 // the caller's
	Number   int   // of the passage in its document, from 0
	Title    string
	Path     []string // headings
	Text     string
	Language string    // ISO 639-1; "" is taken for English
	Vector   []float32 // built-in, of length 1; nil: none
	Meaning  []float32 // a model's, of length 1, all of the same dimensions; nil: none
	// Windows are the encoder's vectors of what the passage says, one for each window; those that passages
	// share are the same pointers.
	Windows []*encoder.Code
}

// Options say how to search. The zero value is none: use DefaultOptions.
type Options struct {
	// K1 and B are BM25's: how soon a word said often counts no more, and how
	// much longer texts are held back.
	K1, B float64
	// TitleWeight and PathWeight are what a word counts in the title and in
	// headings, where it counts 1 in the text.
	TitleWeight, PathWeight float64
	// Expand adds words that mean the same to a question, at most so many for
	// each of its words; 0: none.
	Expand int
	// VectorWeight is what the vector search counts in the fusion, where the
	// lexical one counts 1; 0 leaves it out.
	VectorWeight float64
	// MeaningWeight is that for vectors of a model, where there are such.
	MeaningWeight float64
	// SenseWeight is that for the encoder's vectors, where passages have such.
	SenseWeight float64
	// Candidates are how many passages the last stage weighs; 0 leaves it out.
	Candidates int
	// Weights are what each sign counts in the last stage.
	Weights Signs
	// Distinct drops passages that say nearly the same as a better one.
	Distinct bool
}

// DefaultOptions are what docs/retrieval.md measures as full.
var DefaultOptions = Options{K1: 1.2, B: 0.75, TitleWeight: 3, PathWeight: 1.5, Expand: 6, VectorWeight: 0.2,
	MeaningWeight: 1, SenseWeight: 1, Candidates: 90, Weights: DefaultWeights, Distinct: true}

// Query is a question.
type Query struct {
	Text   string
	Vector []float32 // built-in, of length 1; nil: no vector search by it
	// Meaning is a model's vector, of length 1; nil: none. The vector search goes
	// by it where passages have such vectors too.
	Meaning []float32
	Sense   []float32      // the encoder's, of length 1; nil: none
	Only    map[int64]bool // of these documents; nil: of all
	Limit   int
}

// Hit is a passage that was found. Ranks count from 1; 0: not among what that
// stage found.
type Hit struct {
	Key         int64
	Document    int64
	Number      int
	Score       float64 // of the last stage that ran; more is better
	Lexical     float64
	LexicalRank int
	Cosine      float64 // of the built-in vectors
	Alike       float64 // cosine of the model's
	Sense       float64 // cosine of the encoder's nearest window
	VectorRank  int
	SenseRank   int
	FusedRank   int
	Signs       Signs
	Matched     []string // words of the question as they stand in the index
}

// Signs are what the last stage weighs of a passage, each 0 to 1.
type Signs struct {
	Lexical  float64 // BM25F, against the best one's
	Covered  float64 // of the question, by the text and what stands above it, rare words counting more
	Evenly   float64 // of the question, its words counting nearly the same
	Exact    float64 // of the question, by its very words
	Title    float64 // of the question, by the title
	Titled   float64 // of the title, by the question
	Headed   float64 // of the question, by the headings
	Lead     float64 // of the question, by how the document begins
	Close    float64 // of the question, by two or three sentences that follow each other
	Near     float64 // words that stand together in the question do so here
	Cosine   float64
	About    float64 // cosine with how the document begins
	Named    float64 // cosine of the question with the title, by the built-in vectors
	Whole    float64 // cosine with the mean of the document
	Meaning  float64 // cosine of the model's vectors, against the best and the worst candidate's
	Sense    float64 // cosine of the encoder's nearest window
	Page     float64 // BM25F of the whole document, against the best one's
	Document float64 // what the document's other passages say
}

// Values are the signs in their order.
func (s *Signs) Values() []*float64 {
	return []*float64{&s.Lexical, &s.Covered, &s.Evenly, &s.Exact, &s.Title, &s.Titled, &s.Headed, &s.Lead, &s.Close,
		&s.Near, &s.Cosine, &s.About, &s.Named, &s.Whole, &s.Meaning, &s.Sense, &s.Page, &s.Document}
}

// Score weighs signs.
func (s Signs) Score(weights Signs) (sum float64) {
	w := weights.Values()
	for i, v := range s.Values() {
		sum += *v * *w[i]
	}
	return sum
}

// Result is what a search found.
type Result struct {
	Hits []Hit
	// Answers judges between 0 and 1 whether anything found answers at all.
	Answers  float64
	Evidence Features // that it is judged by
}
