package confined

import (
	"bytes"
	"testing"
)

// Whatever a confined process says: it is what it sent, or an error, and never more
// than may come.
func FuzzReceive(f *testing.F) {
	f.Add([]byte("a\x00\x00\x00\x02ok"))
	f.Add([]byte("a\xff\xff\xff\xff"))
	f.Fuzz(func(t *testing.T, said []byte) {
		const most = 1 << 16
		kind, payload, err := receive(bytes.NewReader(said), most)
		if err != nil {
			return
		}
		var again bytes.Buffer
		if len(payload) > most || send(&again, kind, payload) != nil || !bytes.HasPrefix(said, again.Bytes()) {
			t.Errorf("%q is %c %q", said, kind, payload)
		}
	})
}
