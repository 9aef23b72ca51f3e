package api

// by makes a part of the API answer a route. The parts are the server with methods of their own: they share what it
// has, and none reaches another.
func by[P ~struct{ *server }](do func(*P, *call) (any, error)) deed {
	return deed{do: func(s *server, c *call) (any, error) {
		p := P{s}
		return do(&p, c)
	}}
}

// taking is by for a route that is sent JSON, which is decoded into a T first.
func taking[P ~struct{ *server }, T any](do func(*P, *call, T) (any, error)) deed {
	var none T
	return deed{in: none, do: func(s *server, c *call) (any, error) {
		in, err := read[T](c)
		if err != nil {
			return nil, err
		}
		p := P{s}
		return do(&p, c, in)
	}}
}

// deed is what answers a route, with what the body of a request is; nil for what is not JSON or not always there.
type deed struct {
	do func(*server, *call) (any, error)
	in any
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
