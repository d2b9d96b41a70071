package main

import (
	"testing"

	"juvalogos/internal/api"
)

// What a run led to is what its last step gave, whether that asked a model or
// not; a step of a group is not the last.
func TestReplyOf(t *testing.T) {
	text := func(s string) map[string]any { return map[string]any{"text": s} }
	answer := api.Span{Step: "answer", Parent: -1, State: "done", Out: text("said"),
		Calls: []api.ModelCall{{Answer: "said"}}}
	for _, c := range []struct {
		name  string
		spans []api.Span
		want  string
	}{
		{"a model's answer", []api.Span{answer}, "said"},
		{"mended by a later step", []api.Span{answer, {Parent: -1, State: "done", Out: text("mended")}}, "mended"},
		{"a later step alone", []api.Span{{Parent: -1, State: "done", Out: text("put together")}}, "put together"},
		{"chosen", []api.Span{answer, {Parent: -1, State: "done", Out: map[string]any{"chosen": "this"}}}, "this"},
		{"a step without a text", []api.Span{answer, {Parent: -1, State: "done", Out: map[string]any{"data": 1}}},
			"said"},
		{"a step that failed", []api.Span{answer, {Parent: -1, State: "failed", Out: text("half")}}, "said"},
		{"within a group", []api.Span{answer, {Parent: 0, State: "done", Out: text("inner")}}, "said"},
		{"several texts", []api.Span{{Parent: -1, State: "done",
			Calls: []api.ModelCall{{Answer: "one"}, {Answer: "two"}}}},
			"two"},
		{"nothing", nil, ""},
	} {
		if got := replyOf(api.Inside{Spans: c.spans}); got != c.want {
			t.Errorf("%s: %q", c.name, got)
		}
	}
}
