// Package browser drives headless Chromium, for the tests of the console and for the pictures in the documentation.
package browser

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"regexp"
	"time"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/network"
	"github.com/chromedp/chromedp"
)

// Browser is a Chromium with one page.
type Browser struct {
	ctx  context.Context
	stop func()
}

// Start starts Chromium with a profile of its own, which goes with it.
func Start(parent context.Context) (*Browser, error) {
	path, err := exec.LookPath("chromium")
	if err != nil {
		return nil, errors.New(
			"no program called chromium is installed; ./dev installs it from Debian's packages (chromium)")
	}
	dir, err := os.MkdirTemp("", "turnvex-browser-")
	if err != nil {
		return nil, err
	}
	opts := []chromedp.ExecAllocatorOption{
		chromedp.NoFirstRun,
		chromedp.NoDefaultBrowserCheck,
		chromedp.Headless,
		chromedp.NoSandbox,
		chromedp.DisableGPU,
		chromedp.ExecPath(path),
		chromedp.UserDataDir(dir),
		chromedp.WindowSize(1280, 800),
		chromedp.WSURLReadTimeout(60 * time.Second),
		chromedp.Flag("js-flags", "--expose-gc"), // for what compares heaps
		chromedp.Flag("enable-precise-memory-info", true),
	}
	for _, f := range []string{"disable-quic", "disable-background-networking", "disable-component-update",
		"disable-sync", "disable-dev-shm-usage", "hide-scrollbars"} {
		opts = append(opts, chromedp.Flag(f, true))
	}
	alloc, freeAlloc := chromedp.NewExecAllocator(parent, opts...)
	ctx, _ := chromedp.NewContext(alloc)
	b := &Browser{ctx: ctx, stop: func() {
		chromedp.Cancel(ctx)
		freeAlloc()
		os.RemoveAll(dir)
	}}
	if err := chromedp.Do(ctx, chromedp.EmulateViewport(1280, 800)); err != nil {
		b.stop()
		return nil, fmt.Errorf("start Chromium: %w", err)
	}
	return b, nil
}

// Tab opens another page in the same browser.
func (b *Browser) Tab() (*Browser, error) {
	ctx, _ := chromedp.NewContext(b.ctx)
	t := &Browser{ctx: ctx, stop: func() { chromedp.Cancel(ctx) }}
	return t, t.Size(1280, 800)
}

// Stop ends the browser.
func (b *Browser) Stop() { b.stop() }

// Size sets the size of the page, in pixels.
func (b *Browser) Size(width, height int) error {
	return chromedp.Do(b.ctx, chromedp.EmulateViewport(int64(width), int64(height)))
}

// Open goes to an address.
func (b *Browser) Open(url string) error { return chromedp.Do(b.ctx, chromedp.Navigate(url)) }

// Until waits until a JavaScript expression is true, at most for the given time.
func (b *Browser) Until(expression string, within time.Duration) error {
	ctx, cancel := context.WithTimeout(b.ctx, within)
	defer cancel()
	_, err := chromedp.Run(ctx, chromedp.Poll[bool](expression))
	for err != nil && ctx.Err() == nil && goneAway.MatchString(err.Error()) {
		_, err = chromedp.Run(ctx, chromedp.Poll[bool](expression))
	}
	if err != nil {
		text, _ := chromedp.Run(b.ctx, chromedp.Evaluate[string]("document.body.innerText.slice(0, 600)"))
		return fmt.Errorf("waited in vain for %s (%w); the page says:\n%s", expression, err, text)
	}
	return nil
}

// goneAway is what Chromium says where another page has taken the place of the one that was asked.
var goneAway = regexp.MustCompile("(?i)context|navigated")

// Text evaluates a JavaScript expression that gives a text.
func (b *Browser) Text(expression string) (string, error) {
	return chromedp.Run(b.ctx, chromedp.Evaluate[string](expression))
}

// Run evaluates a JavaScript statement.
func (b *Browser) Run(statement string) error {
	_, err := chromedp.Run(b.ctx, chromedp.Evaluate[any](statement))
	return err
}

// Click clicks what a CSS selector finds.
func (b *Browser) Click(selector string) error {
	return chromedp.Do(b.ctx, chromedp.Click(chromedp.CSS(selector)))
}

// Type writes a text into what a CSS selector finds.
func (b *Browser) Type(selector, text string) error {
	return chromedp.Do(b.ctx, chromedp.SendKeys(chromedp.CSS(selector), text))
}

// Block makes requests fail whose addresses match one of some URL patterns, such as *://*:*/*.css; without patterns all
// go through again.
func (b *Browser) Block(patterns ...string) error {
	p := network.SetBlockedURLsParams{URLPatterns: []*network.BlockPattern{}}
	for _, x := range patterns {
		p.URLPatterns = append(p.URLPatterns, &network.BlockPattern{URLPattern: x, Block: true})
	}
	return chromedp.Do(b.ctx, chromedp.Func(func(ctx context.Context, t *chromedp.Target) error {
		_, err := cdp.Call(ctx, t, network.Enable, network.EnableParams{})
		if err == nil {
			_, err = cdp.Call(ctx, t, network.SetBlockedURLs, p)
		}
		return err
	}))
}

// Picture writes what is to be seen to a PNG file.
func (b *Browser) Picture(file string) error {
	data, err := chromedp.Run(b.ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(file, data, 0o644)
}
