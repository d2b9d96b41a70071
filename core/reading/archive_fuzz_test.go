package reading

import (
	"errors"
	"testing"
)

// Whatever a ZIP holds: what comes out of it stays within the limits, and what does
// not is said.
func FuzzUnpack(f *testing.F) {
	f.Add("x.zip", zipped(map[string]string{"a.md": "# a", "b/c.txt": "c", "../d.txt": "d"}))
	f.Add("x.zip", []byte("PK\x03\x04"))
	l := Limits{Bytes: 1 << 20, Expanded: 1 << 20, Files: 20, Pages: 50, Blocks: 5000, Depth: 100}
	f.Fuzz(func(t *testing.T, name string, body []byte) {
		room, files := l.Expanded, 0
		err := Unpack(name, body, l, func(e Entry) error {
			room -= len(e.Body)
			files++
			return nil
		}, func(p *Problem) {
			if p.What.IsZero() {
				t.Error("a problem says nothing")
			}
		})
		var p *Problem
		if err != nil && !errors.As(err, &p) {
			t.Errorf("%v is no sentence about the file", err)
		}
		if room < 0 || files > l.Files {
			t.Errorf("%d files, %d bytes too many", files, -room)
		}
	})
}
