package agent

import (
	"context"
	"encoding/json"
	"os"
	"path/filepath"
	"slices"
	"time"

	"cirque/core/endpoint"
	"cirque/core/estate"
	"cirque/core/fault"
	"cirque/core/name"
	"cirque/internal/agentproto"
	"cirque/internal/whole"
)

// askWho is how often the service is asked how people are known, while nobody comes or goes.
const askWho = 10 * time.Minute

// said are the people who have said who they are, by the system's folded name. It is a file of its own, since another
// process writes it.
type said map[string]string

func saidFile(state string) string { return filepath.Join(state, "said.json") }

func readSaid(state string) said {
	out := said{}
	if b, err := os.ReadFile(saidFile(state)); err == nil {
		_ = json.Unmarshal(b, &out) // a broken file says nothing
	}
	return out
}

// identify works out for whom lineups are asked: each session's person, by the way that the service has set.
func identify(facts Facts, who endpoint.Who, told said) (Facts, []endpoint.Login) {
	var logins []endpoint.Login
	sessions := make([]Session, 0, len(facts.Sessions))
	for _, s := range facts.Sessions {
		unknown := slices.ContainsFunc(who.Unknown, func(n string) bool { return name.Fold(n) == name.Fold(s.User) })
		l := endpoint.Taken(who.UserFrom, s.User, unknown, told[name.Fold(s.User)])
		logins = append(logins, l)
		if l.User != "" {
			s.User = l.User
			sessions = append(sessions, s)
		}
	}
	facts.Sessions = sessions
	return facts, logins
}

// facts reads the machine, and finds out who its people are. What the service last said of that is kept for when it is
// away.
func (a *Agent) facts(ctx context.Context) (Facts, error) {
	facts, err := a.cfg.Machine.Facts(ctx)
	if err != nil {
		return facts, err
	}
	if a.identity != nil {
		facts.Machine = a.identity.Machine // as which it is enrolled
	}
	names := []string{}
	for _, s := range facts.Sessions {
		if s.User != "" && !slices.Contains(names, s.User) {
			names = append(names, s.User)
		}
	}
	slices.Sort(names)
	if len(names) > 0 && (!slices.Equal(names, a.kept.Asked) || time.Since(a.whoAt) > askWho) {
		if who, err := a.client.who(ctx, names); err == nil {
			a.whoAt = time.Now()
			a.kept.Who, a.kept.Asked = who, names
			a.keep()
		} else if ctx.Err() == nil {
			a.cfg.Log.Debug("how people are known was not told", "error", err)
		}
	}
	facts, a.logins = identify(facts, a.kept.Who, readSaid(a.cfg.State))
	for _, l := range a.logins {
		if l.How == "waiting" && !slices.Contains(a.waited, l.System) {
			a.waited = append(a.waited, l.System)
			a.cfg.Log.Info("a person is asked who they are", "login", l.System, "with", "cirque-agent say-who")
		}
	}
	return facts, nil
}

func (c *client) who(ctx context.Context, names []string) (endpoint.Who, error) {
	var out endpoint.Who
	// Briefly: queues that are known already do not wait for it.
	_, body, err := c.post(ctx, agentproto.WhoPath, agentproto.WhoRequest{Names: names}, nil, 5*time.Second)
	if err == nil {
		err = json.Unmarshal(body, &out)
	}
	return out, err
}

// A Reach is how an agent's other commands reach the service: as the machine that is enrolled.
type Reach struct {
	client *client
	state  string
}

// ReachBy makes one from what enrolling left.
func ReachBy(state string) (*Reach, error) {
	id, err := ReadIdentity(state)
	if err != nil {
		return nil, err
	}
	c, err := clientOf(id)
	return &Reach{c, state}, err
}

// Notice gives what a person reads who is asked who they are, and whether they are asked at all.
func (r *Reach) Notice(ctx context.Context, login string) (notice string, asked bool, err error) {
	who, err := r.client.who(ctx, []string{login})
	return who.Notice, who.UserFrom == estate.FromAsking || who.UserFrom == estate.SystemUnlessUnknown &&
		len(who.Unknown) > 0, err
}

// Forget takes back what somebody said of who they are.
func (r *Reach) Forget(login string) error {
	told := readSaid(r.state)
	delete(told, name.Fold(login))
	b, err := json.Marshal(told)
	if err != nil {
		return err
	}
	return whole.Write(saidFile(r.state), b, 0o600)
}

// SayWho tells the service who a person is, and keeps it where the agent sees it.
func (r *Reach) SayWho(ctx context.Context, login, called, password string) (user string, err error) {
	_, body, err := r.client.post(ctx, agentproto.SaidWhoPath, agentproto.SaidWho{Login: login, Name: called,
		Password: password}, nil, 30*time.Second)
	if err != nil {
		return "", err
	}
	var p agentproto.Person
	if err := json.Unmarshal(body, &p); err != nil || p.User == "" {
		return "", fault.New(fault.Unavailable, "answer", "look at the service's log",
			"the service's answer cannot be read").Because(err)
	}
	told := readSaid(r.state)
	told[name.Fold(login)] = p.User
	b, err := json.Marshal(told)
	if err != nil {
		return "", err
	}
	return p.User, whole.Write(saidFile(r.state), b, 0o600)
}
