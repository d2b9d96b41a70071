package modelserver

import (
	"bytes"
	"encoding/base64"
	"fmt"
	"image"
	"image/color"
	_ "image/jpeg" // read by package image
	_ "image/png"
	"math"
	"regexp"
	"slices"
	"strings"
)

// What a simulated model can truly say of a picture: its size, its colours, how bright
// it is, which shapes stand out, and words that it is told are there.

// opened reads a picture that was sent along.
func opened(url string) (image.Image, error) {
	head, data, ok := strings.Cut(url, ",")
	if !ok || !strings.HasPrefix(head, "data:image/") || !strings.HasSuffix(head, ";base64") {
		return nil, fmt.Errorf("it is no data URL of a picture")
	}
	body, err := base64.StdEncoding.DecodeString(data)
	if err != nil {
		return nil, err
	}
	dots, _, err := image.Decode(bytes.NewReader(body))
	return dots, err
}

// tokensOf is what a picture takes of the context.
func tokensOf(url string) int {
	dots, err := opened(url)
	if err != nil {
		return 85
	}
	return 85 + int(math.Ceil(float64(dots.Bounds().Dx()*dots.Bounds().Dy())/750))
}

var (
	asksSize   = regexp.MustCompile(`(?i)\b(how (large|big|wide|high|tall)|what size|size of|dimensions)\b`)
	asksColour = regexp.MustCompile(`(?i)\b(colou?rs?|bright|dark)\b`)
	asksShapes = regexp.MustCompile(`(?i)\b(shapes?|how many|count|circles?|squares?|round|spots?)\b`)
	toldWords  = regexp.MustCompile(`(?is)(?:text|words) (?:in|on) (?:the|this) picture:?\s*"?([^"\n]{2,200})`)
)

// look answers a question about pictures.
func look(m model, c conversation) string {
	var all []string
	for i, url := range c.pictures {
		said := ""
		dots, err := opened(url)
		if err != nil {
			said = "I could not open it: " + err.Error() + "."
		} else {
			said = described(m, observe(dots), c.question)
		}
		if len(c.pictures) > 1 {
			said = fmt.Sprintf("**Picture %d.** %s", i+1, said)
		}
		all = append(all, said)
	}
	if told := toldWords.FindStringSubmatch(c.question); told != nil {
		all = append(all, fmt.Sprintf("You tell me that it says “%s”.", strings.TrimSpace(told[1])))
	}
	if !m.terse {
		all = append(all, "I am a simulated model: I count dots and know nothing of what they mean.")
	}
	return strings.Join(all, "\n\n")
}

// seen is what was observed.
type seen struct {
	width, height int
	light         float64 // 0 to 1
	colours       []shareOf
	shapes        []shape
}

type shareOf struct {
	name  string
	share float64
}

type shape struct {
	colour string
	round  bool
	size   float64 // of the picture
}

func described(m model, s seen, question string) string {
	format := "upright"
	switch {
	case s.width > s.height:
		format = "lying"
	case s.width == s.height:
		format = "square"
	}
	size := fmt.Sprintf("It is %d by %d dots, %s.", s.width, s.height, format)
	var names []string
	for _, c := range s.colours[:min(3, len(s.colours))] {
		names = append(names, fmt.Sprintf("%s (%.0f %%)", c.name, 100*c.share))
	}
	brightness := "neither bright nor dark"
	switch {
	case s.light > 0.7:
		brightness = "bright"
	case s.light < 0.3:
		brightness = "dark"
	}
	colours := fmt.Sprintf("Its colours are %s; on the whole it is %s.", strings.Join(names, ", "), brightness)
	shapes := "No shape stands out."
	if len(s.shapes) > 0 {
		counts, order := map[string]int{}, []string{}
		for _, one := range s.shapes {
			kind := one.colour + " angular"
			if one.round {
				kind = one.colour + " round"
			}
			if counts[kind]++; counts[kind] == 1 {
				order = append(order, kind)
			}
		}
		var parts []string
		for _, kind := range order {
			shape := " shape"
			if counts[kind] > 1 {
				shape = " shapes"
			}
			parts = append(parts, fmt.Sprintf("%d %s%s", counts[kind], kind, shape))
		}
		shapes = "What stands out: " + strings.Join(parts, ", ") + "."
	}
	if m.terse {
		return size + " " + colours
	}
	switch {
	case asksSize.MatchString(question):
		return size
	case asksColour.MatchString(question):
		return colours
	case asksShapes.MatchString(question):
		return shapes
	}
	return size + " " + colours + " " + shapes
}

