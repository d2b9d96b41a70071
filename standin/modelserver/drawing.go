package modelserver

import (
	"bytes"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"hash/fnv"
	"image"
	"image/color"
	"image/draw"
	"image/png"
	"io"
	"math"
	"math/rand/v2"
	"net/http"
	"strconv"
	"strings"
	"time"

	xdraw "golang.org/x/image/draw"
	"golang.org/x/image/font"
	"golang.org/x/image/font/gofont/gobold"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/math/fixed"
)

// Pictures from words, drawn by code: the colours that the words name, cells of comb
// scattered by the seed, and the first words as a title. Every picture says in its
// corner that it is simulated.

// wish is what is asked for.
type wish struct {
	Model    string
	Words    string
	N        int
	W, H     int
	Seed     uint64
	URL      bool // a link is wanted
	Stream   bool
	Previews int
	of, mask image.Image
}

const (
	usualPictureSide = 768
	mostPictures     = 10
	mostSide         = 2048
)

// ask reads a wish from JSON or from a form.
func (s *Server) wished(w http.ResponseWriter, r *http.Request) (wish, bool) {
	bad := func(message string) (wish, bool) {
		refuse(w, http.StatusBadRequest, "invalid_request", message)
		return wish{}, false
	}
	fields := map[string]any{}
	got := wish{N: 1, W: usualPictureSide, H: usualPictureSide, Seed: rand.Uint64()}
	if strings.HasPrefix(r.Header.Get("Content-Type"), "multipart/form-data") {
		if err := r.ParseMultipartForm(64 << 20); err != nil {
			return bad("The form cannot be read: " + err.Error())
		}
		for name, values := range r.MultipartForm.Value {
			fields[name] = values[0]
		}
		for name, into := range map[string]*image.Image{"image": &got.of, "mask": &got.mask} {
			file, _, err := r.FormFile(name)
			if err != nil {
				continue
			}
			dots, _, err := image.Decode(file)
			file.Close()
			if err != nil {
				return bad("The " + name + " cannot be read: " + err.Error())
			}
			*into = dots
		}
	} else if err := json.NewDecoder(io.LimitReader(r.Body, 1<<20)).Decode(&fields); err != nil {
		return bad("The request is not JSON: " + err.Error())
	}
	number := func(name string, into *int) {
		if n, err := strconv.Atoi(strings.TrimSuffix(fmt.Sprint(fields[name]), ".0")); err == nil {
			*into = n
		}
	}
	text := func(name string) string { t, _ := fields[name].(string); return t }
	got.Model, got.Words, got.URL = text("model"), text("prompt"), text("response_format") == "url"
	got.Stream = fmt.Sprint(fields["stream"]) == "true"
	number("n", &got.N)
	number("partial_images", &got.Previews)
	if seed := -1; fields["seed"] != nil {
		if number("seed", &seed); seed >= 0 {
			got.Seed = uint64(seed)
		}
	}
	if size := text("size"); size != "" {
		if _, err := fmt.Sscanf(size, "%dx%d", &got.W, &got.H); err != nil || got.W < 64 || got.H < 64 ||
			got.W > mostSide || got.H > mostSide {
			return bad(fmt.Sprintf("The size %q is not known; 64x64 to %dx%d.", size, mostSide, mostSide))
		}
	}
	if got.N < 1 || got.N > mostPictures {
		return bad(fmt.Sprintf("n is from 1 to %d.", mostPictures))
	}
	return got, true
}

// generate answers with pictures from words, edit with a picture that is changed, vary
// with variations of one.
func (s *Server) generate(w http.ResponseWriter, r *http.Request) {
	s.pictures(w, r, func(q wish) string {
		if strings.TrimSpace(q.Words) == "" {
			return "The prompt is empty."
		}
		return ""
	})
}

func (s *Server) edit(w http.ResponseWriter, r *http.Request) {
	s.pictures(w, r, func(q wish) string {
		switch {
		case q.of == nil:
			return "There is no image."
		case strings.TrimSpace(q.Words) == "":
			return "The prompt is empty."
		case q.mask != nil && q.mask.Bounds().Size() != q.of.Bounds().Size():
			return "The mask is not of the image's size."
		}
		return ""
	})
}

