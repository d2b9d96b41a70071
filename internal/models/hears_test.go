package models

import "testing"

func TestPiecesAreWhatTheServerTakes(t *testing.T) {
	for _, c := range []struct {
		hears Hears
		want  float64
	}{
		{Hears{}, 300},
		{Hears{Seconds: 30}, 30},
		{Hears{Seconds: 7200}, 780},                           // 25 MB of WAV
		{Hears{Seconds: 7200, Kind: "mp3"}, 2776},             // of MP3 at 64 kbit/s, on the safe side
		{Hears{Seconds: 7200, Rate: 48000, Channels: 2}, 130}, // of a large WAV
		{Hears{Bytes: 1_000_000}, 30.9},
	} {
		if got := c.hears.Piece(); got < c.want-1 || got > c.want+1 {
			t.Errorf("%+v: %.1f s instead of %.1f", c.hears, got, c.want)
		}
	}
	if no := false; (Hears{}).Guided() != true || (Hears{Prompts: &no}).Guided() || !(Hears{}).Knows("de") ||
		(Hears{Languages: []string{"en"}}).Knows("de") || (Hears{}).Pieces() != 3 || (Speaks{}).Most() != 1000 {
		t.Error("what is left out is not as usual")
	}
}
