package siege

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"strings"
	"sync/atomic"
	"time"

	"turnvex.example/turnvex/client"
)

// peers passes for another node: requests that it says to have passed on for others are its own, and count for its own
// address; and it does what only operators and service keys may.
func peers(ctx context.Context, a *attacker) func(context.Context) {
	guest := a.guest(ctx)
	l, err := client.Service{Address: a.node, Token: guest.Token, HTTP: from(243)}.
		Open(ctx, client.Opening{Rulebook: "clash"})
	if err != nil {
		panic(err)
	}
	return func(ctx context.Context) {
		h := from(34)
		var looked atomic.Int64
		each(ctx, 8, func(i int) {
			method, path := "GET", "/v1/lobbies/"+randomCode()
			switch rand.IntN(4) {
			case 0:
				method, path = "POST", "/v1/nodes/node1/drain"
			case 1:
				path = "/v1/journals/" + l.Code + "/view"
			case 2:
				method, path = "POST", "/v1/lobbies/"+l.Code+"/move"
			}
			req, _ := http.NewRequestWithContext(ctx, method, a.target+path, strings.NewReader(`{"node":"node1"}`))
			req.Header.Set("Turnvex-Passed-On", fmt.Sprintf("%d 198.51.100.%d here %064x", time.Now().UnixMilli(),
				rand.IntN(250), rand.Uint64()))
			req.Header.Set("Authorization", "Bearer "+guest.Token)
			res, err := h.Do(req)
			if err != nil {
				return
			}
			io.Copy(io.Discard, res.Body)
			res.Body.Close()
			a.count(fmt.Sprint(res.StatusCode))
			switch {
			case res.StatusCode < 300:
				a.breaks("a guest is let through: %s %s", method, path)
			case res.StatusCode == http.StatusNotFound && looked.Add(1) > 60:
				a.breaks("who passes for a node looked for %d codes", looked.Load())
			}
		})
	}
}
