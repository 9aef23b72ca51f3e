// Package shots takes the documentation's pictures of the console from the
// running demo.
package shots

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"time"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/tool/browser"
)

// shot is one picture: a page, what to wait for, and what to do before it.
type shot struct {
	file, page, until, do string
}

const playing = `document.querySelector('[data-test=phase]')?.innerText === 'play' && document.querySelectorAll('[data-seat]').length >= 3`

// Run takes every picture, as the arguments say.
func Run(args []string) error {
	fs := flag.NewFlagSet("shots", flag.ExitOnError)
	address := fs.String("service", "http://127.0.0.1:7420", "`address` of the demo's service")
	key := fs.String("key", "", "the demo's operator `key`")
	out := fs.String("out", "docs/screenshots", "`folder` for the pictures")
	fs.Parse(args)
	return run(*address, *key, *out)
}

func run(address, key, out string) error {
	ctx := context.Background()
	page, err := client.Service{
		Address: address,
	}.Lobbies(ctx, client.Filter{Rulebook: "clash", Title: "Lantern"}, "", 0, "")
	if err != nil || len(page.Lobbies) == 0 {
		return fmt.Errorf("the demo does not run at %s: %v", address, err)
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
	if err := b.Until(`document.body.innerText.includes('Sign out')`, 10*time.Second); err != nil {
		return err
	}
	for _, s := range []shot{
		{"console-lobbies.png", "/", `document.querySelectorAll('tbody tr').length >= 3`, ""},
		{"console-match.png", "/lobby/" + page.Lobbies[0].Code,
			playing + ` && document.querySelectorAll('circle').length > 8`, ""},
		{"console-compare.png", "", playing + ` && document.querySelectorAll('[data-test=compare] tbody tr').length > 20 && !!document.querySelector('[data-test=copies]')`, `document.querySelector('[data-test=compare]').scrollIntoView(); document.querySelector('[data-test=ask-copies]').click()`},
		{"console-results.png", "/results", `document.querySelectorAll('[data-match]').length >= 1`, ""},
		{"console-board.png", "/boards/course/week", `document.querySelectorAll('tbody tr').length >= 20 && !!document.querySelector('select')`, ""},
		{"console-rulebooks.png", "/rulebooks", `document.body.innerText.includes('clash')`, ""},
	} {
		if err := take(b, address, s, filepath.Join(out, s.file)); err != nil {
			return fmt.Errorf("%s: %w", s.file, err)
		}
		fmt.Println(filepath.Join(out, s.file))
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
