package console_test

import (
	"fmt"
	"math"
	"os"
	"regexp"
	"strconv"
	"testing"
)

var colourToken = regexp.MustCompile(`(?m)^  --([a-z-]+): light-dark\((#[0-9a-f]{6}), (#[0-9a-f]{6})\);$`)

// luminance is the relative luminance of a colour, 0 to 1, as WCAG 2.2 has it.
func luminance(t *testing.T, colour string) float64 {
	t.Helper()
	part := func(from int) float64 {
		n, err := strconv.ParseUint(colour[from:from+2], 16, 8)
		if err != nil {
			t.Fatal(err)
		}
		c := float64(n) / 255
		if c <= 0.04045 {
			return c / 12.92
		}
		return math.Pow((c+0.055)/1.055, 2.4)
	}
	return 0.2126*part(1) + 0.7152*part(3) + 0.0722*part(5)
}

// contrast is the contrast ratio of two colours, 1 to 21.
func contrast(t *testing.T, a, b string) float64 {
	t.Helper()
	x, y := luminance(t, a), luminance(t, b)
	return (math.Max(x, y) + 0.05) / (math.Min(x, y) + 0.05)
}

func TestContrast(t *testing.T) {
	if got := contrast(t, "#000000", "#ffffff"); math.Abs(got-21) > 1e-9 {
		t.Fatalf("black on white has %v", got)
	}
	if got := contrast(t, "#777777", "#ffffff"); math.Abs(got-4.48) > 0.005 {
		t.Fatalf("grey on white has %v", got)
	}
	css, err := os.ReadFile("src/app.css")
	if err != nil {
		t.Fatal(err)
	}
	colours := map[string][2]string{}
	for _, m := range colourToken.FindAllStringSubmatch(string(css), -1) {
		colours[m[1]] = [2]string{m[2], m[3]}
	}
	if len(colours) != 11 {
		t.Fatalf("%d colours with a light and a dark are found", len(colours))
	}
	// What is read needs 4.5 to 1, what is only seen (edges of fields, the ring
	// around what has the focus, bars, the marker behind words) 3 to 1.
	for ground, all := range map[string]map[string]float64{
		"paper":  {"ink": 7, "faded": 4.5, "accent": 4.5, "wrong": 4.5, "field": 3, "margin": 3},
		"leaf":   {"ink": 7, "faded": 4.5, "accent": 4.5, "wrong": 4.5, "field": 3},
		"accent": {"on-accent": 4.5},
		"marker": {"ink": 4.5, "accent": 4.5},
	} {
		for over, least := range all {
			for theme, name := range []string{"light", "dark"} {
				if got := contrast(t, colours[over][theme], colours[ground][theme]); got < least {
					t.Errorf("%s on %s, %s: %s, at least %v is needed", over, ground, name,
						fmt.Sprintf("%.2f", got), least)
				}
			}
		}
	}
}
