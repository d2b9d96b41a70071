package e2e

import (
	"archive/zip"
	"bytes"
	"encoding/base64"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"

	"juvalogos/core/scoring"
	"juvalogos/internal/api"
	"juvalogos/internal/browser"
	"juvalogos/internal/models"
	"juvalogos/internal/models/protocol"
	"juvalogos/internal/soundtest"
	"juvalogos/internal/testbed"
	"juvalogos/standin/modelserver"
	"juvalogos/standin/scripted"
)

const soundDesk = `slug: notes
title: Voice notes
purpose: Writes down what you say.
model: thyme-mini
sound: {take: true, dictate: true, model: ear, change: [task, language, names], keep: days, days: 5}
aloud: {model: voice}
openers: [What has to be done?]
`

// ears puts beside the simulated model an ear of tones, the real recogniser and the real
// synthesiser of the demo.
func ears(t *testing.T, b *testbed.Bed) *scripted.Ear {
	t.Helper()
	ear := &scripted.Ear{}
	server := httptest.NewServer(ear)
	t.Cleanup(server.Close)
	text, err := os.ReadFile("../demo/connections.yaml")
	if err != nil {
		t.Fatal(err)
	}
	demo, err := models.Read("connections.yaml", text, protocol.All())
	if err != nil {
		t.Fatal(err)
	}
	file, _ := b.Connections.Models.Connections()
	file = append(file, models.Connection{Name: "tones", Protocol: "chat-completions", Address: server.URL + "/v1",
		Patience: 5 * time.Second, Models: []models.Model{{Name: "ear", Can: []string{"hear"}, Context: 2048,
			Price: models.Price{Minute: 0.6}, Hears: models.Hears{Seconds: 6, English: true}}}})
	for _, c := range demo.Connections {
		switch c.Name {
		case "recogniser":
			file = append(file, c)
		case "synthesiser":
			c.Models[0].Name = "voice"
			file = append(file, c)
		}
	}
	b.Connections.Models.Replace(models.File{Connections: file})
	return ear
}

// dropped drops files on an element.
func (p *page) dropped(on string, files map[string][]byte) {
	p.t.Helper()
	p.do(chromedp.WaitReady(chromedp.CSS(on)))
	var all strings.Builder
	for name, body := range files {
		fmt.Fprintf(&all, `all.items.add(new File([Uint8Array.from(atob(%q), c => c.charCodeAt(0))], %q));`,
			base64.StdEncoding.EncodeToString(body), name)
	}
	run[any](p, fmt.Sprintf(`(() => { const all = new DataTransfer(); %s document.querySelector(%q).dispatchEvent(
		new DragEvent("drop", {dataTransfer: all, bubbles: true, cancelable: true})); return null })()`, all.String(), on))
}

// centred clicks what a screen reader calls so, wherever on the page it is.
func (p *page) centred(name string) {
	p.t.Helper()
	run[any](p, fmt.Sprintf(`(() => { [...document.querySelectorAll("main button, main a")].find(b => b.textContent.includes(%q))
		?.scrollIntoView({block: "center"}); return null })()`, name))
	p.click(name)
}

const giving = "[aria-label='Give a recording']"

// note is words of tones, as WAV, with the words.
func note(n int) (wav []byte, words []string) {
	numbers := make([]int, n)
	for i := range numbers {
		numbers[i] = i * 7 % 60
	}
	samples, truth := scripted.Tones(numbers, func(i int) float64 {
		if i%5 == 4 {
			return 0.8
		}
		return 0
	})
	for _, s := range truth {
		words = append(words, s.Word)
	}
	return soundtest.WAV(samples, 16000), words
}

const sentences = `document.querySelectorAll("[data-recording] ol li").length`

