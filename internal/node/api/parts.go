package api

// by makes a part of the API answer a route. The parts are the server with methods of their own: they share what it
// has, and none reaches another.
func by[P ~struct{ *server }](do func(*P, *call) (any, error)) func(*server, *call) (any, error) {
	return func(s *server, c *call) (any, error) {
		p := P{s}
		return do(&p, c)
	}
}

// The parts of the API.
type (
	boards   struct{ *server } // leaderboards
	books    struct{ *server } // rulebooks
	front    struct{ *server } // what stands before every route: addresses, origins, limits, files
	lobbies  struct{ *server } // lobbies: found, opened, joined, changed, ended
	meetings struct{ *server } // matches that belong together
	nodes    struct{ *server } // the nodes of the service
	people   struct{ *server } // what people and keys do with their accounts
	players  struct{ *server } // players, as operators and services see them
	results  struct{ *server } // results, records and totals
	sessions struct{ *server } // the console's sessions
	stories  struct{ *server } // journals, playbacks and exports
	trails   struct{ *server } // the audit trail
)
