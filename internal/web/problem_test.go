package web

import (
	"testing"

	"juvalogos/internal/fault"
)

func TestSentenceCase(t *testing.T) {
	for from, want := range map[string]string{
		"it is empty": "It is empty.", "über 100 MB": "Über 100 MB.", "": "", "ß": "ß.", "PDFs cannot": "PDFs cannot.",
	} {
		if got := sentenceCase(from); got != want {
			t.Errorf("%q becomes %q", from, got)
		}
	}
}

// Every code that people are told has a status of its own, or is that of a
// model that failed.
func TestEveryCodeHasAStatus(t *testing.T) {
	for code, want := range map[fault.Code]int{
		fault.NoDesk: 404, fault.Taken: 409, fault.QuestionLong: 413, fault.Invalid: 422, fault.TooManyTries: 429,
		fault.NoRecords: 503, fault.TooLate: 504, fault.Unexpected: 500, "silent": 502, "busy": 429,
	} {
		if got := statusOf(code); got != want {
			t.Errorf("%s is %d", code, got)
		}
	}
}
