package agentcli

import (
	"cmp"
	"context"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"

	"cirque/internal/agent"
	"cirque/internal/cmdline"
)

// running is what run was told.
type running struct {
	version               string
	to                    reach
	spooler, state, table string
	setUp                 string
	serve                 bool
}

// run runs the agent until ctx ends.
func (r *running) run(ctx context.Context, c *cobra.Command, log slog.Handler) error {
	set := agent.SetUp{}
	if r.setUp != "" {
		var err error
		if set, err = agent.ReadSetUp(r.setUp); err != nil {
			return err
		}
		if !c.Flags().Changed("spooler") {
			r.spooler = cmp.Or(set.Spooler, r.spooler)
		}
		r.serve = r.serve || set.Serve
	}
	o, err := opened(r.spooler, r.serve)
	if err != nil {
		return err
	}
	if r.setUp != "" && r.to.service == "" && r.to.tokenFile == "" {
		if err := agent.EnrolBy(ctx, r.setUp, cmp.Or(r.state, o.State), o.Machine, slog.New(log)); err != nil {
			return err
		}
	}
	var token string
	var ca []byte
	if r.to.service != "" || r.to.tokenFile != "" {
		if r.to.service == "" || r.to.tokenFile == "" {
			return &cmdline.Usage{What: "name both --service and --token-file, or neither on a machine that is enrolled"}
		}
		if token, ca, err = r.to.read(c.InOrStdin()); err != nil {
			return err
		}
	}
	if r.table != "" {
		if o.Reach, err = agent.ReadReach(r.table); err != nil {
			return err
		}
	}
	cfg := agent.Config{Reach: o.Reach, Service: r.to.service, Token: token, CA: ca, State: cmp.Or(r.state,
		o.State), Version: r.version, Spooler: o.Spooler, Machine: o.Machine,
		Log: slog.New(log), Installer: agent.SystemInstaller(set.Updates != ""),
		Consent: set.Consent != ""}
	var a runner
	if o.server != nil {
		a, err = agent.NewKeeper(cfg, o.server)
	} else {
		a, err = agent.New(cfg)
	}
	if err != nil {
		return err
	}
	facts, err := o.Machine.Facts(ctx)
	if err != nil {
		return err
	}
	does := map[bool]string{false: "follows", true: "keeps its print server by"}[r.serve]
	fmt.Fprintf(c.OutOrStdout(), "%s %s %s, with the spooler %s.\n", facts.Machine, does, a.Follows(), r.spooler)
	hup := make(chan os.Signal, 1)
	signal.Notify(hup, syscall.SIGHUP) // it looks anew, and never ends by it
	go func() {
		for range hup {
			_ = agent.CallHere(cmp.Or(r.state, o.State))
		}
	}()
	return a.Run(ctx)
}

// A runner keeps a machine in line, as an endpoint or as a print server.
type runner interface {
	Follows() string
	Run(ctx context.Context) error
}

// openedAs is a spooler as an endpoint's, or as a print server's.
type openedAs struct {
	agent.Opened
	server agent.ServerSpooler // nil for an endpoint
}

func opened(spooler string, serve bool) (openedAs, error) {
	if !serve {
		o, err := agent.Open(spooler)
		return openedAs{Opened: o}, err
	}
	o, err := agent.OpenServer(spooler)
	return openedAs{agent.Opened{Machine: o.Machine, State: o.State}, o.Spooler}, err
}