// A recording is dropped, written down, played, found in, put right, taken away, asked
// about, loaded again and deleted, by mouse and by keyboard.
func TestARecordingOnThePage(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	ears(t, b).Doubts = true
	publish(t, b, soundDesk)
	wav, words := note(60)
	m4a := soundtest.As(t, wav, "flac")
	for _, window := range []browser.Window{browser.Desk, browser.Phone} {
		p := openTab(t, window, b.Address)
		p.visit("/at/notes")
		p.shows("main", "The recording is deleted after 5 days")
		p.accessible("where a recording is given")
		p.dropped(giving, map[string][]byte{"Morning round.flac": m4a})
		p.shows("[data-recording]", "FLAC, 0:2")
		p.shows("[data-recording]", "This will cost about $0.2")
		p.accessible("a recording that was given")
		// Somebody looks elsewhere meanwhile.
		run[any](p, `(() => { Object.defineProperty(document, "hidden", {get: () => window.away ?? true, configurable: true}); return null })()`)
		p.centred("Write it down")
		p.until("its words are there", sentences+" > 8 && !!document.querySelector('[data-edit]')")
		p.shows("[data-recording] ol", words[0])
		p.shows("[data-recording] ol", words[59])
		p.until("the title tells it", `document.title === "Written down: Morning round.flac"`)
		run[any](p, `(() => { window.away = false; document.dispatchEvent(new Event("visibilitychange")); return null })()`)
		p.until("and is as it was", `document.title.includes("Voice notes")`)
		p.shows("[data-recording]", "Written down: ")
		p.until("unsure words are marked", `document.querySelectorAll("[data-recording] .unsure").length > 5`)
		p.accessible("a recording that is written down")

		// Played: from a sentence, by its time; its words are lit.
		p.hit(chromedp.CSS("[aria-label^='Play from 0:0']:not([aria-label='Play from 0:00'])"))
		p.until("it plays", `(() => { const a = document.querySelector("[data-recording] audio"); return !a.paused && a.currentTime > 1 })()`)
		p.until("a word is lit", `!!document.querySelector("[data-recording] .spoken")`)
		p.until("the lock screen says what plays", `navigator.mediaSession.metadata?.title === "Morning round.flac"`)
		p.click("Pause")
		p.until("it is paused", `document.querySelector("[data-recording] audio").paused`)
		p.do(chromedp.Focus(chromedp.CSS("[aria-label='Where in the recording']")))
		before := run[float64](p, `document.querySelector("[data-recording] audio").currentTime`)
		p.keys(kb.ArrowRight)
		p.until("a key moves it", fmt.Sprintf(`document.querySelector("[data-recording] audio").currentTime > %f`, before+0.5))
		run[any](p, `(() => { const s = document.querySelector("[data-recording] select"); s.value = "1.5"; s.dispatchEvent(new Event("change", {bubbles: true})); return null })()`)
		p.until("it is faster", `document.querySelector("[data-recording] audio").playbackRate === 1.5`)

		// Found.
		p.centred("Find words")
		p.do(chromedp.SendKeys(chromedp.CSS("[aria-label='Find words in it']"), words[10]))
		p.until("it is marked", `!!document.querySelector("[data-recording] mark.here")`)
		p.accessible("words that were found")
		p.keys(kb.Escape)

		// Put right, by keyboard.
		p.do(chromedp.Focus(chromedp.CSS("[data-edit]")))
		p.keys(kb.Enter)
		p.until("the text can be changed", `document.activeElement.tagName === "TEXTAREA"`)
		p.keys(kb.End + " Quillfeather")
		p.accessible("a sentence that is put right")
		run[any](p, `(() => { const i = document.querySelector("[data-recording] form input"); i.value = "Ada"; i.dispatchEvent(new Event("input", {bubbles: true})); return null })()`)
		p.click("Keep")
		p.shows("[data-recording] ol", "Quillfeather")
		p.shows("[data-recording] ol", "Ada:")
		p.until("the focus is where it was", `document.activeElement.hasAttribute("data-edit")`)
		p.do(chromedp.Reload())
		p.until("it is there after a reload", sentences+" > 8")
		p.shows("[data-recording] ol li", "Quillfeather")
		p.shows("[data-recording]", "put right")

		// A name that was put right goes along with the next recording.
		p.dropped(giving, map[string][]byte{"next.wav": wav})
		p.until("the name is among the names", `[...document.querySelectorAll("form input")].some(i => i.value.includes("Quillfeather"))`)
		p.click("Delete next.wav")
		p.click("Delete it")
		p.until("one is left", `document.querySelectorAll("[data-recording]").length === 1`)

		// Taken away, and read back by another program.
		id := run[string](p, `document.querySelector("[data-recording]").dataset.recording`)
		for form, probe := range map[string]string{"srt": "subrip", "vtt": "webvtt"} {
			got := run[string](p, fmt.Sprintf(`fetch(%q).then(r => r.text())`, "/api/recordings/"+id+"/text?as="+form))
			file := filepath.Join(t.TempDir(), "said."+form)
			if err := os.WriteFile(file, []byte(got), 0o600); err != nil {
				t.Fatal(err)
			}
			out, err := exec.Command("ffprobe", "-v", "error", "-show_entries", "stream=codec_name", "-of", "csv=p=0",
				file).Output()
			if err != nil || strings.TrimSpace(string(out)) != probe || !strings.Contains(got, "Quillfeather") {
				t.Errorf("%s: %s, %v\n%.300s", form, out, err, got)
			}
		}

		// Asked about; the margin plays.
		p.answered("When was " + words[30] + " " + words[31] + " said?")
		if window == browser.Phone {
			p.hit(chromedp.CSS("article summary"))
		}
		p.until("a note is in the margin", `[...document.querySelectorAll("article button")].some(b => b.textContent.includes("Morning round"))`)
		run[any](p, `(() => { [...document.querySelectorAll("article button")].find(b => b.offsetParent &&
			b.textContent.includes("Morning round")).click(); return null })()`)
		p.until("it plays from there", `!document.querySelector("[data-recording] audio").paused || document.querySelector("[data-recording] audio").currentTime > 0`)
		p.accessible("a reply about a recording")

		// Deleted.
		p.click("Delete Morning round.flac")
		p.shows("[role=alertdialog]", "This cannot be taken back.")
		p.accessible("a recording that is to be deleted")
		p.click("Delete it")
		p.until("it is gone", `!document.querySelector("[data-recording]")`)
		if n := run[float64](p, fmt.Sprintf(`fetch(%q).then(r => r.status)`, "/api/recordings/"+id+"/sound")); n != 404 {
			t.Errorf("its sound is answered with %v", n)
		}
	}
}