func (s *Server) vary(w http.ResponseWriter, r *http.Request) {
	s.pictures(w, r, func(q wish) string {
		if b := image.Pt(1, 0); q.of != nil {
			b = q.of.Bounds().Size()
			if b.X != b.Y {
				return fmt.Sprintf("The image has to be square; it is %dx%d.", b.X, b.Y)
			}
			return ""
		}
		return "There is no image."
	})
}

func (s *Server) pictures(w http.ResponseWriter, r *http.Request, wrong func(wish) string) {
	q, ok := s.wished(w, r)
	if !ok {
		return
	}
	c := s.take(r, q.Model)
	if c.refused(w, r) {
		return
	}
	m, found := find(q.Model)
	if !found || !m.draws {
		refuse(w, http.StatusNotFound, "model_not_found", fmt.Sprintf("The model %q makes no pictures.", q.Model))
		return
	}
	if said := wrong(q); said != "" {
		refuse(w, http.StatusBadRequest, "invalid_request", said)
		return
	}
	if strings.Contains(q.Words, "forbidden") {
		refuse(w, http.StatusBadRequest, "content_policy_violation", "Simulated: the policy does not allow this.")
		return
	}
	if q.Stream {
		s.streamed(w, r, q, c.first(m))
		return
	}
	var data []map[string]any
	for i := range q.N {
		if !pause(r, c.first(m)) {
			return
		}
		body := encoded(q.drawn(i))
		one := map[string]any{"revised_prompt": q.Words}
		if q.URL {
			one["url"] = fmt.Sprintf("/v1/images/kept/%s.png", s.keep(body))
		} else {
			one["b64_json"] = base64.StdEncoding.EncodeToString(body)
		}
		data = append(data, one)
	}
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(map[string]any{"created": time.Now().Unix(), "data": data})
}

// streamed sends previews that become sharper, and then the picture.
func (s *Server) streamed(w http.ResponseWriter, r *http.Request, q wish, first time.Duration) {
	w.Header().Set("Content-Type", "text/event-stream")
	out := http.NewResponseController(w)
	send := func(kind string, body []byte) bool {
		text, _ := json.Marshal(map[string]any{"type": kind, "b64_json": base64.StdEncoding.EncodeToString(body)})
		_, err := fmt.Fprintf(w, "event: %s\ndata: %s\n\n", kind, text)
		return err == nil && out.Flush() == nil
	}
	for i := range q.N {
		dots := q.drawn(i)
		for p := range q.Previews {
			if !pause(r, first/time.Duration(q.Previews+1)) || !send("image_generation.partial_image",
				encoded(coarse(dots, 8<<(2*p)))) {
				return
			}
		}
		if !pause(r, first/time.Duration(q.Previews+1)) || !send("image_generation.completed", encoded(dots)) {
			return
		}
	}
}

// coarse is a picture of few dots, as large as before.
func coarse(dots image.Image, side int) image.Image {
	b := dots.Bounds()
	small := image.NewNRGBA(image.Rect(0, 0, side, max(1, side*b.Dy()/b.Dx())))
	xdraw.ApproxBiLinear.Scale(small, small.Bounds(), dots, b, draw.Src, nil)
	large := image.NewNRGBA(image.Rect(0, 0, b.Dx()/2, b.Dy()/2))
	xdraw.ApproxBiLinear.Scale(large, large.Bounds(), small, small.Bounds(), draw.Src, nil)
	return large
}

func encoded(dots image.Image) []byte {
	var b bytes.Buffer
	_ = (&png.Encoder{CompressionLevel: png.BestSpeed}).Encode(&b, dots) // to memory
	return b.Bytes()
}

// keep keeps a picture that is fetched by a link.
func (s *Server) keep(body []byte) string {
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.kept == nil || len(s.kept) > 50 {
		s.kept = map[string][]byte{}
	}
	s.requests++
	name := strconv.Itoa(s.requests)
	s.kept[name] = body
	return name
}

func (s *Server) fetch(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	body := s.kept[strings.TrimSuffix(r.PathValue("name"), ".png")]
	s.mu.Unlock()
	if body == nil {
		http.NotFound(w, r)
		return
	}
	w.Header().Set("Content-Type", "image/png")
	_, _ = w.Write(body)
}

