package cli

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"time"

	"turnvex.example/turnvex/client"
)

const defaultService = "http://127.0.0.1:7420"

// session is what the commands that talk to a service share.
type session struct {
	service string
	profile string
	json    bool
}

func (s *session) flags(fs *flag.FlagSet) {
	fs.StringVar(
		&s.service,
		"service",
		env("TURNVEX_SERVICE", ""),
		"`address` of the service; default: the profile's, or "+defaultService+" (environment TURNVEX_SERVICE)",
	)
	fs.StringVar(
		&s.profile,
		"profile",
		env("TURNVEX_PROFILE", "default"),
		"`name` of the player's profile on this machine (environment TURNVEX_PROFILE)",
	)
	fs.BoolVar(&s.json, "json", false, "write JSON: one document, or one per line")
}

// profile is what this machine keeps of a player.
type profile struct {
	Service string    `json:"service"`
	Device  string    `json:"device"` // the key that signs in; keep it secret
	Player  string    `json:"player"`
	Name    string    `json:"name"`
	Token   string    `json:"token"`
	Expires time.Time `json:"expires"`
}

var profileName = regexp.MustCompile(`^[a-zA-Z0-9_-]{1,32}$`)

func (s *session) file() (string, error) {
	if !profileName.MatchString(s.profile) {
		return "", errUsage{fmt.Sprintf("the profile name %q must have 1 to 32 letters, digits, - or _", s.profile)}
	}
	dir := os.Getenv("TURNVEX_HOME")
	if dir == "" {
		base, err := os.UserConfigDir()
		if err != nil {
			return "", fmt.Errorf("%w; set TURNVEX_HOME to a folder for the profiles", err)
		}
		dir = filepath.Join(base, "turnvex")
	}
	return filepath.Join(dir, s.profile+".json"), nil
}

func (s *session) load() (*profile, error) {
	file, err := s.file()
	if err != nil {
		return nil, err
	}
	p := &profile{}
	data, err := os.ReadFile(file)
	if err == nil {
		err = json.Unmarshal(data, p)
	} else if errors.Is(err, fs.ErrNotExist) {
		err = nil
	}
	if err != nil {
		return nil, fmt.Errorf("the profile %s cannot be read: %w", file, err)
	}
	if s.service != "" && s.service != p.Service {
		p.Service, p.Token, p.Player = s.service, "", ""
	}
	if p.Service == "" {
		p.Service = defaultService
	}
	return p, nil
}

// remembered says that the address of the service is the profile's, where a command was given no other.
func remembered(flags *flag.FlagSet) string {
	service, name := flags.Lookup("service"), flags.Lookup("profile")
	if service == nil || name == nil || service.Value.String() != "" {
		return ""
	}
	s := session{profile: name.Value.String()}
	if p, err := s.load(); err != nil || p.Service == defaultService {
		return ""
	}
	return fmt.Sprintf("The profile %s remembers this address from an earlier command; give another one with "+
		"-service, such as -service %s.\n", s.profile, defaultService)
}

func (s *session) save(p *profile) error {
	file, err := s.file()
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	data, err := json.MarshalIndent(p, "", "  ")
	if err != nil {
		return err
	}
	return os.WriteFile(file, append(data, '\n'), 0o600)
}

// signIn signs the profile in: with a name when one is given, and with a new device key when there is none yet.
func (s *session) signIn(ctx context.Context, p *profile, name string) (*client.Signed, error) {
	if p.Device == "" {
		p.Device = rand.Text() + rand.Text()
	}
	in, err := client.SignIn(ctx, p.Service, p.Device, name)
	if err != nil {
		return nil, err
	}
	return in, s.keep(p, in)
}

// signInAs signs in as the player of an account, if a login is given.
func (s *session) signInAs(ctx context.Context, t *Terminal, p *profile, name, login string) (*client.Signed, error) {
	if login == "" {
		return s.signIn(ctx, p, name)
	}
	pass, err := password(t, "Password")
	if err != nil {
		return nil, err
	}
	if p.Device == "" {
		p.Device = rand.Text() + rand.Text()
	}
	in, err := client.SignInAccount(ctx, p.Service, login, pass, p.Device)
	if err != nil {
		return nil, err
	}
	return in, s.keep(p, in)
}

// keep keeps a sign-in in the profile.
func (s *session) keep(p *profile, in *client.Signed) error {
	p.Player, p.Name, p.Token, p.Expires = in.Player, in.Name, in.Token, in.Expires
	return s.save(p)
}

// open returns the profile, signed in.
func (s *session) open(ctx context.Context, t *Terminal) (*profile, client.Service, error) {
	p, err := s.load()
	if err != nil {
		return nil, client.Service{}, err
	}
	if p.Token == "" || time.Until(p.Expires) < time.Minute {
		in, err := s.signIn(ctx, p, "")
		if err != nil {
			return nil, client.Service{}, err
		}
		if in.New {
			fmt.Fprintf(t.Err, "Signed in at %s as %s; turnvex rename changes the name.\n", p.Service, in.Name)
		}
	}
	return p, client.Service{Address: p.Service, Token: p.Token}, nil
}

// reader returns the service for what needs no player.
func (s *session) reader() (client.Service, error) {
	p, err := s.load()
	if err != nil {
		return client.Service{}, err
	}
	return client.Service{Address: p.Service}, nil
}

// keyFlag is the flag that names the file with a service key.
func keyFlag(fs *flag.FlagSet) *string {
	return fs.String("key-file", "", "`file` with a service key; otherwise TURNVEX_OPERATOR_KEY")
}

// operator returns the service, signed in with an operator's key.
func (s *session) operator(ctx context.Context, keyFile string) (client.Service, error) {
	svc, err := s.reader()
	if err != nil {
		return svc, err
	}
	key := os.Getenv("TURNVEX_OPERATOR_KEY")
	if keyFile != "" {
		data, err := os.ReadFile(keyFile)
		if err != nil {
			return svc, err
		}
		key = strings.TrimSpace(string(data))
	}
	if key == "" {
		return svc, errUsage{"an operator's key is needed: -key-file FILE or TURNVEX_OPERATOR_KEY"}
	}
	in, err := client.SignInKey(ctx, svc.Address, key)
	if err != nil {
		return svc, err
	}
	svc.Token = in.Token
	return svc, nil
}
