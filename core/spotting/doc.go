// Package spotting answers short factual questions with the very words of a
// text: "How long may I borrow it?" with "three days". It reads what kind of
// thing the question asks for, gathers the stretches of the passages that could
// be one, and weighs each: by its kind, by how much of the question stands
// around it and how near, and by how well its passage fits. No model is asked.
//
// An answer's confidence is how often answers that were weighed like it are
// right, between 0 and 1; docs/retrieval.md says how well that holds.
package spotting

// Answer is a stretch of a passage.
type Answer struct {
	Passage    int // among those given, from 0
	From, To   int // bytes of its text
	Text       string
	Sentence   [2]int // bytes of the sentence that it stands in
	Kind       AnswerKind
	Confidence float64 // 0 to 1
	Score      float64 // of the weighing; more is better
	Signs      Signs
}

// AnswerKind is what a question asks for, and what a stretch is.
type AnswerKind string

// The kinds.
const (
	Amount AnswerKind = "amount" // a number with what it counts
	Time   AnswerKind = "time"   // a date, a time of the day or the year
	Person AnswerKind = "person"
	Place  AnswerKind = "place"
	Name   AnswerKind = "name" // a name of anything
	Thing  AnswerKind = "thing"
)

// Signs are what is weighed of a stretch, each 0 to 1.
type Signs struct {
	Kind    float64 // it is what the question asks for
	Unit    float64 // it counts or names what the question says, as in how many KILOGRAMS
	Covered float64 // of the question, by its sentence
	Around  float64 // of the question, by its sentence, its heading and the title
	Near    float64 // of the question, words counting less the farther they stand
	Rank    float64 // of the passage
	Apart   float64 // it says what the question does not
	Short   float64
	Whole   float64 // it is a whole phrase, or a number with what it counts
}

// Values are the signs in their order.
func (s *Signs) Values() []*float64 {
	return []*float64{&s.Kind, &s.Unit, &s.Covered, &s.Around, &s.Near, &s.Rank, &s.Apart, &s.Short, &s.Whole}
}
