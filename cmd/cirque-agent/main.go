// Command cirque-agent keeps one endpoint equal to its lineups.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"

	"cirque/internal/agentcli"
	"cirque/internal/cmdline"
)

// version is set when a release is built.
var version = "0.2.0-dev"

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	os.Exit(agentcli.Execute(ctx, version, os.Args[1:], cmdline.Streams{In: os.Stdin, Out: os.Stdout, Err: os.Stderr}))
}
