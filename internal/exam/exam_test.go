package exam_test

import (
	"errors"
	"fmt"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/google/uuid"

	"juvalogos/core/quiz"
	"juvalogos/internal/fault"
	"juvalogos/internal/record"
	"juvalogos/internal/testbed"
)

func TestMain(m *testing.M) { testbed.Main(m) }

var bob = record.Visitor{2}

func feeding() quiz.Quiz {
	q := quiz.Quiz{Title: "Feeding"}
	for i := range 4 {
		q.Questions = append(q.Questions, quiz.Question{Text: fmt.Sprint("Question ", i), Options: []quiz.Option{
			{Text: "good", Right: true}, {Text: "bad"}, {Text: "worse"}}, Quote: "It is good."})
	}
	return q
}

// answers are places in a sitting's own order: the right option of the first so many
// questions, a wrong one of the others.
func answers(t record.Sitting, q record.GivenQuiz, right int) (places []int) {
	for i, one := range q.Content.Questions {
		for place, option := range quiz.Order(t.ID.String(), i, len(one.Options)) {
			if option == 0 && i < right || option == 1 && i >= right {
				places = append(places, place)
			}
		}
	}
	return places
}

// A quiz is given, taken by two people side by side, one of them twice; what was handed in
// first counts, scores and choices add up, and a change keeps what was before apart.
func TestAQuizIsTaken(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	s := b.Exams
	given, err := s.Give(t.Context(), feeding(), true, "maker")
	if err != nil {
		t.Fatal(err)
	}
	var all sync.WaitGroup
	for who, visitor := range []record.Visitor{testbed.Alice, bob} {
		all.Go(func() {
			for try := range 1 + who {
				sitting, q, err := s.Begin(t.Context(), given.Take, visitor, "  Ada \n Wren ")
				if err != nil || sitting.Try != try+1 || sitting.Name != "Ada Wren" {
					t.Errorf("%v: %+v", err, sitting)
					return
				}
				ended, _, err := s.HandIn(t.Context(), sitting.ID, visitor, answers(sitting, q, who+try))
				if err != nil || ended.Score != who+try {
					t.Errorf("%v: %d right, want %d", err, ended.Score, who+try)
				}
				again, _, err := s.HandIn(t.Context(), sitting.ID, visitor, answers(sitting, q, 4))
				if err != nil || again.Score != who+try {
					t.Errorf("handed in again it has %d right (%v)", again.Score, err)
				}
			}
		})
	}
	all.Wait()
	r, err := s.Results(t.Context(), uuid.Nil, given.Results)
	if err != nil || len(r.Sittings) != 3 {
		t.Fatalf("%v: %d sittings", err, len(r.Sittings))
	}
	knew := 0
	for i := range r.Knew {
		knew += r.Knew[i]
		if sum := r.Chose[i][0] + r.Chose[i][1] + r.Chose[i][2]; sum != 3 || r.Chose[i][0] != r.Knew[i] {
			t.Errorf("question %d: %d knew it, %v were chosen", i+1, r.Knew[i], r.Chose[i])
		}
	}
	scores := 0
	for _, one := range r.Sittings {
		scores += one.Score
	}
	if knew != scores || scores != 0+1+2 {
		t.Errorf("%d by question, %d by sitting", knew, scores)
	}
	// It is changed while somebody takes it.
	open, q, err := s.Begin(t.Context(), given.Take, testbed.Alice, "")
	if err != nil {
		t.Fatal(err)
	}
	other := feeding()
	other.Questions = other.Questions[:2]
	if changed, err := s.Change(t.Context(), given.ID, other, false); err != nil || changed.Edition != 2 {
		t.Fatalf("%v: %+v", err, changed)
	}
	if _, _, err := s.HandIn(t.Context(), open.ID, testbed.Alice, answers(open, q, 4)); err == nil {
		t.Error("answers to other questions are taken")
	}
	r, err = s.Results(t.Context(), given.ID, "")
	if err != nil || len(r.Sittings) != 0 || r.Earlier != 3 || len(r.Knew) != 2 {
		t.Errorf("%v: %+v", err, r)
	}
	if named, _, err := s.Begin(t.Context(), given.Take, bob, "Bob"); err != nil || named.Name != "" {
		t.Errorf("nobody asked for a name, and %q is kept (%v)", named.Name, err)
	}
}

// What is not there, not theirs, withdrawn or unusable is refused with a sentence.
func TestWhatIsRefused(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	s := b.Exams
	given, err := s.Give(t.Context(), feeding(), false, "maker")
	if err != nil {
		t.Fatal(err)
	}
	sitting, q, err := s.Begin(t.Context(), given.Take, testbed.Alice, "")
	if err != nil {
		t.Fatal(err)
	}
	refused := func(what string, err error) {
		t.Helper()
		var p *fault.Problem
		if !errors.As(err, &p) || p.Sentence.String() == "" || p.Code == fault.NoRecords {
			t.Errorf("%s: %v", what, err)
		}
	}
	_, _, err = s.HandIn(t.Context(), sitting.ID, bob, answers(sitting, q, 4))
	refused("another's sitting", err)
	_, _, err = s.HandIn(t.Context(), sitting.ID, testbed.Alice, make([]int, 50))
	refused("more answers than questions", err)
	_, err = s.ToTake(t.Context(), "")
	refused("no link", err)
	_, err = s.ToTake(t.Context(), given.Results)
	refused("the link to the results, to take it", err)
	_, err = s.Results(t.Context(), uuid.Nil, given.Take)
	refused("the link to take it, for the results", err)
	_, err = s.Results(t.Context(), uuid.Nil, "")
	refused("no link to results", err)
	_, err = s.Give(t.Context(), quiz.Quiz{Title: "x"}, false, "")
	refused("a quiz without questions", err)
	two := feeding()
	two.Questions[0].Options[1].Right = true
	_, err = s.Change(t.Context(), given.ID, two, false)
	refused("two right options", err)
	_, err = s.Quiz(t.Context(), uuid.New())
	refused("one that is not there", err)
	if err := s.Withdraw(t.Context(), given.ID, false); err != nil {
		t.Fatal(err)
	}
	_, _, err = s.Begin(t.Context(), given.Take, testbed.Alice, "")
	refused("a withdrawn one", err)
	ended, _, err := s.HandIn(t.Context(), sitting.ID, testbed.Alice, []int{-7, 99, 0})
	if err != nil || ended.Answers[0] != -1 || ended.Answers[1] != -1 || ended.Answers[3] != -1 {
		t.Errorf("a sitting that had begun: %v, %v", err, ended.Answers)
	}
	if err := s.Withdraw(t.Context(), given.ID, true); err != nil {
		t.Fatal(err)
	}
	long, _, err := s.Begin(t.Context(), given.Take, testbed.Alice, strings.Repeat("a", 500))
	if err != nil || long.Began.After(time.Now().Add(time.Hour)) {
		t.Errorf("%v", err)
	}
}
