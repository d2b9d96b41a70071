package retrieval

import "testing"

func TestCalibration(t *testing.T) {
	all := Calibration()
	if len(all) < 10 {
		t.Fatalf("%d thresholds", len(all))
	}
	for i, c := range all {
		if c.Refused < 0 || c.Refused > 1 || c.LetThrough < 0 || c.LetThrough > 1 {
			t.Errorf("%+v", c)
		}
		if i > 0 && (c.Least <= all[i-1].Least || c.Refused < all[i-1].Refused || c.LetThrough > all[i-1].LetThrough) {
			t.Errorf("a higher threshold refuses more and lets through less: %+v, %+v", all[i-1], c)
		}
	}
}