// What is wrong with a file is said in a sentence each, and the others are taken.
func TestRecordingsThatAreNotTaken(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	ears(t, b)
	publish(t, b, soundDesk)
	p := openTab(t, browser.Phone, b.Address)
	p.visit("/at/notes")
	wav, _ := note(8)
	p.dropped(giving, map[string][]byte{"words.mp3": []byte("these are words"), "silence.wav": soundtest.Silence(3)})
	p.shows("[role=alert]", "words.mp3: it is no sound that is read here; give MP3")
	p.shows("[role=alert]", "silence.wav: nothing can be heard in it")
	p.accessible("recordings that were refused")
	p.dropped(giving, map[string][]byte{"a.mp4": soundtest.As(t, wav, "mp4"), "b.webm": soundtest.As(t, wav, "webm"),
		"c.wav": wav[:len(wav)/2]})
	p.until("three are there", `document.querySelectorAll("[data-recording]").length === 3`)
	p.shows("main", "could be read: the file is damaged")
	run[any](p, `(() => { [...document.querySelectorAll("main form button")].filter(b => b.textContent.includes("Write it down"))
		.forEach(b => b.click()); return null })()`)
	p.until("all are written down", `document.querySelectorAll("[data-recording] ol").length === 3`)
	p.shows("main", "All texts (ZIP)")
	link := run[string](p, `document.querySelector("a[href*='/recordings/zip']").href`)
	packed := run[string](p, fmt.Sprintf(`fetch(%q).then(r => r.arrayBuffer()).then(b => btoa(String.fromCharCode(...new Uint8Array(b))))`, link))
	body, err := base64.StdEncoding.DecodeString(packed)
	if err != nil {
		t.Fatal(err)
	}
	files, err := zip.NewReader(bytes.NewReader(body), int64(len(body)))
	if err != nil || len(files.File) != 3 {
		t.Fatalf("%v, %v", files, err)
	}
	f, err := files.File[0].Open()
	if err != nil {
		t.Fatal(err)
	}
	if text, err := io.ReadAll(f); err != nil || len(strings.Fields(string(text))) < 3 {
		t.Errorf("%s: %q, %v", files.File[0].Name, text, err)
	}
}

