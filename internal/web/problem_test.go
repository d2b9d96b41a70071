package web

import (
	"testing"

	"juvalogos/internal/fault"
)

// Every code that people are told has a status of its own, or is that of a
// model that failed.
func TestEveryCodeHasAStatus(t *testing.T) {
	for code, want := range map[fault.Code]int{
		fault.NoDesk: 404, fault.Exists: 409, fault.QuestionLong: 413, fault.Invalid: 422, fault.TooManyTries: 429,
		fault.NoRecords: 503, fault.TooLate: 504, fault.Unexpected: 500, "silent": 502, "busy": 429,
	} {
		if got := statusOf(code); got != want {
			t.Errorf("%s is %d", code, got)
		}
	}
}
