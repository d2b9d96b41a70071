// Package browser starts a headless Chromium for tests and screenshots.
package browser

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"strings"

	"github.com/chromedp/cdproto/emulation"
	"github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

// Chromium is one running browser with an empty profile.
type Chromium struct {
	ctx    context.Context
	cancel []context.CancelFunc
}

// Start starts Chromium. Close it.
func Start(ctx context.Context) (*Chromium, error) {
	path, err := exec.LookPath("chromium-headless-shell")
	if err != nil {
		return nil, fmt.Errorf("chromium-headless-shell is not installed; install the Debian package of that name: %w",
			err)
	}
	profile, err := os.MkdirTemp("", "juvalogos-chromium-")
	if err != nil {
		return nil, err
	}
	options := append(chromedp.DefaultExecAllocatorOptions[:],
		chromedp.ExecPath(path), chromedp.UserDataDir(profile), chromedp.NoSandbox, chromedp.DisableGPU,
		chromedp.Flag("disable-quic", true), chromedp.Flag("disable-component-update", true),
		chromedp.Flag("disable-background-networking", true), chromedp.Flag("disable-sync", true),
		chromedp.Flag("no-first-run", true), chromedp.Flag("font-render-hinting", "none"),
		// A camera and a microphone without any: a moving test picture and beeps.
		chromedp.Flag("use-fake-device-for-media-stream", true), chromedp.Flag("use-fake-ui-for-media-stream", true),
	)
	allocator, cancelAllocator := chromedp.NewExecAllocator(ctx, options...)
	first, cancelFirst := chromedp.NewContext(allocator)
	c := &Chromium{first, []context.CancelFunc{cancelFirst, cancelAllocator, func() { os.RemoveAll(profile) }}}
	if err := chromedp.Do(first); err != nil {
		c.Close()
		return nil, fmt.Errorf("start chromium: %w", err)
	}
	return c, nil
}

// Close ends the browser.
func (c *Chromium) Close() {
	for _, cancel := range c.cancel {
		cancel()
	}
}

// Window is how a tab presents itself.
type Window struct {
	Width, Height int64
	Phone, Dark   bool
}

// Windows that people have.
var (
	Desk  = Window{Width: 1280, Height: 800}
	Phone = Window{Width: 390, Height: 844, Phone: true}
)

// Action is a step in a tab.
type Action = chromedp.Action[chromedp.Void]

// Question is the box on the visitor's page.
const Question = chromedp.CSS("textarea")

// Tab opens a tab; with private it shares no cookies with others.
func (c *Chromium) Tab(w Window, private bool) (context.Context, context.CancelFunc, error) {
	var options []chromedp.ContextOption
	if private {
		options = append(options, chromedp.WithNewBrowserContext())
	}
	ctx, cancel := chromedp.NewContext(c.ctx, options...)
	scheme := "light"
	if w.Dark {
		scheme = "dark"
	}
	features := []*emulation.MediaFeature{{Name: "prefers-color-scheme", Value: scheme}}
	err := chromedp.Do(ctx, chromedp.Func(func(ctx context.Context, _ *chromedp.Target) error {
		if _, err := chromedp.Call(ctx, emulation.SetDeviceMetricsOverride, emulation.SetDeviceMetricsOverrideParams{
			Width: w.Width, Height: w.Height, DeviceScaleFactor: 1, Mobile: w.Phone,
		}); err != nil {
			return err
		}
		if _, err := chromedp.Call(ctx, emulation.SetTouchEmulationEnabled,
			emulation.SetTouchEmulationEnabledParams{Enabled: w.Phone}); err != nil {
			return err
		}
		_, err := chromedp.Call(ctx, emulation.SetEmulatedMedia, emulation.SetEmulatedMediaParams{Features: features})
		return err
	}))
	return ctx, cancel, err
}

// Before has a script run in each page that a tab loads from now on, before the page's own.
func Before(tab context.Context, script string) error {
	_, err := chromedp.Call(tab, page.AddScriptToEvaluateOnNewDocument,
		page.AddScriptToEvaluateOnNewDocumentParams{Source: script})
	return err
}

// Picture takes a PNG of what the window shows.
func Picture(ctx context.Context) ([]byte, error) {
	return chromedp.Run(ctx, chromedp.CaptureScreenshot())
}

// Button finds a button or link by what a screen reader calls it, as an XPath.
func Button(name string) chromedp.Search {
	return chromedp.Search(fmt.Sprintf(`//*[self::button or self::a][contains(normalize-space(.), %[1]s) or contains(@aria-label, %[1]s)]`, quote(name)))
}

func quote(text string) string { return "'" + strings.ReplaceAll(text, "'", "") + "'" }