// drawn is one of the pictures.
func (q wish) drawn(i int) image.Image {
	seed := q.Seed + uint64(i)
	switch {
	case q.of == nil:
		return fromWords(q.Words, q.W, q.H, seed)
	case q.Words == "":
		return corner(varied(q.of, seed))
	}
	b := q.of.Bounds()
	fresh := fromWords(q.Words, b.Dx(), b.Dy(), seed)
	if q.mask == nil { // half of it shines through
		out := image.NewNRGBA(fresh.Bounds())
		draw.Draw(out, out.Bounds(), q.of, b.Min, draw.Src)
		draw.DrawMask(out, out.Bounds(), fresh, image.Point{}, image.NewUniform(color.Alpha{150}), image.Point{},
			draw.Over)
		return corner(out)
	}
	out := image.NewNRGBA(fresh.Bounds())
	draw.Draw(out, out.Bounds(), q.of, b.Min, draw.Src)
	for y := range b.Dy() {
		for x := range b.Dx() {
			if _, _, _, a := q.mask.At(q.mask.Bounds().Min.X+x, q.mask.Bounds().Min.Y+y).RGBA(); a < 0x8000 {
				out.Set(x, y, fresh.At(x, y))
			}
		}
	}
	return corner(out)
}

// varied is a picture in other colours, and mirrored every other time.
func varied(of image.Image, seed uint64) *image.NRGBA {
	b := of.Bounds()
	chance := rand.New(rand.NewPCG(seed, 5))
	turn := chance.IntN(3)
	by := 0.75 + 0.5*chance.Float64()
	mirror := seed%2 == 1
	out := image.NewNRGBA(image.Rect(0, 0, b.Dx(), b.Dy()))
	for y := range b.Dy() {
		for x := range b.Dx() {
			from := x
			if mirror {
				from = b.Dx() - 1 - x
			}
			c := color.NRGBAModel.Convert(of.At(b.Min.X+from, b.Min.Y+y)).(color.NRGBA)
			all := [3]uint8{c.R, c.G, c.B}
			f := func(i int) uint8 { return uint8(min(255, by*float64(all[(i+turn)%3]))) }
			out.SetNRGBA(x, y, color.NRGBA{f(0), f(1), f(2), c.A})
		}
	}
	return out
}

// fromWords draws what words say, as far as code can.
func fromWords(words string, width, height int, seed uint64) *image.NRGBA {
	h := fnv.New64a()
	_, _ = h.Write([]byte(words))
	chance := rand.New(rand.NewPCG(h.Sum64(), seed))
	var colours []color.NRGBA
	for _, n := range named {
		if strings.Contains(strings.ToLower(words), n.name) {
			colours = append(colours, color.NRGBA{uint8(n.r), uint8(n.g), uint8(n.b), 255})
		}
	}
	for len(colours) < 3 {
		n := named[3+chance.IntN(len(named)-3)]
		colours = append(colours, color.NRGBA{uint8(n.r), uint8(n.g), uint8(n.b), 255})
	}
	paper := mix(colours[0], color.NRGBA{255, 255, 255, 255}, 0.72)
	dots := image.NewNRGBA(image.Rect(0, 0, width, height))
	draw.Draw(dots, dots.Bounds(), image.NewUniform(paper), image.Point{}, draw.Src)
	side := float64(min(width, height))
	for range 26 + chance.IntN(20) {
		c := mix(colours[chance.IntN(len(colours))], paper, 0.25*chance.Float64())
		hexagon(dots, chance.Float64()*float64(width), chance.Float64()*float64(height),
			side*(0.03+0.07*chance.Float64()), c)
	}
	band := image.Rect(0, height*3/8, width, height*5/8)
	draw.Draw(dots, band, image.NewUniform(mix(paper, color.NRGBA{255, 255, 255, 255}, 0.6)), image.Point{}, draw.Src)
	title := strings.Fields(words)
	ink := mix(colours[0], color.NRGBA{10, 10, 10, 255}, 0.75)
	written(dots, strings.Join(title[:min(4, len(title))], " "), side/11, width/2, height/2+int(side/30), ink)
	return corner(dots)
}

func mix(a, b color.NRGBA, share float64) color.NRGBA {
	f := func(x, y uint8) uint8 { return uint8(float64(x)*(1-share) + float64(y)*share) }
	return color.NRGBA{f(a.R, b.R), f(a.G, b.G), f(a.B, b.B), 255}
}

