// Command cirque is the service and its command line.
package main

import (
	"context"
	"fmt"
	"io"
	"log/slog"
	"os"
	"os/signal"
	"syscall"

	"cirque/core/endpoint"
	"cirque/internal/app"
	"cirque/internal/backup"
	"cirque/internal/cli"
	"cirque/internal/cmdline"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	local := cli.Local{Version: app.Version, Serve: serve, Demo: runDemo, Story: playStory,
		ResetAccount: func(ctx context.Context, o cli.ServeOptions, name, password string) (string, error) {
			return app.ResetAccount(ctx, app.Options{Data: o.Data, Database: o.Database}, name, password)
		},
		ForgetFactors: func(ctx context.Context, o cli.ServeOptions, name string) (string, error) {
			return app.ForgetFactors(ctx, app.Options{Data: o.Data, Database: o.Database}, name)
		},
		Examine: func(ctx context.Context, o cli.ServeOptions) []endpoint.Check {
			return app.Examine(ctx, app.Options{Data: o.Data, Database: o.Database, Listen: o.Listen, PublicURL: o.PublicURL,
				TLSCert: o.TLSCert, TLSKey: o.TLSKey, PlainHTTP: o.PlainHTTP})
		},
		SecretKeys: secretKeys, Authority: authority,
		Backups: cli.Backups{
			Make: func(ctx context.Context, o cli.ServeOptions, b backup.Call, to io.Writer) (backup.Result, error) {
				return app.Backup(ctx, app.Options{Data: o.Data, Database: o.Database, TLSCert: o.TLSCert, TLSKey: o.TLSKey}, b, to)
			},
			Restore: func(ctx context.Context, o cli.ServeOptions, b backup.Call, from io.Reader) (backup.Result, error) {
				return app.Restore(ctx, app.Options{Data: o.Data, Database: o.Database}, b, from)
			},
			Check: app.CheckBackup},
		MakeToken: func(ctx context.Context, o cli.ServeOptions, want cli.Token) (string, error) {
			return app.MakeToken(ctx, app.Options{Data: o.Data, Database: o.Database}, want)
		}}
	os.Exit(cli.Execute(ctx, local, os.Args[1:], cmdline.Streams{In: os.Stdin, Out: os.Stdout, Err: os.Stderr}, os.Getenv))
}

// secretKeys does what cirque secret-key says.
func secretKeys(ctx context.Context, o cli.ServeOptions, what cli.SecretKeyChange) (out cli.SecretKeys, err error) {
	list, lost, err := app.SecretKeys(ctx, app.Options{Data: o.Data, Database: o.Database}, what.Do, what.ID, what.Force)
	out.Lost = lost
	for _, k := range list {
		v := cli.SecretKey{ID: k.ID(), State: string(k.State), Seals: k.Seals}
		if !k.At.IsZero() {
			v.Since = &k.At
		}
		out.Keys = append(out.Keys, v)
	}
	return out, err
}

// authority does what cirque authority says.
func authority(ctx context.Context, o cli.ServeOptions, do string, force bool) (out []cli.Authority, err error) {
	list, err := app.Authority(ctx, app.Options{Data: o.Data, Database: o.Database}, do, force)
	for _, a := range list {
		out = append(out, cli.Authority{Fingerprint: a.Fingerprint, State: a.State, Until: a.Until, Machines: a.Machines,
			Some: a.Some})
	}
	return out, err
}

// options turns what was typed into the service's options; reopen opens the log's file anew.
func options(o cli.ServeOptions) (opts app.Options, reopen func(), err error) {
	level := slog.LevelInfo
	if o.Verbose {
		level = slog.LevelDebug
	}
	var to io.Writer = os.Stderr
	reopen = func() {}
	if o.LogFile != "" {
		file, err := app.OpenLog(o.LogFile)
		if err != nil {
			return opts, nil, err
		}
		to, reopen = file, file.Reopen
	}
	var h slog.Handler = slog.NewTextHandler(to, &slog.HandlerOptions{Level: level})
	if o.LogFormat == "json" {
		h = slog.NewJSONHandler(to, &slog.HandlerOptions{Level: level})
	}
	return app.Options{AddressTable: o.AddressTable, Data: o.Data, Database: o.Database, Listen: o.Listen,
		PublicURL: o.PublicURL, TLSCert: o.TLSCert, TLSKey: o.TLSKey, PlainHTTP: o.PlainHTTP, ServersEvery: o.ServersEvery,
		DevicesEvery: o.DevicesEvery, Log: slog.New(h), Proxies: o.Proxies, AllowOutgoing: o.AllowOutgoing,
		ProxyProtocol: o.ProxyProtocol, PerAddress: o.PerAddress, Spool: o.Spool}, reopen, nil
}

// again calls f for each SIGHUP until ctx is done; before there is an f, SIGHUP does nothing, and never ends the
// service.
func again(ctx context.Context) (set func(f func())) {
	hup := make(chan os.Signal, 1)
	signal.Notify(hup, syscall.SIGHUP)
	return func(f func()) {
		go func() {
			for {
				select {
				case <-ctx.Done():
					return
				case <-hup:
					f()
				}
			}
		}()
	}
}

func serve(ctx context.Context, o cli.ServeOptions, out io.Writer) error {
	reload := again(ctx)
	opts, reopen, err := options(o)
	if err != nil {
		return err
	}
	r, err := app.Start(ctx, opts)
	if err != nil {
		return err
	}
	reload(func() { reopen(); r.Reload() })
	fmt.Fprintf(out, "Cirque %s is ready at %s\n", app.Version, r.URL)
	if r.CAFile != "" {
		fmt.Fprintf(out, "Its certificate is by its own authority: %s\n", r.CAFile)
	}
	if r.Service.Identity.NeedsSetUp() && o.Data != "" {
		fmt.Fprintf(out, "Open the console to make the first account; its one-time code is in %s/setup-code\n", o.Data)
	}
	<-ctx.Done()
	return r.Stop()
}

func runDemo(ctx context.Context, o cli.ServeOptions, out io.Writer) error {
	reload := again(ctx)
	opts, reopen, err := options(o)
	if err != nil {
		return err
	}
	opts.PlainHTTP = true
	d, err := app.StartDemo(ctx, opts)
	if err != nil {
		return err
	}
	reload(func() { reopen(); d.Reload() })
	fmt.Fprint(out, d.Greeting())
	<-ctx.Done()
	return d.Stop()
}
