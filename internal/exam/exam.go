// Package exam gives quizzes to people: they take one by its link, and who gave it sees by
// another how it went.
//
// Unless a method says otherwise it fails with *fault.Problem, whose sentence may be shown to
// whoever asked.
package exam

import (
	"context"
	"crypto/rand"
	"encoding/base64"
	"errors"
	"log/slog"
	"strings"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/phrase"
	"juvalogos/core/quiz"
	"juvalogos/internal/fault"
	"juvalogos/internal/limits"
	"juvalogos/internal/record"
	"juvalogos/internal/store"
)

// Service is the quizzes of one running Juvalogos. It is safe for concurrent use.
type Service struct {
	Store  *store.Quizzes
	Limits *limits.Table // nil: anybody may begin any number of sittings
	Log    *slog.Logger
	Now    func() time.Time // nil: time.Now
}

func (s *Service) now() time.Time {
	if s.Now != nil {
		return s.Now()
	}
	return time.Now()
}

// secret is what a link ends with.
func secret() string {
	var b [15]byte
	_, _ = rand.Read(b[:]) // never fails
	return base64.RawURLEncoding.EncodeToString(b[:])
}

// Give puts a quiz on record so that people can take it. names has them asked for theirs.
func (s *Service) Give(ctx context.Context, q quiz.Quiz, names bool, by string) (record.GivenQuiz, error) {
	if err := usable(q); err != nil {
		return record.GivenQuiz{}, err
	}
	g := record.GivenQuiz{ID: uuid.Must(uuid.NewV7()), Content: q, Edition: 1, Take: secret(), Results: secret(),
		Names: names, MadeBy: by, MadeAt: s.now()}
	return g, s.away("give a quiz", s.Store.AddQuiz(ctx, g))
}

// usable holds a quiz against what one needs, and finds the places of its words: they may
// have been put right.
func usable(q quiz.Quiz) error {
	if err := q.Wrong(); err != nil {
		return &fault.Problem{Code: fault.Invalid,
			Sentence: phrase.Of("This quiz cannot be used: %s.", strings.ReplaceAll(err.Error(), "\n", "; "))}
	}
	for i := range q.Questions {
		q.Questions[i].Locate()
	}
	return nil
}

// Change puts other questions into a quiz. Results of those who took it before are kept, and
// told apart.
func (s *Service) Change(ctx context.Context, id uuid.UUID, q quiz.Quiz, names bool) (record.GivenQuiz, error) {
	if err := usable(q); err != nil {
		return record.GivenQuiz{}, err
	}
	if err := s.Store.ChangeQuiz(ctx, record.GivenQuiz{ID: id, Content: q, Names: names}); err != nil {
		return record.GivenQuiz{}, s.missing(err)
	}
	return s.Quiz(ctx, id)
}

// Withdraw has a quiz taken no more; its results stay. again has it taken again.
func (s *Service) Withdraw(ctx context.Context, id uuid.UUID, again bool) error {
	at := new(s.now())
	if again {
		at = nil
	}
	return s.missing(s.Store.WithdrawQuiz(ctx, id, at))
}

// Quizzes are all that were given, the newest first.
func (s *Service) Quizzes(ctx context.Context) ([]record.GivenQuiz, error) {
	all, err := s.Store.Quizzes(ctx)
	return all, s.away("list quizzes", err)
}

// Quiz is one of them.
func (s *Service) Quiz(ctx context.Context, id uuid.UUID) (record.GivenQuiz, error) {
	q, err := s.Store.Quiz(ctx, id, "", "")
	return q, s.missing(err)
}

// ToTake is the quiz whose link to take it ends so.
func (s *Service) ToTake(ctx context.Context, take string) (record.GivenQuiz, error) {
	if take == "" {
		return record.GivenQuiz{}, s.missing(record.ErrNotFound)
	}
	q, err := s.Store.Quiz(ctx, uuid.Nil, take, "")
	if err == nil && q.Withdrawn {
		return q, fault.Say(fault.NotHere, "This quiz is not given any more. Ask the person who sent you the link.")
	}
	return q, s.missing(err)
}

// away is that the records could not be read or written, which is logged.
func (s *Service) away(doing string, err error) error {
	if err == nil {
		return nil
	}
	return fault.Logged(s.Log, doing, fault.New(fault.NoRecords, err))
}

func (s *Service) missing(err error) error {
	if errors.Is(err, record.ErrNotFound) {
		return fault.Say(fault.NotHere, "There is no such quiz. Check the link, or ask the person who gave it to you.")
	}
	return s.away("quiz", err)
}

