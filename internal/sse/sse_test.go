package sse

import (
	"errors"
	"io"
	"strings"
	"testing"
)

func TestReader(t *testing.T) {
	for _, c := range []struct {
		text string
		want []string // name/id/data
		err  error
	}{
		{"data: a\n\ndata: b\n\n", []string{"//a", "//b"}, io.EOF},
		{"id: 7\nevent: text\ndata: {\"x\":1}\n\n", []string{`text/7/{"x":1}`}, io.EOF},
		{"data:a\r\ndata: b\r\n\r\n", []string{"//a\nb"}, io.EOF},
		{"data:a\rdata: b\r\rdata: c\r\r", []string{"//a\nb", "//c"}, io.EOF},
		{"data: a\r\n\rdata: b\n\r\n", []string{"//a", "//b"}, io.EOF},
		{": comment\n\nevent: lonely\n\ndata: x\n\n", []string{"//x"}, io.EOF},
		{"data\n\n", []string{"//"}, io.EOF},
		{"data: cut off", nil, io.ErrUnexpectedEOF},
		{"data: whole line\n", nil, io.EOF},
		{"data: " + strings.Repeat("x", 10_000) + "\n\n", []string{"//" + strings.Repeat("x", 10_000)}, io.EOF},
		{"data: " + strings.Repeat("x", 2*LongestLine), nil, ErrLongLine},
	} {
		r := NewReader(strings.NewReader(c.text))
		for i := 0; ; i++ {
			e, err := r.Next()
			if err != nil {
				if !errors.Is(err, c.err) || i != len(c.want) {
					t.Errorf("%.30q: ended after %d events with %v, want %d and %v", c.text, i, err, len(c.want), c.err)
				}
				break
			}
			if got := string(e.Name) + "/" + string(e.ID) + "/" + string(e.Data); i >= len(c.want) || got != c.want[i] {
				t.Errorf("%.30q: event %d is %.40q", c.text, i, got)
				break
			}
		}
	}
}

func TestReadingATokenAllocatesNothing(t *testing.T) {
	stream := strings.Repeat("data: {\"choices\":[{\"delta\":{\"content\":\" bee\"}}]}\n\n", 5000)
	r := NewReader(strings.NewReader(stream))
	if _, err := r.Next(); err != nil {
		t.Fatal(err)
	}
	if n := testing.AllocsPerRun(1000, func() {
		if _, err := r.Next(); err != nil {
			t.Fatal(err)
		}
	}); n > 0 {
		t.Errorf("%v allocations per event", n)
	}
}

func FuzzRoundTrip(f *testing.F) {
	f.Add("text", "1-20", `{"text":"a"}`)
	f.Fuzz(func(t *testing.T, name, id, data string) {
		if strings.ContainsAny(name+id+data, "\r\n") || strings.HasPrefix(name, " ") || strings.HasPrefix(id, " ") {
			return
		}
		stream := AppendComment(nil, "hello")
		stream = Append(stream, name, id, []byte(data))
		e, err := NewReader(strings.NewReader(string(stream))).Next()
		if err != nil || string(e.Name) != name || string(e.ID) != id || string(e.Data) != data {
			t.Errorf("wrote %q %q %q, read %q %q %q, %v", name, id, data, e.Name, e.ID, e.Data, err)
		}
	})
}

func FuzzReader(f *testing.F) {
	f.Add("id\ndata:x\n\n\n:\ndata")
	f.Fuzz(func(t *testing.T, text string) {
		r := NewReader(strings.NewReader(text))
		for range len(text) + 1 {
			if _, err := r.Next(); err != nil {
				return
			}
		}
		t.Errorf("more events than bytes in %q", text)
	})
}
