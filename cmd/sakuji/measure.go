package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"

	"github.com/spf13/cobra"

	"sakuji/core/mesh"
)

var unitMM = map[string]float64{"mm": 1, "cm": 10, "m": 1000, "in": 25.4}

func measureVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "measure [--json] [--unit mm|cm|m|in] FILE...", Short: "Measure and diagnose model files", Args: cobra.MinimumNArgs(1)}
	asJSON := cmd.Flags().Bool("json", false, "one JSON object a line")
	unit := cmd.Flags().String("unit", "mm", "the unit of the files: mm, cm, m or in")
	limits := mesh.Limits{}
	cmd.Flags().Int64Var(&limits.MaxBytes, "max-bytes", 0, "largest file that is read (default 512 MiB)")
	cmd.Flags().IntVar(&limits.MaxTriangles, "max-triangles", 0, "most triangles that are read (default 10,000,000)")
	cmd.RunE = func(cmd *cobra.Command, files []string) error {
		k, ok := unitMM[*unit]
		if !ok {
			return usage{fmt.Errorf("unit %q: mm, cm, m or in", *unit)}
		}
		var f failed
		for _, name := range files {
			m, err := measure(name, k, limits)
			if err != nil {
				f.add(name, err)
				continue
			}
			if err := printMeasures(cmd.OutOrStdout(), name, m, *asJSON); err != nil {
				return err
			}
		}
		return f.or()
	}
	return cmd
}

func measure(name string, scale float64, limits mesh.Limits) (m mesh.Measures, err error) {
	info, err := os.Stat(name)
	if err != nil {
		var path *os.PathError
		if errors.As(err, &path) {
			err = path.Err
		}
		return m, err
	}
	most := limits.MaxBytes
	if most == 0 {
		most = mesh.DefaultMaxBytes
	}
	if info.Size() > most {
		return m, fmt.Errorf("%w: %d bytes, at most %d are read", mesh.ErrTooLarge, info.Size(), most)
	}
	data, err := os.ReadFile(name)
	if err != nil {
		return m, err
	}
	soup, err := mesh.Read(data, limits)
	if err != nil {
		return m, err
	}
	if soup.Format == "3mf" { // it says its own unit
		scale = 1
	}
	return mesh.Measure(soup.Scaled(scale)), nil
}

func printMeasures(w io.Writer, name string, m mesh.Measures, asJSON bool) error {
	if asJSON {
		return json.NewEncoder(w).Encode(struct {
			File string `json:"file"`
			mesh.Measures
		}{name, m})
	}
	tight := "watertight"
	if !m.Watertight {
		tight = fmt.Sprintf("not watertight (%d open, %d non-manifold edges)", m.OpenEdges, m.NonManifoldEdges)
	}
	_, err := fmt.Fprintf(w, "%s: %.2f × %.2f × %.2f mm, %.2f cm³, %.2f cm², %d triangles, %d shells, %s\n", name,
		m.SizeMM[0], m.SizeMM[1], m.SizeMM[2], m.VolumeMM3/1000, m.AreaMM2/100, m.Triangles, m.Shells, tight)
	return err
}
