package web_test

import (
	"archive/zip"
	"bytes"
	"encoding/base64"
	"encoding/binary"
	"encoding/json"
	"fmt"
	"hash/crc32"
	"image"
	"image/color"
	_ "image/png" // read by package image
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"slices"
	"strings"
	"testing"

	"juvalogos/core/picture/picturetest"
	"juvalogos/core/recipe"
	"juvalogos/internal/api"
	"juvalogos/internal/testbed"
)

// drawing is a desk that makes pictures from words, and varying one that makes them from
// pictures.
const (
	drawing = `slug: labels
title: Draw a label
purpose: Draws.
model: alder-brush
recipe: depict
recipe_settings: {side: 256}
pictures: {onward: [more]}
`
	varying = `slug: more
title: More labels
purpose: Varies.
model: alder-brush
recipe: vary
pictures: {take: true, most: 1}
`
)

func drawn(t *testing.T, who *http.Client, b *testbed.Bed, slug, words string, more ...string) (api.Turn,
	[]map[string]any) {
	t.Helper()
	turn := askIn(t, who, b.Address+"/api/at/"+slug+"/questions", "", words, more...)
	if turn.Outcome.Problem != nil || len(turn.Outcome.Parts) != 1 {
		t.Fatalf("%+v", turn)
	}
	var all []map[string]any
	for _, v := range turn.Outcome.Parts[0].Value.([]any) {
		text, _ := json.Marshal(v)
		var one map[string]any
		_ = json.Unmarshal(text, &one) // it was JSON
		all = append(all, one)
	}
	return turn, all
}

func gallery(t *testing.T, who *http.Client, b *testbed.Bed, query string) (g api.Gallery) {
	t.Helper()
	r, text := call(t, who, "GET", b.Address+"/api/at/labels/gallery"+query, "")
	if err := json.Unmarshal([]byte(text), &g); err != nil || r.StatusCode != 200 {
		t.Fatalf("%d %s", r.StatusCode, text)
	}
	return g
}

func fileOf(t *testing.T, who *http.Client, b *testbed.Bed, id string) (string, image.Image) {
	t.Helper()
	_, body := call(t, who, "GET", b.Address+"/api/pictures/"+id+"/file", "")
	dots, _, err := image.Decode(strings.NewReader(body))
	if err != nil {
		t.Fatal(err)
	}
	return body, dots
}

// Words become pictures, which are kept with how they were made, also in their files.
func TestWordsBecomePictures(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, varying)
	publish(t, b, drawing)
	alice := visitor(t)
	if _, text := call(t, alice, "GET", b.Address+"/api/at/labels", ""); !strings.Contains(text,
		`"depicts":{"from":"words","most":4,"onward":[{"slug":"more","title":"More labels"}],"price":0.04,"seeds":true}`) {
		t.Error(text)
	}
	turn, two := drawn(t, alice, b, "labels", "A blue label <&> for heather honey",
		`"inputs":{"number":"2","format":"lying","seed":"7"}`)
	if len(two) != 2 || two[0]["width"] != 256.0 || two[0]["height"] != 170.0 || turn.Reply != "" {
		t.Fatalf("%+v %q", two, turn.Reply)
	}
	body, _ := fileOf(t, alice, b, two[1]["id"].(string))
	for _, want := range []string{"A blue label &lt;&amp;&gt; for heather honey", "trainedAlgorithmicMedia", "seed 8",
		"0.04 EUR", "shed/alder-brush", "iTXtDescription", "A blue label <&> for heather honey"} {
		if !strings.Contains(body, want) {
			t.Errorf("the file does not say %q", want)
		}
	}
	g := gallery(t, alice, b, "")
	if len(g.Pictures) != 2 || g.More || *g.Pictures[0].Made.Seed != 8 || g.Pictures[0].Made.Words !=
		"A blue label <&> for heather honey" || g.Pictures[0].Turn != turn.ID || g.Pictures[0].Made.Model != "" ||
		g.Pictures[0].Alt == "" {
		t.Errorf("%+v", g)
	}
	// The same seed makes the same picture, another another.
	_, same := drawn(t, alice, b, "labels", "A blue label <&> for heather honey", `"inputs":{"format":"lying","seed":"7"}`)
	_, first := fileOf(t, alice, b, two[0]["id"].(string))
	_, again := fileOf(t, alice, b, same[0]["id"].(string))
	_, other := fileOf(t, alice, b, two[1]["id"].(string))
	alike := func(a, b image.Image) bool {
		for y := range a.Bounds().Dy() {
			for x := range a.Bounds().Dx() {
				if a.At(x, y) != b.At(x, y) {
					return false
				}
			}
		}
		return true
	}
	if !alike(first, again) || alike(first, other) {
		t.Errorf("the same: %v, another: %v", alike(first, again), alike(first, other))
	}
	var usage struct{ Rows []struct{ Cost float64 } }
	_, text := call(t, &http.Client{}, "GET", b.Address+"/api/usage?by=desk", "", "Authorization", bearer)
	if err := json.Unmarshal([]byte(text), &usage); err != nil || len(usage.Rows) == 0 || usage.Rows[0].Cost < 0.119 ||
		usage.Rows[0].Cost > 0.121 {
		t.Errorf("three pictures at 0.04: %s", text)
	}
	if r, text := call(t, alice, "POST", b.Address+"/api/at/labels/questions", `{"question":"  "}`, "Accept",
		"application/json"); r.StatusCode != 422 || !strings.Contains(text, "empty-question") {
		t.Errorf("no words: %d %s", r.StatusCode, text)
	}
}

