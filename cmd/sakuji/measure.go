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

// modelFlags are those of every verb that reads a model.
type modelFlags struct {
	json   *bool
	unit   *string
	limits mesh.Limits
}

func addModelFlags(cmd *cobra.Command) *modelFlags {
	f := &modelFlags{
		json: cmd.Flags().Bool("json", false, "one JSON object a line"),
		unit: cmd.Flags().String("unit", "mm", "the unit of the files: mm, cm, m or in"),
	}
	cmd.Flags().Int64Var(&f.limits.MaxBytes, "max-bytes", 0, "largest file that is read (default 512 MiB)")
	cmd.Flags().IntVar(&f.limits.MaxTriangles, "max-triangles", 0, "most triangles that are read (default 10,000,000)")
	return f
}

// scale is the given unit in millimetres.
func (f *modelFlags) scale() (float64, error) {
	switch *f.unit {
	case "mm", "cm", "m", "in":
		return mesh.UnitsMM[*f.unit], nil
	}
	return 0, usage{fmt.Errorf("unit %q: mm, cm, m or in", *f.unit)}
}

// measured is what measure prints of a file.
type measured struct {
	File string `json:"file"`
	mesh.Measures
	UnitGuess *mesh.UnitGuess `json:"unit_guess,omitempty"`
	Faults    []mesh.Fault    `json:"faults,omitempty"`
	*mesh.Overlap
}

func measureVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "measure [--json] [--unit mm|cm|m|in] [--faults] [--solid] FILE...", Short: "Measure and diagnose model files", Args: cobra.MinimumNArgs(1)}
	flags := addModelFlags(cmd)
	faults := cmd.Flags().Bool("faults", false, "list the places of every fault")
	solid := cmd.Flags().Bool("solid", false, "count what shells share once (slower)")
	cmd.RunE = func(cmd *cobra.Command, files []string) error {
		k, err := flags.scale()
		if err != nil {
			return err
		}
		var f failed
		for _, name := range files {
			m, err := measure(name, k, flags.limits, *faults || !*flags.json, *solid)
			if err != nil {
				f.add(name, err)
				continue
			}
			if err := m.print(cmd.OutOrStdout(), *flags.json, *faults); err != nil {
				return err
			}
		}
		return f.or()
	}
	return cmd
}

// measure diagnoses a file; finding the places of faults and what shells share takes
// longer.
func measure(name string, scale float64, limits mesh.Limits, faults, solid bool) (m measured, err error) {
	m.File = name
	if !faults && !solid {
		m.Measures, err = diagnose(name, scale, limits)
	} else {
		soup, err := open(name, scale, limits)
		if err != nil {
			return m, err
		}
		d := mesh.Diagnose(soup)
		m.Measures, m.Faults = d.Measures, d.Faults
		if solid {
			m.Overlap = &d.Overlap
		}
	}
	if guess, needed := mesh.GuessUnit(m.SizeMM); needed && m.Format != "3mf" && scale == 1 {
		m.UnitGuess = &guess
	}
	return m, err
}

// openFile opens a file that is no folder.
func openFile(name string) (f *os.File, size int64, err error) {
	if f, err = os.Open(name); err != nil {
		return nil, 0, bare(err)
	}
	info, err := f.Stat()
	if err == nil && info.IsDir() {
		err = errors.New("is a folder")
	}
	if err != nil {
		f.Close()
		return nil, 0, err
	}
	return f, info.Size(), nil
}

// scaled is the scale of a file's unit: a 3MF says its own.
func scaled(scale float64) func(format string) float64 {
	return func(format string) float64 {
		if format == "3mf" {
			return 1
		}
		return scale
	}
}

// open reads a model file; in millimetres when a unit is given as a scale.
func open(name string, scale float64, limits mesh.Limits) (*mesh.Soup, error) {
	f, size, err := openFile(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	soup, err := mesh.ReadFrom(f, size, limits)
	if err != nil {
		return nil, err
	}
	soup = soup.Scaled(scaled(scale)(soup.Format))
	return soup, soup.CheckSize()
}

// diagnose measures a file without holding it.
func diagnose(name string, scale float64, limits mesh.Limits) (mesh.Measures, error) {
	f, size, err := openFile(name)
	if err != nil {
		return mesh.Measures{}, err
	}
	defer f.Close()
	return mesh.MeasureFrom(f, size, limits, scaled(scale))
}

func (m measured) print(w io.Writer, asJSON, faults bool) error {
	if asJSON {
		if !faults {
			m.Faults = nil
		}
		return json.NewEncoder(w).Encode(m)
	}
	tight := "watertight"
	if !m.Watertight {
		tight = fmt.Sprintf("not watertight (%d open, %d non-manifold edges)", m.OpenEdges, m.NonManifoldEdges)
	}
	fmt.Fprintf(w, "%s: %.2f × %.2f × %.2f mm, %.2f cm³, %.2f cm², %d triangles, %d shells, %s\n", m.File,
		m.SizeMM[0], m.SizeMM[1], m.SizeMM[2], m.VolumeMM3/1000, m.AreaMM2/100, m.Triangles, m.Shells, tight)
	if m.GuessMM3 > 0 {
		fmt.Fprintf(w, "  for its holes, %.3g cm³ of that, more or less, are a guess\n", m.GuessMM3/1000)
	}
	if g := m.UnitGuess; g != nil {
		fmt.Fprintf(w, "  probably drawn in %s: then %.4g mm at its largest; --unit %s takes it so\n", g.Unit, g.LargestMM, g.Unit)
	}
	if o := m.Overlap; o != nil {
		fmt.Fprintf(w, "  %.2f cm³ with what shells share counted once (give or take %.2g cm³)\n", o.SolidMM3/1000, o.ErrorMM3/1000)
	}
	for _, f := range m.Faults {
		fmt.Fprintf(w, "  %s\n", f.Text())
	}
	return nil
}
