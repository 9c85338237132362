package main

import (
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/spf13/cobra"

	"sakuji/core/process"
	"sakuji/device"
)

// machineVerb is a stand-in for a printer, to try the watching of machines with.
func machineVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "machine --process resin|filament [--addr HOST:PORT] [--name NAME] [--speed N]", Short: "Stand in for a printer that answers over HTTP", Args: cobra.NoArgs}
	m := &device.Simulated{}
	addr := cmd.Flags().String("addr", "127.0.0.1:8651", "where it answers")
	cmd.Flags().StringVar(&m.Name, "name", "stand-in", "what it is called")
	cmd.Flags().StringVar(&m.Process, "process", process.Resin, "resin or filament")
	cmd.Flags().Uint64Var(&m.Seed, "seed", 1, "decides how its runs go")
	cmd.Flags().Float64Var(&m.FailPerHour, "fails", 0, "failures an hour")
	speed := cmd.Flags().Float64("speed", 1, "how many times faster than life its clock runs")
	cmd.RunE = func(cmd *cobra.Command, _ []string) error {
		switch {
		case !process.Known(m.Process):
			return usage{fmt.Errorf("--process: %s", process.OrOf())}
		case !(*speed >= 1 && *speed <= 10_000):
			return usage{errors.New("--speed: between 1 and 10,000")}
		case !(m.FailPerHour >= 0 && m.FailPerHour <= 100):
			return usage{errors.New("--fails: between 0 and 100 an hour")}
		}
		begin := time.Now()
		m.Now = func() time.Time { return begin.Add(time.Duration(float64(time.Since(begin)) * *speed)) }
		fmt.Fprintf(cmd.OutOrStdout(), "%s answers at http://%s\n", m.Name, *addr)
		server := &http.Server{Addr: *addr, Handler: m, ReadHeaderTimeout: 5 * time.Second}
		return server.ListenAndServe()
	}
	return cmd
}
