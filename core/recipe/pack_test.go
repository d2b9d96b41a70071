package recipe

import (
	"bytes"
	"reflect"
	"strings"
	"testing"
)

func TestPackLeavesOutWhatIsKeptElsewhere(t *testing.T) {
	reply := "The smoker is lit with dry hessian, " + strings.Repeat("and a little patience, ", 20)
	spans := []Span{
		{Step: "write", In: Values{"prompt": "How?"}, Out: Values{"text": reply},
			Calls: []ModelCall{{Model: "a/b", Answer: reply}}},
		{Step: "check", In: Values{"text": reply},
			Out: Values{"text": "\x01-", "other": strings.Repeat("not the reply ", 10)}},
	}
	packed, err := Pack(spans, Values{"question": "How?"}, reply)
	if err != nil {
		t.Fatal(err)
	}
	if bytes.Contains(packed, []byte("patience")) {
		t.Errorf("the reply is repeated: %s", packed)
	}
	got, inputs, err := Unpack(packed, reply)
	if err != nil {
		t.Fatal(err)
	}
	if !reflect.DeepEqual(got, spans) {
		t.Errorf("got %+v", got)
	}
	if inputs["question"] != "How?" {
		t.Errorf("takes: %v", inputs)
	}
}

// Traces that were packed when inputs had another name keep them.
func TestOldTracesKeepTheirInputs(t *testing.T) {
	_, inputs, err := Unpack([]byte(`{"texts": [], "spans": [], "takes": {"question": "How?"}}`), "")
	if err != nil || inputs["question"] != "How?" {
		t.Errorf("%v %v", inputs, err)
	}
}
