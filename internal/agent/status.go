package agent

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"cirque/core/lineup"
	"cirque/core/words"
)

// Status says how a machine stands, for whoever sits at it: by whom it is served, who its people are, and what each of
// them has, or in plain words why nothing. An error is what keeps it from saying more.
func Status(ctx context.Context, state string, m Machine) ([]string, error) {
	id, err := ReadIdentity(state)
	if err != nil {
		return nil, err
	}
	from, until, err := id.Lasts()
	if err != nil {
		return nil, err
	}
	out := []string{fmt.Sprintf("%s is enrolled at %s, from %s until %s.", id.Machine, id.Service,
		from.Local().Format(time.DateOnly), until.Local().Format(time.DateOnly))}
	var k kept
	b, err := os.ReadFile(filepath.Join(state, keptFile))
	if err == nil {
		_ = json.Unmarshal(b, &k) // a broken file has been said in the log
	}
	if says := Keeps(state); says != "" {
		out = append(out, says)
		if err != nil { // it has never been anybody's desk
			return out, nil
		}
	}
	facts, err := m.Facts(ctx)
	if err != nil {
		return out, err
	}
	facts.Machine = id.Machine
	facts, logins := identify(facts, k.Who, readSaid(state))
	for _, l := range logins {
		switch {
		case l.How == "waiting":
			out = append(out, fmt.Sprintf("%s has not said yet who they are: cirque-agent say-who", l.System))
		case l.How == "asked":
			out = append(out, fmt.Sprintf("%s is %s, as they said.", l.System, l.User))
		case len(k.Who.Unknown) > 0 && strings.Contains(" "+strings.ToLower(strings.Join(k.Who.Unknown, " "))+" ",
			" "+strings.ToLower(l.System)+" "):
			out = append(out, fmt.Sprintf("%s is unknown to the service, and receives what everybody does.", l.System))
		}
	}
	c, err := clientOf(id)
	if err != nil {
		return out, err
	}
	lineups, _, _, err := c.ask(ctx, facts.contexts(), "", 0)
	switch {
	case err != nil:
		out = append(out, "The service cannot be asked just now; this is what was last heard.")
		lineups = k.Lineups
	case c.age > 0:
		out = append(out, fmt.Sprintf("The service has heard of no changes for %s; this is as of %s.", words.Span(c.age),
			time.Now().Add(-c.age).Local().Format("15:04:05")))
	}
	for _, l := range lineups {
		out = append(out, tell(l)...)
	}
	if k.Waits {
		out = append(out, "Nothing of it is done here before somebody agrees: cirque-agent plan, then cirque-agent plan "+
			"--agree")
	}
	return out, err
}

// Keeps says which print server is kept by an agent that keeps what it knows in a folder; "" where none was.
func Keeps(state string) string {
	b, err := os.ReadFile(filepath.Join(state, servingFile))
	var s serving
	switch {
	case err != nil || json.Unmarshal(b, &s) != nil:
		return ""
	case s.Now.Server == "":
		return "It is ready to keep a print server, and the estate has none for it."
	}
	return fmt.Sprintf("It keeps the print server %s, which is to have %s by revision %d; what its agent would do now: "+
		"cirque-agent plan --serve", s.Now.Server, words.Count(len(s.Now.Wants), "queue"), s.Now.Revision)
}

// tell puts a lineup into words.
func tell(l lineup.Lineup) []string {
	who := "Whoever sits at " + *l.Context.Machine
	if l.Context.User != nil {
		who = *l.Context.User
	}
	where := "at a place that is not known: no subnet of the estate holds its addresses"
	if l.Context.Location != nil {
		where = "at " + *l.Context.Location
	}
	var have []string
	for _, e := range l.Entries {
		if e.Effect != lineup.Offered {
			have = append(have, e.Queue)
		}
	}
	out := []string{fmt.Sprintf("%s, %s: %s", who, where, strings.Join(have, ", "))}
	if len(have) == 0 {
		out[0] = fmt.Sprintf("%s, %s: no queue, since no grant names them here", who, where)
	}
	for _, o := range l.LeftOut {
		out = append(out, fmt.Sprintf("  not %s: %s", o.Queue, o.Reason))
	}
	return out
}
