package main

import (
	"fmt"
	"net/http"
	"time"

	"github.com/spf13/cobra"

	"sakuji/device"
)

// scaleVerb is a stand-in for a scale, to try weighing lots with.
func scaleVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "scale [--addr HOST:PORT]", Short: "Stand in for a scale that answers over HTTP", Args: cobra.NoArgs}
	addr := cmd.Flags().String("addr", "127.0.0.1:8652", "where it answers")
	cmd.RunE = func(cmd *cobra.Command, _ []string) error {
		fmt.Fprintf(cmd.OutOrStdout(), "the scale answers at http://%s; put something on it: POST /put?grams=812\n", *addr)
		server := &http.Server{Addr: *addr, Handler: &device.SimulatedScale{RestS: 1, OffG: 0.2}, ReadHeaderTimeout: 5 * time.Second}
		return server.ListenAndServe()
	}
	return cmd
}
