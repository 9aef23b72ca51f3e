package bench

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"strconv"
	"time"

	"turnvex.example/turnvex/internal/node/service"
	"turnvex.example/turnvex/internal/tool/browser"
	"turnvex.example/turnvex/internal/tool/field"
	"turnvex.example/turnvex/internal/tool/load"
)

func consoleBenchmarks() []Benchmark {
	return []Benchmark{
		{"console-frames", "the console's page of a match of 100 players who move against an empty animated page",
			consoleFrames},
		{"console-heap", "what that page holds at its beginning against ten minutes later", consoleHeap},
	}
}

// frameCounter counts frames, and how long the scripts of each took, with the style and layout that follow: they are
// asked for behind the last callback.
const frameCounter = `(() => { window.frames_ = []; const ask = window.requestAnimationFrame.bind(window)
	let spent = 0
	window.requestAnimationFrame = f => ask(now => { const t = performance.now(); f(now)
		spent += performance.now() - t })
	const next = () => { const t = performance.now(); document.body.offsetHeight
		window.frames_.push(spent + performance.now() - t); spent = 0; ask(next) }
	ask(next) })()`

const frameResult = `(() => { const f = window.frames_.splice(0).sort((a, b) => a - b)
	return f.length + " " + (f[Math.floor(f.length * 0.95)] ?? 0) })()`

// watched is a browser that shows a match of 100 players who move and act, in other processes.
type watched struct {
	*browser.Browser
	table *Table
	node  *service.Service
	page  string
	stop  func()
}

// watch starts one, with a load that lasts for so long.
func watch(t *Table, lasts time.Duration) (*watched, error) {
	ctx, end := context.WithCancel(context.Background())
	node, stop, err := t.Node(ctx)
	if err != nil {
		end()
		return nil, err
	}
	w := &watched{table: t, node: node, stop: func() { end(); stop() }}
	if err := w.begin(ctx, lasts); err != nil {
		w.stop()
		return nil, err
	}
	return w, nil
}

func (w *watched) begin(ctx context.Context, lasts time.Duration) error {
	if _, _, err := w.node.Library.Load(ctx, []byte(throngBook)); err != nil {
		return err
	}
	players := w.players()
	data, err := json.Marshal(load.Config{Service: w.node.Address, Rulebook: "throng", Clients: players, Lobby: players,
		Rate: 2, For: lasts, Warmup: time.Second, Real: true, Seed: 1})
	if err != nil {
		return err
	}
	cmd, err := field.Command(ctx, "load-clients")
	if err != nil {
		return err
	}
	cmd.Stdin = bytes.NewReader(data)
	if err := cmd.Start(); err != nil {
		return err
	}
	go cmd.Wait()
	for until := time.Now().Add(time.Minute); w.node.Hall.Seats() < players; time.Sleep(200 * time.Millisecond) {
		if time.Now().After(until) {
			return fmt.Errorf("of %d players %d have come", players, w.node.Hall.Seats())
		}
	}
	w.page = "/lobby/" + w.node.Hall.All()[0].Code
	w.Browser, err = browser.Start(ctx)
	return err
}

// measure counts the frames of a page for five seconds.
func (w *watched) measure(page, ready string) (frames, slow float64, err error) {
	if err := w.Open(w.node.Address + page); err != nil {
		return 0, 0, err
	}
	if err := w.Until(ready, time.Minute); err != nil {
		return 0, 0, err
	}
	if err := w.Run(frameCounter); err != nil {
		return 0, 0, err
	}
	time.Sleep(time.Second)
	if _, err := w.Text(frameResult); err != nil {
		return 0, 0, err
	}
	measured := w.table.For(5*time.Second, time.Second)
	time.Sleep(measured)
	text, err := w.Text(frameResult)
	if err != nil {
		return 0, 0, err
	}
	_, err = fmt.Sscan(text, &frames, &slow)
	return frames / measured.Seconds(), slow, err
}

// players is how many players the match has; all tells whether the page shows them.
func (w *watched) players() int { return w.table.Size(100, 4) }

func (w *watched) all() string {
	return fmt.Sprintf(`document.querySelectorAll('[data-seat]').length === %d`, w.players())
}

func consoleFrames(t *Table) error {
	w, err := watch(t, 2*time.Minute)
	if err != nil {
		return err
	}
	defer w.stop()
	var empty, match, slow float64
	rounds := t.Size(3, 1)
	for range rounds { // in turns: the machine is noisy
		e, _, err := w.measure("/nowhere", `!!document.querySelector('main h1')`)
		if err != nil {
			return err
		}
		m, s, err := w.measure(w.page, w.all())
		if err != nil {
			return err
		}
		n := float64(rounds)
		empty, match, slow = empty+e/n, match+m/n, slow+s/n
	}
	t.Row("frames a second of an empty page", fmt.Sprintf("%.1f", empty), "")
	t.Row("frames a second of the match", fmt.Sprintf("%.1f", match), "")
	t.Row("of these", fmt.Sprintf("%.2f", match/empty), "≥ 0.80")
	t.Row("scripts, style and layout of a frame, 95 of 100", fmt.Sprintf("%.1f ms", slow), "≤ 8 ms")
	return nil
}

// heapOf is what a page holds when nothing more can be freed, in bytes.
func (w *watched) heap() (float64, error) {
	least := 0.0
	for range 5 {
		text, err := w.Text(`(gc(), String(performance.memory.usedJSHeapSize))`)
		if err != nil {
			return 0, err
		}
		n, err := strconv.ParseFloat(text, 64)
		if err != nil {
			return 0, err
		}
		if least == 0 || n < least {
			least = n
		}
		time.Sleep(300 * time.Millisecond)
	}
	return least, nil
}

func consoleHeap(t *Table) error {
	w, err := watch(t, 12*time.Minute)
	if err != nil {
		return err
	}
	defer w.stop()
	if err := w.Open(w.node.Address + w.page); err != nil {
		return err
	}
	if err := w.Until(w.all(), time.Minute); err != nil {
		return err
	}
	time.Sleep(w.table.For(30*time.Second, time.Second))
	first, err := w.heap()
	if err != nil {
		return err
	}
	time.Sleep(w.table.For(10*time.Minute, time.Second))
	last, err := w.heap()
	if err != nil {
		return err
	}
	t.Row("heap after half a minute", fmt.Sprintf("%.1f MB", first/1e6), "")
	t.Row("heap ten minutes later", fmt.Sprintf("%.1f MB", last/1e6), "")
	t.Row("growth", fmt.Sprintf("%.2f", last/first), "≤ 1.10")
	return nil
}
