// Rolltop is the service, its console and its command-line client.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"

	"rolltop.example/rolltop/internal/cli"
	"rolltop.example/rolltop/internal/collect"
)

func main() {
	if collect.Probe() {
		return
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	cli.Carried = collectors()
	code := cli.Run(ctx, os.Args[1:], os.Stdout, os.Stderr)
	stop()
	os.Exit(code)
}