// grid is how finely a picture is looked at.
const grid = 160

// observe looks at a picture, not finer than the grid.
func observe(dots image.Image) seen {
	b := dots.Bounds()
	s := seen{width: b.Dx(), height: b.Dy()}
	step := max(1, (max(b.Dx(), b.Dy())+grid-1)/grid)
	columns, rows := (b.Dx()+step-1)/step, (b.Dy()+step-1)/step
	names := make([]string, columns*rows)
	counts := map[string]int{}
	light := 0.0
	for y := range rows {
		for x := range columns {
			r, g, bl, _ := dots.At(b.Min.X+min(x*step+step/2, b.Dx()-1), b.Min.Y+min(y*step+step/2, b.Dy()-1)).RGBA()
			light += (0.3*float64(r) + 0.59*float64(g) + 0.11*float64(bl)) / 65535
			name := nameOf(color.RGBA{uint8(r >> 8), uint8(g >> 8), uint8(bl >> 8), 255})
			names[y*columns+x] = name
			counts[name]++
		}
	}
	s.light = light / float64(columns*rows)
	for name, n := range counts {
		s.colours = append(s.colours, shareOf{name, float64(n) / float64(columns*rows)})
	}
	slices.SortFunc(s.colours, func(a, b shareOf) int {
		if a.share != b.share {
			return int(math.Copysign(1, b.share-a.share))
		}
		return strings.Compare(a.name, b.name)
	})
	s.shapes = shapesOf(names, columns, rows, s.colours[0].name)
	return s
}

// named are colours as people call them.
var named = []struct {
	name    string
	r, g, b float64
}{
	{"white", 250, 250, 250}, {"grey", 128, 128, 128}, {"black", 15, 15, 15}, {"red", 200, 40, 40},
	{"orange", 235, 140, 40}, {"yellow", 240, 210, 60}, {"green", 70, 140, 70}, {"blue", 60, 90, 190},
	{"purple", 130, 70, 150}, {"pink", 235, 170, 190}, {"brown", 120, 75, 40}, {"beige", 225, 205, 170},
}

func nameOf(c color.RGBA) string {
	best, least := "", math.Inf(1)
	for _, n := range named {
		d := sq(n.r-float64(c.R)) + sq(n.g-float64(c.G)) + sq(n.b-float64(c.B))
		if d < least {
			best, least = n.name, d
		}
	}
	return best
}

func sq(x float64) float64 { return x * x }

// shapesOf finds patches of one colour on the ground: round ones fill about as much of
// their box as a circle does.
func shapesOf(names []string, columns, rows int, ground string) (found []shape) {
	visited := make([]bool, len(names))
	for start := range names {
		if visited[start] || names[start] == ground {
			continue
		}
		left, right, top, bottom, size := columns, 0, rows, 0, 0
		stack := []int{start}
		visited[start] = true
		for len(stack) > 0 {
			at := stack[len(stack)-1]
			stack = stack[:len(stack)-1]
			x, y := at%columns, at/columns
			left, right, top, bottom, size = min(left, x), max(right, x), min(top, y), max(bottom, y), size+1
			for _, d := range [][2]int{{1, 0}, {-1, 0}, {0, 1}, {0, -1}} {
				nx, ny := x+d[0], y+d[1]
				if nx < 0 || ny < 0 || nx >= columns || ny >= rows {
					continue
				}
				if next := ny*columns + nx; !visited[next] && names[next] == names[start] {
					visited[next] = true
					stack = append(stack, next)
				}
			}
		}
		width, height := right-left+1, bottom-top+1
		if size < 24 || width < 4 || height < 4 || len(found) == 60 {
			continue
		}
		fills := float64(size) / float64(width*height)
		ratio := float64(width) / float64(height)
		found = append(found, shape{colour: names[start], round: fills > 0.68 && fills < 0.88 && ratio > 0.75 &&
			ratio < 1.34,
			size: float64(size) / float64(len(names))})
	}
	slices.SortFunc(found, func(a, b shape) int { return int(math.Copysign(1, b.size-a.size)) })
	return found
}