// The net goes in the middle of an upload: it is said, nothing is lost, and the same
// recording is sent again.
func TestTheNetGoesWhileARecordingIsSent(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	ears(t, b)
	publish(t, b, soundDesk)
	l := newLine(t, strings.TrimPrefix(b.Address, "http://"))
	p := openTab(t, browser.Desk, "http://"+l.address)
	p.visit("/at/notes")
	wav, _ := note(60)
	l.slow.Store(true)
	p.dropped(giving, map[string][]byte{"round.wav": wav})
	p.shows("main", "% sent")
	l.cut(true)
	p.shows("[role=alert]", "It did not arrive.")
	p.accessible("a recording that did not arrive")
	l.cut(false)
	l.slow.Store(false)
	p.click("Send it again")
	p.shows("[data-recording]", "round.wav")
}

// line is a line to the service that can be slow, and cut.
type line struct {
	address string
	slow    atomic.Bool
	mu      sync.Mutex
	off     bool
	open    map[net.Conn]bool
}

func newLine(t *testing.T, to string) *line {
	t.Helper()
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	l := &line{address: listener.Addr().String(), open: map[net.Conn]bool{}}
	t.Cleanup(func() { listener.Close(); l.cut(true) })
	go func() {
		for {
			from, err := listener.Accept()
			if err != nil {
				return
			}
			go l.carry(from, to)
		}
	}()
	return l
}

func (l *line) carry(from net.Conn, address string) {
	defer from.Close()
	to, err := net.Dial("tcp", address)
	if err != nil {
		return
	}
	defer to.Close()
	l.mu.Lock()
	off := l.off
	l.open[from], l.open[to] = true, true
	l.mu.Unlock()
	if off {
		return
	}
	go func() { _, _ = io.Copy(from, to); from.Close() }()
	piece := make([]byte, 8<<10)
	for {
		n, err := from.Read(piece)
		if _, failed := to.Write(piece[:n]); err != nil || failed != nil {
			return
		}
		if l.slow.Load() {
			time.Sleep(100 * time.Millisecond)
		}
	}
}

// cut cuts the line, or mends it.
func (l *line) cut(off bool) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if l.off = off; off {
		for c := range l.open {
			c.Close()
		}
		clear(l.open)
	}
}

// Recorded in the page: how loud it is, a pause, listened to before it is sent. A question
// is spoken, its words can be corrected. Both with the microphone's beeps.
func TestSpokenIntoTheMicrophone(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	ear := ears(t, b)
	publish(t, b, soundDesk)
	p := openTab(t, browser.Phone, b.Address)
	p.visit("/at/notes")
	p.click("Record")
	p.accessible("where a recording is made")
	p.click("Start")
	p.until("it shows how loud it is", `+document.querySelector("[role=meter]")?.ariaValueNow > 10`)
	p.until("time passes", `document.querySelector("[role=timer]").textContent.trim() >= "0:02"`)
	p.accessible("while it is recorded")
	p.click("Pause")
	p.shows("[role=dialog] [role=status]", "paused")
	p.click("Go on")
	p.shows("[role=dialog] [role=status]", "recording")
	p.click("End")
	p.until("it can be listened to", `document.querySelector("[role=dialog] audio")?.src.startsWith("blob:")`)
	p.accessible("a recording before it is sent")
	p.click("Use it")
	p.shows("[data-recording]", "Recording of ")
	p.shows("[data-recording]", "WebM, 0:0")

	p.do(chromedp.SendKeys(browser.Question, "I ask:"))
	p.click("Speak your question")
	p.shows("main", "Speak now")
	p.accessible("while a question is spoken")
	p.until("it hears", `+document.querySelector("[role=meter]")?.ariaValueNow > 10`)
	p.until("it has heard enough", `document.querySelector("main [role=timer]").textContent.trim() >= "0:02"`)
	p.click("Done")
	p.until("its words are in the box", `document.querySelector("textarea").value.startsWith("I ask: ") && document.querySelector("textarea").value.length > 9`)
	if ear.Asks() == 0 {
		t.Error("nobody was asked for them")
	}
	p.until("they can be corrected", `document.activeElement.tagName === "TEXTAREA"`)
}