// hexagon draws a cell of comb.
func hexagon(dots *image.NRGBA, x, y, radius float64, c color.NRGBA) {
	for py := int(y - radius); py <= int(y+radius); py++ {
		for px := int(x - radius); px <= int(x+radius); px++ {
			dx, dy := math.Abs(float64(px)-x), math.Abs(float64(py)-y)
			if dy <= radius*0.866 && dx+dy/1.732 <= radius {
				dots.SetNRGBA(px, py, c)
			}
		}
	}
}

var printed = func() *opentype.Font {
	f, err := opentype.Parse(gobold.TTF)
	if err != nil {
		panic(err) // it is part of the program
	}
	return f
}()

// written writes a line around x, smaller where it would be too wide.
func written(dots *image.NRGBA, text string, size float64, x, y int, ink color.Color) {
	for {
		face, err := opentype.NewFace(printed, &opentype.FaceOptions{Size: size, DPI: 72})
		if err != nil {
			return
		}
		d := font.Drawer{Dst: dots, Src: image.NewUniform(ink), Face: face}
		wide := d.MeasureString(text).Ceil()
		if wide > dots.Bounds().Dx()*9/10 && size > 8 {
			size *= 0.85
			continue
		}
		d.Dot = fixed.P(x-wide/2, y)
		d.DrawString(text)
		return
	}
}

// corner says that the picture is simulated.
func corner(dots *image.NRGBA) *image.NRGBA {
	b := dots.Bounds()
	size := max(9, float64(b.Dx())/48)
	box := image.Rect(b.Max.X-int(size*7), b.Max.Y-int(size*1.7), b.Max.X, b.Max.Y)
	draw.Draw(dots, box, image.NewUniform(color.NRGBA{20, 20, 20, 255}), image.Point{}, draw.Src)
	written(dots, "simulated", size, box.Min.X+box.Dx()/2, box.Max.Y-int(size*0.5), color.NRGBA{250, 250, 250, 255})
	return dots
}

// The slow host: a wish becomes a job, which is asked for until it is done.

// slowJob is a job on its way.
type slowJob struct {
	wish  wish
	began time.Time
	takes time.Duration
}

// slowTakes is how long a picture takes at the slow host.
const slowTakes = 9 * time.Second

func (s *Server) newJob(w http.ResponseWriter, r *http.Request) {
	q, ok := s.wished(w, r)
	if !ok {
		return
	}
	if strings.TrimSpace(q.Words) == "" {
		refuse(w, http.StatusBadRequest, "invalid_request", "The prompt is empty.")
		return
	}
	c := s.take(r, q.Model)
	if c.refused(w, r) {
		return
	}
	takes := slowTakes
	if c.FirstMS != nil {
		takes = time.Duration(*c.FirstMS * float64(time.Millisecond))
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	if s.jobs == nil {
		s.jobs = map[string]*slowJob{}
	}
	s.requests++
	id := "job-" + strconv.Itoa(s.requests)
	s.jobs[id] = &slowJob{q, time.Now(), takes}
	writeJob(w, id, "queued", 0, nil)
}

func (s *Server) showJob(w http.ResponseWriter, r *http.Request) {
	id := r.PathValue("id")
	s.mu.Lock()
	job := s.jobs[id]
	s.mu.Unlock()
	if job == nil {
		http.NotFound(w, r)
		return
	}
	done := 1.0
	if job.takes > 0 {
		done = min(1, float64(time.Since(job.began))/float64(job.takes))
	}
	if done < 1 {
		writeJob(w, id, "drawing", done, nil)
		return
	}
	var all []string
	for i := range job.wish.N {
		all = append(all, base64.StdEncoding.EncodeToString(encoded(job.wish.drawn(i))))
	}
	writeJob(w, id, "done", 1, all)
}

func (s *Server) endJob(w http.ResponseWriter, r *http.Request) {
	s.mu.Lock()
	delete(s.jobs, r.PathValue("id"))
	s.Ended++
	s.mu.Unlock()
	w.WriteHeader(http.StatusNoContent)
}

func writeJob(w http.ResponseWriter, id, state string, done float64, pictures []string) {
	w.Header().Set("Content-Type", "application/json")
	_ = json.NewEncoder(w).Encode(map[string]any{"id": id, "state": state, "done": done, "pictures": pictures,
		"job": "/slow/pictures/" + id})
}
