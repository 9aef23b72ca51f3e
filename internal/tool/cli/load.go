package cli

import (
	"context"
	"flag"
	"fmt"

	"turnvex.example/turnvex/client"
	"turnvex.example/turnvex/internal/tool/load"
)

func loadCommand() command {
	return command{name: "load", args: "RULEBOOK", summary: "Load a service with simulated clients and measure it",
		details: "Clients sign in, gather in their own lobbies, get ready and act at random. The table shows how\n" +
			"much they received, compared with sending the whole state or a patch each tick, and how long\n" +
			"intents took until the verdict and until every replica. Unless -real, the lobbies are practice\n" +
			"lobbies, nothing is saved, and the players are deleted at the end.",
		setup: asAnyone(func(fs *flag.FlagSet, s *session) call {
			var cfg load.Config
			fs.IntVar(&cfg.Clients, "clients", 8, "how `many` clients")
			fs.IntVar(&cfg.Lobby, "lobby", 0, "clients per lobby; 0 means as `many` as the rulebook seats, at most 8")
			fs.DurationVar(&cfg.For, "for", 0, "how `long` to measure (default 20s)")
			fs.DurationVar(&cfg.Warmup, "warm-up", 0, "how `long` they play before measuring (default 3s)")
			fs.Float64Var(&cfg.Rate, "rate", 2, "intents per `second` and client")
			fs.BoolVar(&cfg.Real, "real", false, "use real lobbies: results, records and boards are saved")
			fs.BoolVar(&cfg.JSON, "speak-json", false, "use turnvex.v1+json instead of turnvex.v1+cbor")
			fs.Uint64Var(&cfg.Seed, "seed", 1, "seed of what they do")
			bad := fs.String("rough", "", "make the connections bad: `delay=80ms,jitter=20ms,stall=2s/30s,cut=1m`")
			options := optionList{}
			fs.Var(options, "option", "`NAME=VALUE` of an option of the rulebook; may be repeated")
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				var err error
				if cfg.Rough, err = client.ParseRough(*bad); err != nil {
					return errUsage{"-rough: " + err.Error()}
				}
				cfg.Service, cfg.Rulebook, cfg.Options = svc.Address, args[0], options
				load.Quiet()
				if _, screen, ok := t.screen(); ok && !s.json {
					cfg.Progress = func(text string) { fmt.Fprintf(screen, "\r\x1b[K%s", text) }
				}
				report, err := load.Run(ctx, cfg)
				if cfg.Progress != nil {
					cfg.Progress("") // the report begins on an empty line
				}
				if err != nil {
					return err
				}
				if s.json {
					return writeJSON(t.Out, report)
				}
				return report.Write(t.Out)
			}
		}),
	}
}