// A reply is read aloud, sentence by sentence; what is read is lit, and it can be paused.
func TestARepliesIsReadAloud(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	ears(t, b)
	publish(t, b, strings.Replace(soundDesk, "thyme-mini", "heather-2", 1))
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/notes")
	p.answered("How do I light a smoker?")
	// How soon something is heard is told, for whoever runs this.
	run[any](p, `(() => {
		window.at = {};
		const lit = HighlightRegistry.prototype.set;
		HighlightRegistry.prototype.set = function (...args) { // as soon as it plays
			at.sound ??= performance.now();
			return lit.apply(this, args);
		};
		document.addEventListener("click", () => (at.click = performance.now()), {capture: true});
		new MutationObserver(() => {
			if (/[.!?:]/.test(document.querySelectorAll("article .prose")[1]?.textContent ?? "")) at.sentence ??= performance.now();
		}).observe(document.body, {subtree: true, childList: true, characterData: true});
		return null;
	})()`)
	p.click("Read aloud")
	p.until("something is heard", `at.sound > 0`)
	t.Logf("the first sound came %.0f ms after the click", run[float64](p, `at.sound - at.click`))
	p.until("a sentence is lit", `CSS.highlights.get("aloud")?.size > 0`)
	p.accessible("while it is read aloud")
	first := run[string](p, `[...CSS.highlights.get("aloud")].map(String).join("")`)
	reply := run[string](p, `document.querySelector("article .prose").textContent`)
	if first == "" || !strings.Contains(reply, first) {
		t.Errorf("lit: %q", first)
	}
	p.click("Pause reading")
	p.shows("article", "Go on reading")
	p.click("Go on reading")
	p.until("the next sentence is lit", fmt.Sprintf(`CSS.highlights.get("aloud") && [...CSS.highlights.get("aloud")].map(String).join("") !== %q`, first))
	p.click("Stop reading")
	p.until("nothing is lit", `!CSS.highlights.has("aloud")`)

	// While the next one is being written.
	b.Model.Set(modelserver.Control{FirstMS: new(0.0), Rate: new(12.0)})
	run[any](p, `(at.sound = undefined, null)`)
	p.ask("What does a first year with bees look like?")
	p.until("some of it is there", `document.querySelector("article:last-of-type .prose")?.textContent.length > 30`)
	p.hit(chromedp.Search("(//article)[last()]//button[contains(., 'Read aloud')]"))
	p.until("a sentence of it is lit before it ends", `(() => {
		const reply = [...document.querySelectorAll("article")].at(-1);
		const lit = [...(CSS.highlights.get("aloud") ?? [])].map(String).join("");
		return lit && reply.textContent.includes(lit) && reply.ariaBusy === "true";
	})()`)
	p.until("something is heard", `at.sound > 0`)
	t.Logf("the first sound came %.0f ms after the first sentence", run[float64](p, `at.sound - Math.max(at.sentence, at.click)`))
}

// Code, tables and references are left out.
func TestWhatIsNotReadAloud(t *testing.T) {
	t.Parallel()
	const reply = "Do this [1]:\n\n```go\nfunc main() {}\n```\n\n| hive | weight |\n|---|---|\n| one | twelve |\n\nThen wait."
	model := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/event-stream")
		fmt.Fprintf(w, "data: {\"choices\":[{\"delta\":{\"content\":%q}}]}\n\n", reply)
		fmt.Fprint(w, "data: {\"choices\":[{\"delta\":{},\"finish_reason\":\"stop\"}]}\n\ndata: [DONE]\n\n")
	}))
	defer model.Close()
	b := newBed(t)
	b.ServeModelsFrom(model.URL)
	ears(t, b)
	publish(t, b, strings.Replace(soundDesk, "take: true, dictate: true, model: ear", "dictate: true, model: ear", 1))
	p := openTab(t, browser.Desk, b.Address)
	p.visit("/at/notes")
	run[any](p, `(() => { window.read = []; const f = window.fetch; window.fetch = (a, o) => {
		if (String(a).endsWith("/speech")) window.read.push(JSON.parse(o.body).text); return f(a, o) }; return null })()`)
	p.answered("What now?")
	p.click("Read aloud")
	p.until("all is read", `window.read.length > 1 && !CSS.highlights.has("aloud")`)
	if got := run[string](p, `window.read.join(" / ")`); got != "Do this [1]: / Then wait." && got != "Do this : / Then wait." &&
		got != "Do this: / Then wait." {
		t.Errorf("read: %s", got)
	}
}

