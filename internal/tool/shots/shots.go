// Package shots takes the documentation's pictures of the console from the running demo.
package shots

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/tool/browser"
	"turnvex.example/turnvex/internal/tool/field"
)

// shot is one picture: a page, what to wait for, and what to do before it.
type shot struct {
	file, page, until, do string
}

const playing = `document.querySelector('[data-test=phase]')?.innerText.startsWith('Play') && document.querySelectorAll('[data-seat]').length >= 3`

// far is that a recording has been played for some seconds.
const far = `[...document.querySelectorAll('[role=meter]')].some(m => Number(m.ariaValueNow) < 70 && Number(m.ariaValueNow) > 0)`

// Setup declares the flags, and returns what takes every picture.
func Setup(fs *flag.FlagSet) func(context.Context, *field.Field) error {
	address := fs.String("service", "http://127.0.0.1:7420", "`address` of the demo's service")
	keyFile := fs.String("key-file", ".turnvex/operator-key", "`file` with the demo's operator key")
	out := fs.String("out", "docs/screenshots", "`folder` for the pictures")
	return func(ctx context.Context, f *field.Field) error {
		key, err := os.ReadFile(*keyFile)
		if err != nil {
			return fmt.Errorf("%w; start ./dev demo first", err)
		}
		return run(ctx, f, *address, strings.TrimSpace(string(key)), *out)
	}
}

func run(ctx context.Context, f *field.Field, address, key, out string) error {
	lobbies := map[string]string{} // the page of a lobby, by its rulebook
	for _, book := range []string{"clash", "market"} {
		filter := client.Filter{Rulebook: book, Title: "Lantern"}
		page, err := client.Service{Address: address}.Lobbies(ctx, filter, "", 0, "")
		if err != nil || len(page.Lobbies) == 0 {
			return fmt.Errorf("the demo does not run at %s: %v", address, err)
		}
		lobbies[book] = "/lobby/" + page.Lobbies[0].Code
	}
	b, err := browser.Start(ctx)
	if err != nil {
		return err
	}
	defer b.Stop()
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	if err := b.Open(address + "/#key=" + key); err != nil {
		return err
	}
	if err := b.Until(`document.body.innerText.includes('Operator:')`, 10*time.Second); err != nil {
		return err
	}
	lobby := lobbies["clash"]
	for _, s := range []shot{
		{"console-home.png", "/", `document.querySelectorAll('[data-ended]').length >= 4 && !!document.querySelector('tbody tr')`, ""},
		{"console-match.png", lobby, playing, ""},
		{"console-compare.png", "", playing + ` && document.querySelectorAll('[data-test=compare] tbody tr').length > 20 && !!document.querySelector('[data-test=copies]')`,
			`document.querySelector('[data-test=side-by-side]').click();
			setTimeout(() => document.querySelector('[data-test=ask-copies]').click(), 3000)`},
		{"console-market.png", lobbies["market"], `document.querySelectorAll('[data-seat]').length >= 3 && !!document.querySelector('[aria-label=Level]')`, ""},
		{"console-back.png", lobby + "/back", `document.querySelectorAll('[data-seat]').length >= 3 && ` + far,
			`setTimeout(() => [...document.querySelectorAll('button')].filter(b => b.innerText.startsWith('Match ')).at(-1).click(), 2500);
			setTimeout(() => document.querySelector('[aria-label=Play]').click(), 3000)`},
		{"console-play.png", "/play?rulebook=clash", `[...document.querySelectorAll('[data-panel] [data-test=phase]')].filter(p => p.innerText.startsWith('Play')).length === 2`, ""},
		{"console-editor.png", "/rulebooks/clash", `document.querySelector('[data-test=verdict]')?.innerText === 'no errors' && !!document.querySelector('[data-here]')`, ""},
		{"console-operations.png", "/operations", `document.querySelectorAll('canvas').length > 5`, ""},
		{"console-results.png", "/results", `document.querySelectorAll('[data-test^=match]').length >= 1`, ""},
		{"console-board.png", "/boards/course/fastest", `document.querySelectorAll('tbody tr').length >= 20`, ""},
	} {
		if err := take(b, address, s, filepath.Join(out, s.file)); err != nil {
			return fmt.Errorf("%s: %w", s.file, err)
		}
		fmt.Fprintln(f.Out, filepath.Join(out, s.file))
	}
	return nil
}

func take(b *browser.Browser, address string, s shot, file string) error {
	if s.page != "" {
		if err := b.Open(address + s.page); err != nil {
			return err
		}
	}
	if s.do != "" {
		if err := b.Run(s.do); err != nil {
			return err
		}
	}
	if err := b.Until(s.until, 2*time.Minute); err != nil {
		return err
	}
	if err := b.Until(`document.fonts.status === 'loaded'`, 10*time.Second); err != nil {
		return err
	}
	return b.Picture(file)
}
