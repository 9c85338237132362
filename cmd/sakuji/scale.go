package main

import (
	"fmt"
	"net/http"
	"time"

	"github.com/spf13/cobra"

	"sakuji/device"
)

// standIn is a verb that stands in for a device which answers over HTTP.
func standIn(name, short, addr, how string, h http.Handler) *cobra.Command {
	cmd := &cobra.Command{Use: name + " [--addr HOST:PORT]", Short: short, Args: cobra.NoArgs}
	at := cmd.Flags().String("addr", addr, "where it answers")
	cmd.RunE = func(cmd *cobra.Command, _ []string) error {
		fmt.Fprintf(cmd.OutOrStdout(), "it answers at http://%s; %s\n", *at, how)
		server := &http.Server{Addr: *at, Handler: h, ReadHeaderTimeout: 5 * time.Second}
		return server.ListenAndServe()
	}
	return cmd
}

// scaleVerb is a stand-in for a scale, to try weighing lots with.
func scaleVerb() *cobra.Command {
	return standIn("scale", "Stand in for a scale that answers over HTTP", "127.0.0.1:8652", "put something on it: POST /put?grams=812", &device.SimulatedScale{RestS: 1, OffG: 0.2})
}

// sensorVerb is a stand-in for a sensor of the air.
func sensorVerb() *cobra.Command {
	return standIn("sensor", "Stand in for a sensor of temperature and damp that answers over HTTP", "127.0.0.1:8653", "make the air so: POST /be?c=16&humidity=70", &device.SimulatedSensor{WaverC: 0.2})
}

// labelsVerb is a stand-in for a label printer.
func labelsVerb() *cobra.Command {
	return standIn("labels", "Stand in for a label printer that answers over HTTP", "127.0.0.1:8654", "the last label: GET /last", &device.SimulatedLabels{})
}