// Makers look into a recording of their own, and hear it in another way.
func TestARecordingFromInside(t *testing.T) {
	t.Parallel()
	b := newBed(t)
	ear := ears(t, b)
	publish(t, b, soundDesk)
	p := openConsole(t, browser.Desk, b, "/desks")
	p.visit("/at/notes")
	wav, words := note(40)
	p.dropped(giving, map[string][]byte{"round.wav": wav})
	p.centred("Write it down")
	p.until("it is written down", `!!document.querySelector("a[href*='/console/recordings/']")`)
	link := run[string](p, `document.querySelector("a[href*='/console/recordings/']").getAttribute("href")`)
	p.visit(link)
	p.shows("main", "Pieces")
	p.shows("main", "cut in a silence")
	p.shows("main", words[39])
	p.accessible("a recording from inside")
	p.click("Hear it again")
	p.shows("main", "Not a word is other.")
	ear.Lies = true
	p.until("it can be heard again", `[...document.querySelectorAll("button")].some(b => b.textContent.includes("Hear it again") && !b.disabled)`)
	p.accessible("heard in another way")

	// Others' recordings are their own.
	other := openConsole(t, browser.Desk, b, "/desks")
	other.visit(link)
	other.shows("main", "Recordings are their visitors’ own")
}

// A desk is a model that hears and speaks, for a real client library of the protocol.
func TestAClientLibraryOfSound(t *testing.T) {
	t.Parallel()
	b := testbed.New(t, testbed.Options{})
	ears(t, b)
	publish(t, b, soundDesk)
	wav, words := note(40)
	file := filepath.Join(t.TempDir(), "round.mp3")
	if err := os.WriteFile(file, soundtest.As(t, wav, "flac"), 0o600); err != nil {
		t.Fatal(err)
	}
	var got struct {
		Plain, English  string
		Words, Segments int
		Duration        float64
		Spoken          int
		Wrong           struct{ Status int }
	}
	text := node(t, "sound.js", b.Address, testbed.Token, "notes", file)
	if err := json.Unmarshal([]byte(text), &got); err != nil {
		t.Fatal(err)
	}
	if got.Plain != strings.Join(words, " ") || got.Words != len(words) || got.Segments == 0 || got.Duration < 10 ||
		got.English != got.Plain || got.Spoken < 10_000 || got.Wrong.Status != http.StatusNotFound {
		t.Errorf("%s", text)
	}
}

// The real recogniser through us hears about what it hears alone.
func TestTheRealRecogniserThroughUs(t *testing.T) {
	t.Parallel()
	b := testbed.New(t, testbed.Options{})
	ears(t, b)
	publish(t, b, strings.Replace(soundDesk, "model: ear", "model: hall-ear", 1))
	file := filepath.Join(t.TempDir(), "note.wav")
	if err := os.WriteFile(file,
		soundtest.Say(t, "Good morning. The queen was there three days ago, and the hive has enough "+
			"food for two weeks."), 0o600); err != nil {
		t.Fatal(err)
	}
	through, err := os.Open(file)
	if err != nil {
		t.Fatal(err)
	}
	defer through.Close()
	given, err := b.Client.GiveRecording(ctx, "notes", "", "note.wav", through)
	if err != nil || len(given.Recordings) != 1 {
		t.Fatalf("%+v, %v", given, err)
	}
	if _, err := b.Client.BeginRecording(ctx, "notes", given.Recordings[0].ID, api.RecordingWishes{}); err != nil {
		t.Fatal(err)
	}
	whole, err := b.Client.WrittenDown(ctx, given.Recordings[0].ID, func(api.RecordingWhole) {})
	if err != nil || whole.Recording.State != "ready" {
		t.Fatalf("%+v, %v", whole.Recording, err)
	}
	var ours []string
	for _, s := range whole.Sentences {
		ours = append(ours, s.Text)
		if len(s.Words) == 0 || s.Words[0].Sure == nil {
			t.Errorf("no confidence in %q", s.Text)
		}
	}
	alone, err := exec.Command("pocketsphinx_continuous", "-infile", file, "-logfn", "/dev/null").Output()
	if err != nil {
		t.Fatal(err)
	}
	if e := scoring.Words(string(alone), strings.Join(ours, " ")); e.Rate() > 0.1 {
		t.Errorf("%.2f of the words are other than alone:\n%s\n%s", e.Rate(), alone, ours)
	}
}
