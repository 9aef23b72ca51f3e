package cli

import (
	"context"
	"flag"

	"turnvex.example/turnvex/client"
)

// call does the work of a command that asks a service.
type call func(ctx context.Context, t *Terminal, svc client.Service, args []string) error

// asOperator is the setup of a command that asks the service with a service key.
func asOperator(setup func(*flag.FlagSet, *session) call) func(*flag.FlagSet) runner {
	return func(fs *flag.FlagSet) runner {
		keyFile := keyFlag(fs)
		return asking(setup, func(ctx context.Context, _ *Terminal, s *session) (client.Service, error) {
			return s.operator(ctx, *keyFile)
		})(fs)
	}
}

// asPlayer is the setup of a command that asks the service as the profile's player.
func asPlayer(setup func(*flag.FlagSet, *session) call) func(*flag.FlagSet) runner {
	return asking(setup, func(ctx context.Context, t *Terminal, s *session) (client.Service, error) {
		_, svc, err := s.open(ctx, t)
		return svc, err
	})
}

// asAnyone is the setup of a command that asks the service without a sign-in.
func asAnyone(setup func(*flag.FlagSet, *session) call) func(*flag.FlagSet) runner {
	return asking(setup, func(_ context.Context, _ *Terminal, s *session) (client.Service, error) { return s.reader() })
}

func asking(setup func(*flag.FlagSet, *session) call,
	service func(context.Context, *Terminal, *session) (client.Service, error)) func(*flag.FlagSet) runner {
	return func(fs *flag.FlagSet) runner {
		var s session
		s.flags(fs)
		do := setup(fs, &s)
		return func(ctx context.Context, t *Terminal, args []string) error {
			svc, err := service(ctx, t, &s)
			if err != nil {
				return err
			}
			return do(ctx, t, svc, args)
		}
	}
}
