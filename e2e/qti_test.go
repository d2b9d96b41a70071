package e2e

import (
	"archive/zip"
	"bytes"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"

	"juvalogos/core/quiz"
	"juvalogos/internal/browser"
)

// What we write as QTI 3 opens in a player that others have made: it shows the question and its
// options, and marks the right one and a wrong one as we do.
func TestQTIOpensInAnotherPlayer(t *testing.T) {
	t.Parallel()
	q := quiz.Quiz{Title: "Feeding & more", Questions: []quiz.Question{{Text: "How much < 20 kg is stored?",
		Options: []quiz.Option{{Text: "5 kg"}, {Text: "15 kg & no more", Right: true}, {Text: "25 kg"}}}}}
	var packed bytes.Buffer
	if err := q.WriteQTI(&packed); err != nil {
		t.Fatal(err)
	}
	z, err := zip.NewReader(bytes.NewReader(packed.Bytes()), int64(packed.Len()))
	if err != nil {
		t.Fatal(err)
	}
	f, err := z.Open("items/question-1.xml")
	if err != nil {
		t.Fatal(err)
	}
	item, err := io.ReadAll(f)
	if err != nil {
		t.Fatal(err)
	}
	mux := http.NewServeMux()
	mux.HandleFunc("/player.js", func(w http.ResponseWriter, r *http.Request) {
		http.ServeFile(w, r, "../console/node_modules/@citolab/qti-components/cdn/index.global.js")
	})
	mux.HandleFunc("/item.xml", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/xml")
		_, _ = w.Write(item)
	})
	mux.HandleFunc("/", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_, _ = io.WriteString(w, `<!doctype html><title>Player</title><script src="/player.js"></script>
			<main><qti-item><item-container item-url="/item.xml"></item-container></qti-item></main>`)
	})
	site := httptest.NewServer(mux)
	defer site.Close()
	p := openTab(t, browser.Desk, site.URL)
	p.visit("/")
	const found = `(() => { const walk = (n) => { for (const e of n.querySelectorAll("*")) {
		if (e.localName === "qti-assessment-item") return e;
		const inner = e.shadowRoot && walk(e.shadowRoot); if (inner) return inner } return null };
		return walk(document) })()`
	p.until("the player shows the item", found+` !== null && `+found+`.querySelectorAll("qti-simple-choice").length === 3`)
	text := run[string](p, found+`.textContent`)
	for _, want := range []string{q.Questions[0].Text, "15 kg & no more", "25 kg"} {
		if !strings.Contains(strings.Join(strings.Fields(text), " "), want) {
			t.Errorf("the player shows %q, and not %q", text, want)
		}
	}
	for option, want := range map[string]string{"option-2": "1", "option-1": "0"} {
		score := run[string](p, fmt.Sprintf(`(async () => { const item = %s;
			item.querySelector('qti-simple-choice[identifier="%s"]').click();
			await new Promise(r => setTimeout(r, 50));
			item.processResponse();
			return String(item.variables.find(v => v.identifier === "SCORE").value) })()`, found, option))
		if score != want {
			t.Errorf("for %s the player gives %s, want %s", option, score, want)
		}
	}
}