// A gallery is searched, goes on page by page, is removed from and brought back, and
// downloaded.
func TestAGalleryIsKept(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, strings.Replace(drawing, "pictures: {onward: [more]}", "", 1))
	alice := visitor(t)
	for i := range 5 {
		drawn(t, alice, b, "labels", fmt.Sprintf("Label %d of 100%%", i))
	}
	all := gallery(t, alice, b, "")
	if len(all.Pictures) != 5 || all.Pictures[0].Made.Words != "Label 4 of 100%" {
		t.Fatalf("%+v", all)
	}
	first := gallery(t, alice, b, "?limit=2")
	second := gallery(t, alice, b, "?limit=3&older="+first.Pictures[1].ID)
	if !first.More || len(second.Pictures) != 3 || second.More || second.Pictures[2].Made.Words != "Label 0 of 100%" {
		t.Errorf("%+v then %+v", first, second)
	}
	for search, want := range map[string]int{"label 3": 1, "LABEL": 5, "3 label": 1, "%": 5, "wax": 0, "_": 0, `\`: 0} {
		if g := gallery(t, alice, b, "?search="+url.QueryEscape(search)); len(g.Pictures) != want {
			t.Errorf("%q: %d", search, len(g.Pictures))
		}
	}
	if g := gallery(t, visitor(t), b, ""); len(g.Pictures) != 0 {
		t.Errorf("another visitor sees %d", len(g.Pictures))
	}
	r, body := call(t, alice, "GET", b.Address+"/api/at/labels/gallery/zip?id="+all.Pictures[0].ID+"&id="+
		all.Pictures[3].ID, "")
	z, err := zip.NewReader(strings.NewReader(body), int64(len(body)))
	if err != nil || len(z.File) != 2 || z.File[0].Name != "label-4-of-100.png" || r.StatusCode != 200 {
		t.Fatalf("%v %v", err, r.Header)
	}
	part, _ := z.File[1].Open()
	whole, _ := io.ReadAll(part)
	if want, _ := fileOf(t, alice, b, all.Pictures[3].ID); !bytes.Equal(whole, []byte(want)) {
		t.Error("the ZIP has another picture")
	}
	id := all.Pictures[2].ID
	if r, text := call(t, alice, "DELETE", b.Address+"/api/pictures/"+id, ""); r.StatusCode != 204 {
		t.Fatalf("%d %s", r.StatusCode, text)
	}
	if g := gallery(t, alice, b, ""); len(g.Pictures) != 4 {
		t.Errorf("after one was removed: %d", len(g.Pictures))
	}
	if r, _ := call(t, alice, "GET", b.Address+"/api/conversations/"+all.Pictures[2].Conversation,
		""); r.StatusCode != 404 {
		t.Errorf("its conversation: %d", r.StatusCode)
	}
	if r, text := call(t, visitor(t), "POST", b.Address+"/api/pictures/"+id+"/restore", ""); r.StatusCode != 404 {
		t.Errorf("brought back by another: %d %s", r.StatusCode, text)
	}
	if r, text := call(t, alice, "POST", b.Address+"/api/pictures/"+id+"/restore", ""); r.StatusCode != 204 {
		t.Fatalf("%d %s", r.StatusCode, text)
	}
	if g := gallery(t, alice, b, ""); len(g.Pictures) != 5 {
		t.Errorf("after it was brought back: %d", len(g.Pictures))
	}
}

// A picture is made square for a model that wants it so, varied, and changed where it was
// painted over.
func TestPicturesBecomeOthers(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, varying)
	publish(t, b, drawing)
	alice := visitor(t)
	_, made := drawn(t, alice, b, "labels", "A label", `"inputs":{"format":"lying"}`)
	r, text := call(t, alice, "POST", b.Address+"/api/at/more/pictures/from", fmt.Sprintf(`{"picture":%q}`, made[0]["id"]))
	var copied api.PicturesGiven
	if err := json.Unmarshal([]byte(text), &copied); err != nil || r.StatusCode != 201 || len(copied.Pictures) != 1 {
		t.Fatalf("%d %s", r.StatusCode, text)
	}
	desk := b.Address + "/api/at/more/questions"
	turn := askIn(t, alice, desk, copied.Conversation, "More like this", `"inputs":{"number":"3"}`)
	if turn.Outcome.Problem != nil || len(turn.Outcome.Parts) != 1 || len(turn.Outcome.Parts[0].Value.([]any)) != 3 {
		t.Fatalf("%+v", turn)
	}
	id := turn.Outcome.Parts[0].Value.([]any)[0].(recipe.Media).ID
	if _, dots := fileOf(t, alice, b, id); dots.Bounds().Dx() != 170 || dots.Bounds().Dy() != 170 {
		t.Errorf("%v", dots.Bounds())
	}
	// The left half is painted over.
	flag := give(t, alice, b.Address+"/api/at/more/pictures", "", "flag.png",
		picturetest.PNG(picturetest.Flag(200, 200)))
	painted := image.NewGray(image.Rect(0, 0, 100, 100))
	for y := range 100 {
		for x := range 50 {
			painted.SetGray(x, y, color.Gray{255})
		}
	}
	body, kind := given(t, "mask.png", picturetest.PNG(painted))
	_, text = call(t, alice, "POST", b.Address+"/api/at/more/pictures?mask=yes&conversation="+flag.Conversation, body,
		"Content-Type", kind)
	var masked api.PicturesGiven
	if err := json.Unmarshal([]byte(text), &masked); err != nil || masked.Mask == nil || len(masked.Pictures) != 1 {
		t.Fatal(text)
	}
	inputs := fmt.Sprintf(`"inputs":{"change":"black bees","mask":"media:%s"}`, masked.Mask.ID)
	turn = askIn(t, alice, desk, flag.Conversation, "black bees", inputs)
	if turn.Outcome.Problem != nil {
		t.Fatalf("%+v", turn.Outcome.Problem)
	}
	_, dots := fileOf(t, alice, b, turn.Outcome.Parts[0].Value.([]any)[0].(recipe.Media).ID)
	if corners(dots)[1] != "green" || corners(dots)[3] != "yellow" || corners(dots)[0] == "red" &&
		corners(dots)[2] == "blue" {
		t.Errorf("%v", corners(dots))
	}
	// Another's picture is nobody's mask.
	eve := visitor(t)
	own := give(t, eve, b.Address+"/api/at/more/pictures", "", "flag.png", picturetest.PNG(picturetest.Flag(20, 20)))
	question := fmt.Sprintf(`{"question":"x","conversation":%q,%s}`, own.Conversation, inputs)
	if r, text := call(t, eve, "POST", desk, question, "Accept", "application/json"); r.StatusCode != 404 {
		t.Errorf("another's mask: %d %s", r.StatusCode, text)
	}
	if r, text := call(t, eve, "POST", b.Address+"/api/at/more/pictures/from", fmt.Sprintf(`{"picture":%q}`,
		made[0]["id"])); r.StatusCode != 404 {
		t.Errorf("another's picture: %d %s", r.StatusCode, text)
	}
}

func corners(dots image.Image) (all []string) {
	w, h := dots.Bounds().Dx(), dots.Bounds().Dy()
	for _, at := range [][2]int{{w / 4, h / 8}, {3 * w / 4, h / 8}, {w / 4, 6 * h / 8}, {3 * w / 4, 6 * h / 8}} {
		all = append(all, picturetest.Field(dots, at[0], at[1]))
	}
	return all
}

// A visitor who leaves comes back to the picture; one who stops it has none.
func TestPicturesTakeTheirTime(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, drawing)
	alice := visitor(t)
	drawn(t, alice, b, "labels", "The first")
	slow := testbed.Fast
	slow.FirstMS = new(1500.0)
	b.Model.Set(slow)
	head := "" // what was read to find the turn
	ask := func(words string) (turn string, events *http.Response) {
		body := fmt.Sprintf(`{"question":%q}`, words)
		request, _ := http.NewRequest("POST", b.Address+"/api/at/labels/questions", strings.NewReader(body))
		request.Header.Set("Content-Type", "application/json")
		response, err := alice.Do(request)
		if err != nil {
			t.Fatal(err)
		}
		buffer := make([]byte, 4000)
		n, _ := io.ReadAtLeast(response.Body, buffer, 60)
		head = string(buffer[:n])
		_, rest, _ := strings.Cut(head, `"turn":"`)
		turn, _, _ = strings.Cut(rest, `"`)
		return turn, response
	}
	turn, events := ask("The second")
	body, _ := io.ReadAll(events.Body)
	events.Body.Close()
	rest := head + string(body)
	if !strings.Contains(rest, `"kind":"making"`) || !strings.Contains(rest, `"place":1`) ||
		!strings.Contains(rest, `"list of picture"`) {
		t.Errorf("%s of turn %s", rest, turn)
	}
	turn, events = ask("The third")
	events.Body.Close()
	testbed.Until(t, "it is made all the same", func() bool {
		return slices.ContainsFunc(gallery(t, alice, b, "").Pictures,
			func(p api.Picture) bool { return p.Turn == turn })
	})
	turn, events = ask("The fourth")
	if r, _ := call(t, alice, "POST", b.Address+"/api/turns/"+turn+"/stop", ""); r.StatusCode != 204 {
		t.Error(r.StatusCode)
	}
	body, _ = io.ReadAll(events.Body)
	events.Body.Close()
	if !strings.Contains(string(body), `"state":"stopped"`) || len(gallery(t, alice, b, "").Pictures) != 3 {
		t.Errorf("stopped: %s", body)
	}
}

