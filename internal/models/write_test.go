package models

import (
	"strings"
	"testing"
)

// What a probe finds is added to the file, which stays as it is beside that; where it
// cannot be, the file is left alone.
func TestWriteManners(t *testing.T) {
	const block = "# ours\nconnections:\n  - name: hall\n    address: http://h/v1 # down the hall\n    models:\n" +
		"      - name: oak\n        context: 8192\n      - context: 4096\n        name: \"elm, tall\"\n"
	const flow = "connections: [{name: hall, address: 'http://h/v1', models: [{name: oak, context: 8192}, " +
		"{context: 4096, name: \"elm, tall\"}]}]\n"
	m := Manners{LeaveOut: []string{"stream_options"}, Brief: "user"}
	for name, src := range map[string]string{"block": block, "flow": flow,
		"windows": strings.ReplaceAll(block, "\n", "\r\n")} {
		for _, model := range []string{"oak", "elm, tall"} {
			text, err := WriteManners([]byte(src), "hall", model, m, spoken)
			if err != nil {
				t.Errorf("%s, %s: %v", name, model, err)
				continue
			}
			f, err := Read("c", text, spoken)
			if err != nil {
				t.Fatal(err)
			}
			for _, o := range f.Connections[0].Models {
				if wanted := o.Name == model; wanted != (o.Manners != nil) || wanted && o.Manners.Brief != "user" {
					t.Errorf("%s, %s: %+v", name, model, o)
				}
			}
			if name == "block" && !strings.Contains(string(text), "# down the hall") {
				t.Errorf("the file has lost its remarks:\n%s", text)
			}
			if _, err := WriteManners(text, "hall", model, m, spoken); err == nil {
				t.Errorf("%s, %s: written twice", name, model)
			}
		}
		if _, err := WriteManners([]byte(src), "hall", "ash", m, spoken); err == nil {
			t.Error("written for a model that is not there")
		}
	}
	// One that is written in a way we cannot add to is refused, not broken.
	const odd = "connections:\n  - name: hall\n    address: http://h/v1\n    models: [{name:\n      oak, context: " +
		"8192}]\n"
	if text, err := WriteManners([]byte(odd), "hall", "oak", m, spoken); err == nil {
		if f, err := Read("c", text, spoken); err != nil || f.Connections[0].Models[0].Manners == nil {
			t.Errorf("an odd file became %q, %v", text, err)
		}
	}
}

func TestWhatThingsCost(t *testing.T) {
	p := Price{In: 2, Out: 10, Cached: 0.5}
	if cost := p.Of(1_000_000, 400_000, 100_000); cost != 1.2+0.2+1 {
		t.Errorf("%v", cost)
	}
	p.Cached = 0
	if cost := p.Of(1_000_000, 400_000, 0); cost != 2 {
		t.Errorf("without a price for what is cached: %v", cost)
	}
}
