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
		{Hears{Seconds: 60, Lead: 10}, 50}, // what leads up to it goes along
		{Hears{Seconds: 10, Lead: 60}, 5},
	} {
		if got := c.hears.Piece(); got < c.want-1 || got > c.want+1 {
			t.Errorf("%+v: %.1f s instead of %.1f", c.hears, got, c.want)
		}
	}
	if no := false; (Hears{}).Guided() != true || (Hears{Prompts: &no}).Guided() || !(Hears{}).Knows("de") ||
		(Hears{Languages: []string{"en"}}).Knows("de") || (Hears{}).Pieces() != 3 || (Speaks{}).Most() != 1000 {
		t.Error("what is left out is not as usual")
	}
	for seconds, want := range map[float64]float64{50: 50, 51: 61, 500: 590} {
		m := Model{Price: Price{Minute: 60}, Hears: Hears{Seconds: 60, Lead: 10}}
		if got := m.Hearing(seconds); got < want-0.01 || got > want+0.01 {
			t.Errorf("%v s are paid as %v instead of %v", seconds, got, want)
		}
	}
	if h := (Hears{Seconds: 60, Lead: 10}); h.LeadTo(0) != 0 || h.LeadTo(4) != 4 || h.LeadTo(50) != 10 {
		t.Error("what leads up to a piece is not of the recording")
	}
}