// A model that lies about its pictures: the visitor is told that it failed, and what can be
// kept is kept.
func TestAModelThatLiesAboutPictures(t *testing.T) {
	b := testbed.New(t, testbed.Options{})
	publish(t, b, drawing)
	flag := picturetest.PNG(picturetest.Flag(64, 48))
	huge := slices.Clone(flag) // it says that it has 1,600 million dots
	binary.BigEndian.PutUint32(huge[16:], 40_000)
	binary.BigEndian.PutUint32(huge[20:], 40_000)
	binary.BigEndian.PutUint32(huge[29:], crc32.ChecksumIEEE(huge[12:29]))
	answer := ""
	model := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		if answer == "endless" {
			_, _ = io.WriteString(w, `{"data":[{"b64_json":"`)
			for range 400 {
				if _, err := io.WriteString(w, strings.Repeat("A", 1<<20)); err != nil {
					return
				}
			}
			return
		}
		_, _ = io.WriteString(w, answer)
	}))
	t.Cleanup(model.Close)
	b.ServeModelsFrom(model.URL)
	of := func(bodies ...[]byte) string {
		var all []string
		for _, body := range bodies {
			all = append(all, fmt.Sprintf(`{"b64_json":%q}`, base64.StdEncoding.EncodeToString(body)))
		}
		return `{"data":[` + strings.Join(all, ",") + `]}`
	}
	alice := visitor(t)
	for what, said := range map[string]string{
		"a web page":       of([]byte("<html><script>alert(1)</script></html>")),
		"a drawing":        of([]byte(`<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>`)),
		"a billion dots":   of(huge),
		"half a picture":   of(flag[:70]),
		"what is no data":  `{"data":[{"b64_json":"!!!"}]}`,
		"a link elsewhere": `{"data":[{"url":"http://127.0.0.1:1/secret.png"}]}`,
		"a local file":     `{"data":[{"url":"file:///etc/passwd"}]}`,
		"without end":      "endless",
	} {
		answer = said
		turn := askIn(t, alice, b.Address+"/api/at/labels/questions", "", "A label")
		if turn.Outcome.Problem == nil || strings.Contains(fmt.Sprint(turn.Outcome.Problem.Detail), "127.0.0.1") {
			t.Errorf("%s: %+v", what, turn.Outcome)
		}
	}
	if g := gallery(t, alice, b, ""); len(g.Pictures) != 0 {
		t.Errorf("kept: %+v", g.Pictures)
	}
	answer = of(flag, flag, flag, flag, flag)
	if _, all := drawn(t, alice, b, "labels", "One label"); len(all) != 1 {
		t.Errorf("%d pictures for one wish", len(all))
	}
}
