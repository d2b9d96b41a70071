package console_test

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"testing"
	"time"

	"github.com/chromedp/chromedp"
	"github.com/evanw/esbuild/pkg/api"

	"juvalogos/internal/browser"
)

// The console's logic, without its pages.
const logic = `
import * as deskText from "./src/console/form/deskText";
import * as edits from "./src/console/bench/edits";
import * as graph from "./src/console/graph";
import * as blocks from "./src/markdown/blocks";
import { readEvents } from "./src/api/events";
import { typeset, limits } from "./src/markdown/formulas";
import { en } from "./src/words/en";
import { readings } from "./src/words/readings";
import { fromService } from "./src/words";
import { filled, formsOf } from "./src/words/forms";
globalThis.logic = { deskText, edits, graph, blocks, readEvents, en, readings, filled, fromService, formsOf, typeset, limits };
`

var tab context.Context

func TestMain(m *testing.M) {
	os.Exit(func() int {
		built := api.Build(api.BuildOptions{
			Stdin:  &api.StdinOptions{Contents: logic, ResolveDir: ".", Loader: api.LoaderTS},
			Loader: map[string]api.Loader{".css": api.LoaderEmpty},
			Bundle: true, Format: api.FormatIIFE, Platform: api.PlatformBrowser, LogLevel: api.LogLevelError,
		})
		if len(built.Errors) > 0 {
			fmt.Fprintln(os.Stderr, "the console's logic does not build; has make build been run?")
			return 1
		}
		chromium, err := browser.Start(context.Background())
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer chromium.Close()
		var cancel context.CancelFunc
		tab, cancel, err = chromium.Tab(browser.Desk, true)
		if err == nil {
			_, err = chromedp.Run(tab, chromedp.Evaluate[any](string(built.OutputFiles[0].Contents)+"; 1"))
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
		defer cancel()
		return m.Run()
	}())
}

// eval runs a function's body in the browser, with arguments that JSON can
// hold, and reads what it returns.
func eval[T any](t *testing.T, body string, arguments ...any) (v T) {
	t.Helper()
	given, err := json.Marshal(arguments)
	if err != nil {
		t.Fatal(err)
	}
	ctx, cancel := context.WithTimeout(tab, 20*time.Second)
	defer cancel()
	text, err := chromedp.Run(ctx, chromedp.Evaluate[string](
		"(async (a) => JSON.stringify((await (async () => {"+body+"})()) ?? null))("+string(given)+")",
		chromedp.EvalAwaitPromise))
	if err != nil {
		t.Fatalf("%s: %v", body, err)
	}
	if err := json.Unmarshal([]byte(text), &v); err != nil {
		t.Fatalf("%s: %v in %s", body, err, text)
	}
	return v
}
