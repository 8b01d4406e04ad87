// Command cirque-sim runs the stand-ins by themselves: printers, and agents by the hundred.
package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"log/slog"
	"os"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"github.com/spf13/cobra"
	"go.yaml.in/yaml/v3"

	"cirque/internal/large"
	"cirque/internal/sim"
	"cirque/internal/whole"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	root := &cobra.Command{Use: "cirque-sim", Short: "Stand-in printers and agents, on loopback", SilenceErrors: true,
		SilenceUsage: true}
	root.AddCommand(printers(), agents(), organisation(), reports())
	if err := root.ExecuteContext(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "cirque-sim: "+err.Error())
		os.Exit(1)
	}
}

func printers() *cobra.Command {
	var tableFile string
	c := &cobra.Command{Use: "printers FILE", Short: "Run the printers of a stand-ins file until stopped",
		Args: cobra.ExactArgs(1),
		Long: `Run the printers of a stand-ins file, such as demo/stand-ins.yaml, and print where each listens.
With --address-table the table that leads to them is written to a file, for cirque serve
--address-table.`,
		RunE: func(c *cobra.Command, a []string) error {
			b, err := os.ReadFile(a[0])
			if err != nil {
				return err
			}
			var f struct {
				Printers []sim.Spec `yaml:"printers"`
			}
			if err := yaml.Unmarshal(b, &f); err != nil {
				return fmt.Errorf("%s: %w", a[0], err)
			}
			set, err := sim.Start(f.Printers)
			if err != nil {
				return err
			}
			for _, p := range f.Printers {
				fmt.Fprintf(c.OutOrStdout(), "%-20s %-36s at %s\n", p.Name, p.For, set.Table[p.For])
			}
			if tableFile != "" {
				b, err := yaml.Marshal(set.Table)
				if err != nil {
					return err
				}
				if err := whole.Write(tableFile, b, 0o644); err != nil {
					return err
				}
			}
			return set.Wait(c.Context())
		}}
	c.Flags().StringVar(&tableFile, "address-table", "", "write the table that leads to them to this file")
	return c
}

func organisation() *cobra.Command {
	var seed uint64
	var dir string
	var small, endpoints bool
	c := &cobra.Command{Use: "organisation --dir DIR", Short: "Write a large made-up organisation as files",
		Args: cobra.NoArgs,
		Long: `Write an estate, a directory and contexts of 100,000 people as estate.json, directory.json and
contexts.json; the same seed always gives the same.`,
		RunE: func(c *cobra.Command, _ []string) error {
			size := large.Full
			switch {
			case endpoints && small:
				size = large.SmallFleet
			case endpoints:
				size = large.Fleet
			case small:
				size = large.Small
			}
			if err := os.MkdirAll(dir, 0o755); err != nil {
				return err
			}
			return large.New(seed, size).Write(func(name string, b []byte) error {
				return whole.Write(filepath.Join(dir, name), b, 0o644)
			})
		}}
	c.Flags().Uint64Var(&seed, "seed", 1, "which of them")
	c.Flags().StringVar(&dir, "dir", "", "where the files go")
	c.Flags().BoolVar(&small, "small", false, "a hundredth of it")
	c.Flags().BoolVar(&endpoints, "endpoints", false, "with a machine for everybody, and 20,000 queues")
	_ = c.MarkFlagRequired("dir")
	return c
}

func reports() *cobra.Command {
	var seed uint64
	var small bool
	c := &cobra.Command{Use: "reports", Short: "Write what the endpoints of a large made-up organisation tell, " +
		"a line each",
		Args: cobra.NoArgs,
		Long: `Write what 100,000 endpoints tell, one report in JSON a line, each with how old it is in seconds; the same
seed always gives the same. Their organisation is that of "organisation --endpoints" with this seed.`,
		RunE: func(c *cobra.Command, _ []string) error {
			size := large.Fleet
			if small {
				size = large.SmallFleet
			}
			out := bufio.NewWriter(c.OutOrStdout())
			enc := json.NewEncoder(out)
			if err := large.New(seed, size).Reports(seed, func(t large.Reported) error {
				return enc.Encode(map[string]any{"age": t.Age.Seconds(), "report": t.Report})
			}); err != nil {
				return err
			}
			return out.Flush()
		}}
	c.Flags().Uint64Var(&seed, "seed", 1, "which of them")
	c.Flags().BoolVar(&small, "small", false, "a hundredth of it")
	return c
}

func agents() *cobra.Command {
	var service, tokenFile, dir string
	var over time.Duration
	c := &cobra.Command{Use: "agents --service URL --tokens FILE --dir DIR", Short: "Run many agents in one process, " +
		"until stopped", Args: cobra.NoArgs,
		Long: `Run an agent for each line of FILE, "MACHINE TOKEN", each with a stand-in spooler under DIR and one
person's session, and say once a second how many spoolers gained or lost a queue in it. Without
--dir the spoolers are in memory, and nothing is kept.`,
		RunE: func(c *cobra.Command, _ []string) error {
			tokens, order, err := readTokens(tokenFile)
			if err != nil {
				return err
			}
			if dir == "" {
				var counts sim.Counts
				go tell(c.Context(), &counts, len(order))
				return sim.RunCrowd(c.Context(), service, tokens, order, &counts, over)
			}
			go count(c.Context(), dir, order)
			crew := sim.Crew{Service: service, Dir: dir,
				Token: func(m string) (string, error) { return tokens[m], nil },
				Log:   slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: slog.LevelError}))}
			return crew.Run(c.Context(), sim.Crowd(order))
		}}
	f := c.Flags()
	f.StringVar(&service, "service", "", "the service's address")
	f.StringVar(&tokenFile, "tokens", "", "a file of lines MACHINE TOKEN")
	f.StringVar(&dir, "dir", "", "where the stand-in spoolers are kept; in memory when absent")
	f.DurationVar(&over, "over", 10*time.Second, "in memory: over how long they begin")
	for _, n := range []string{"service", "tokens"} {
		_ = c.MarkFlagRequired(n)
	}
	return c
}

func readTokens(file string) (map[string]string, []string, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, nil, err
	}
	defer func() { _ = f.Close() }()
	tokens, order := map[string]string{}, []string{}
	s := bufio.NewScanner(f)
	for s.Scan() {
		machine, token, ok := strings.Cut(strings.TrimSpace(s.Text()), " ")
		if ok {
			tokens[machine] = token
			order = append(order, machine)
		}
	}
	return tokens, order, s.Err()
}

// tell says once a second what spoolers in memory have seen, where that changed.
func tell(ctx context.Context, c *sim.Counts, all int) {
	before := ""
	for tick := time.NewTicker(time.Second); ; {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		now := fmt.Sprintf("%d of %d have a queue; %d added, %d changed, %d removed; %d times somebody was without",
			c.Serving.Load(), all, c.Added.Load(), c.Changed.Load(), c.Removed.Load(), c.Without.Load())
		if now != before {
			fmt.Println(time.Now().Format("15:04:05.000") + "  " + now)
			before = now
		}
	}
}

// count says whenever the spoolers' logs have grown.
func count(ctx context.Context, dir string, machines []string) {
	before := map[string]int64{}
	for tick := time.NewTicker(time.Second); ; {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		}
		changed := 0
		for _, m := range machines {
			if info, err := os.Stat(dir + "/" + m + "/log"); err == nil && info.Size() != before[m] {
				before[m] = info.Size()
				changed++
			}
		}
		if changed > 0 {
			fmt.Printf("%s  %d of %d spoolers changed\n", time.Now().Format("15:04:05.000"), changed, len(machines))
		}
	}
}
