package cli

import (
	"context"
	"flag"
	"fmt"
	"strconv"
	"time"

	"turnvex.example/turnvex/client"
)

func nodesCommand() command {
	return command{name: "nodes", summary: "List the service's nodes and their load, with a service key",
		details: "A node that has not renewed its lease is gone: another node in its region takes over its lobbies.",
		setup: asOperator(func(fs *flag.FlagSet, s *session) call {
			return func(ctx context.Context, t *Terminal, svc client.Service, _ []string) error {
				list, err := svc.Nodes(ctx)
				return show(s, t, list, err, "NODE|STATE|REGION|LOBBIES|SEATS|CONNECTIONS|VERSION|SINCE|ADDRESS",
					func(n client.Node) []string {
						name := n.Name
						if n.Here {
							name += " (asked)"
						}
						return []string{name, n.State, n.Region, strconv.Itoa(n.Lobbies), strconv.Itoa(n.Seats),
							strconv.Itoa(n.Connections), n.Version, n.Started.Local().Format(time.DateTime), n.Address}
					})
			}
		}),
	}
}

func drainCommand() command {
	return command{name: "drain", args: "NODE",
		summary: "Move all lobbies of a node to others in its region, as an operator",
		details: "Play continues: clients are redirected to the same seats. With -undo the node takes lobbies again.",
		setup: asOperator(func(fs *flag.FlagSet, s *session) call {
			undo := fs.Bool("undo", false, "let it take lobbies again")
			why := fs.String("why", "", "the `reason`, for the audit trail")
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				if err := svc.Drain(ctx, args[0], !*undo, *why); err != nil {
					return err
				}
				if *undo {
					return s.done(t, fmt.Sprintf("%s takes lobbies again.", args[0]))
				}
				return s.done(t, fmt.Sprintf("%s takes no more lobbies and hands over those it has; turnvex nodes "+
					"shows how many are left.", args[0]))
			}
		}),
	}
}

func moveCommand() command {
	return command{name: "move", args: "CODE NODE",
		summary: "Move a lobby to another node in its region, as an operator",
		details: "Play continues: clients are redirected to the same seats.",
		setup: asOperator(func(fs *flag.FlagSet, s *session) call {
			why := fs.String("why", "", "the `reason`, for the audit trail")
			return func(ctx context.Context, t *Terminal, svc client.Service, args []string) error {
				return s.did(t, svc.Move(ctx, args[0], args[1], *why),
					fmt.Sprintf("The lobby %s is at %s now.", args[0], args[1]))
			}
		}),
	}
}
