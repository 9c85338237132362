package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"

	"github.com/spf13/cobra"

	"sakuji/core/process"
)

func gcodeVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "gcode [--json] FILE...", Short: "Read filament machines' programs: way, filament, time", Args: cobra.MinimumNArgs(1)}
	asJSON := cmd.Flags().Bool("json", false, "one JSON object a line")
	m := process.OrdinaryGCodeMachine()
	cmd.Flags().Float64Var(&m.GPerCM3, "density", m.GPerCM3, "of the filament, g/cm³")
	cmd.Flags().Float64Var(&m.DiameterMM, "diameter-mm", m.DiameterMM, "of the filament")
	cmd.Flags().Float64Var(&m.AccelMMPerS2, "accel-mm-s2", m.AccelMMPerS2, "acceleration, unless the program sets it")
	cmd.Flags().Float64Var(&m.CornerMMPerS, "corner-mm-s", m.CornerMMPerS, "jump in speed taken at corners; 0 stops there")
	cmd.Flags().IntVar(&m.MaxLines, "max-lines", 0, "most lines that are read (default 20,000,000)")
	cmd.RunE = func(cmd *cobra.Command, files []string) error {
		if !(m.GPerCM3 > 0) || !(m.DiameterMM > 0) || !(m.AccelMMPerS2 > 0) || m.CornerMMPerS < 0 {
			return usage{errors.New("density, diameter and acceleration must be over 0, a corner's speed not under it")}
		}
		m.TravelMMPerS2 = m.AccelMMPerS2
		var f failed
		for _, name := range files {
			g, err := readGCode(name, m)
			if err != nil {
				f.add(name, err)
				continue
			}
			if *asJSON {
				err = json.NewEncoder(cmd.OutOrStdout()).Encode(struct {
					File string `json:"file"`
					process.GCode
				}{name, g})
			} else {
				_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s: %d layers, %.1f m printed, %.2f m filament, %.1f g, %.0f min\n",
					name, g.Layers, g.PathMM/1000, g.FilamentMM/1000, g.FilamentG, g.Minutes)
			}
			if err != nil {
				return err
			}
		}
		return f.or()
	}
	return cmd
}

// readGCode reads a program, unpacked when it is gzipped.
func readGCode(name string, m process.GCodeMachine) (g process.GCode, err error) {
	file, err := os.Open(name)
	if err != nil {
		return g, bare(err)
	}
	defer file.Close()
	g, err = process.ReadGCode(file, m)
	return g, bare(err)
}

// bare takes the name off an error that is printed after it.
func bare(err error) error {
	var path *os.PathError
	if errors.As(err, &path) {
		return path.Err
	}
	return err
}