// longestName is how many letters of a name are kept.
const longestName = 80

// Begin begins a sitting.
func (s *Service) Begin(ctx context.Context, take string, visitor record.Visitor, name string) (record.Sitting,
	record.GivenQuiz, error) {
	q, err := s.ToTake(ctx, take)
	if err != nil {
		return record.Sitting{}, q, err
	}
	taken, err := s.Limits.Reserve(ctx, "", limits.Amounts{limits.Questions: 1})
	if err != nil {
		return record.Sitting{}, q, err
	}
	defer taken.Done()
	name = strings.Join(strings.Fields(string(record.Clean([]byte(name)))), " ")
	if r := []rune(name); len(r) > longestName {
		name = string(r[:longestName])
	}
	if !q.Names {
		name = "" // nobody asked
	}
	t, err := s.Store.BeginSitting(ctx, record.Sitting{ID: uuid.Must(uuid.NewV7()), Quiz: q.ID, Edition: q.Edition,
		Visitor: visitor, Name: name, Began: s.now()})
	if err != nil {
		taken.Undo()
	}
	return t, q, s.away("begin a sitting", err)
}

// HandIn ends a sitting with answers: places of options in the order in which the sitting had
// them (quiz.Order by its id), -1 where none was chosen. Handed in twice, the first time counts.
func (s *Service) HandIn(ctx context.Context, id uuid.UUID, visitor record.Visitor, answers []int) (record.Sitting,
	record.GivenQuiz, error) {
	t, err := s.Store.Sitting(ctx, id, visitor)
	if err != nil {
		return t, record.GivenQuiz{}, s.missing(err)
	}
	q, err := s.Store.Quiz(ctx, t.Quiz, "", "")
	if err != nil {
		return t, q, s.missing(err)
	}
	if t.Ended != nil {
		return t, q, nil
	}
	if q.Edition != t.Edition {
		return t, q, fault.Say(fault.Invalid, "The quiz was changed while you took it. Load the page and begin again.")
	}
	if len(answers) > len(q.Content.Questions) {
		return t, q, fault.Say(fault.Invalid, "There are more answers than questions.")
	}
	t.Answers = make([]int, len(q.Content.Questions))
	for i := range t.Answers {
		t.Answers[i] = -1
		order := quiz.Order(t.ID.String(), i, len(q.Content.Questions[i].Options))
		if i < len(answers) && answers[i] >= 0 && answers[i] < len(order) {
			t.Answers[i] = order[answers[i]]
		}
	}
	t.Score, t.Ended = q.Content.Score(t.Answers), new(s.now())
	err = s.Store.EndSitting(ctx, t)
	if errors.Is(err, record.ErrNotFound) { // another request was faster
		t, err = s.Store.Sitting(ctx, id, visitor)
	}
	return t, q, s.away("hand in", err)
}

// Results is how a quiz went.
type Results struct {
	Quiz     record.GivenQuiz
	Sittings []record.Sitting // of this edition, the oldest first
	Earlier  int              // sittings of earlier editions
	// Knew is for each question how many had it right, and Chose for each of its options how many
	// chose it.
	Knew  []int
	Chose [][]int
}

// Results tells how a quiz went, by its id or by what the link to its results ends with.
func (s *Service) Results(ctx context.Context, id uuid.UUID, results string) (r Results, err error) {
	if id == uuid.Nil && results == "" {
		return r, s.missing(record.ErrNotFound)
	}
	if r.Quiz, err = s.Store.Quiz(ctx, id, "", results); err != nil {
		return r, s.missing(err)
	}
	all, err := s.Store.Sittings(ctx, r.Quiz.ID)
	if err != nil {
		return r, s.away("read the results of a quiz", err)
	}
	questions := r.Quiz.Content.Questions
	r.Knew, r.Chose = make([]int, len(questions)), make([][]int, len(questions))
	for i := range questions {
		r.Chose[i] = make([]int, len(questions[i].Options))
	}
	for _, t := range all {
		if t.Edition != r.Quiz.Edition {
			r.Earlier++
			continue
		}
		r.Sittings = append(r.Sittings, t)
		for i, a := range t.Answers {
			if i >= len(questions) || a < 0 || a >= len(r.Chose[i]) {
				continue
			}
			r.Chose[i][a]++
			if a == questions[i].Right() {
				r.Knew[i]++
			}
		}
	}
	return r, nil
}
