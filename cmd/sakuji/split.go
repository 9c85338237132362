package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"strconv"
	"strings"

	"github.com/spf13/cobra"

	"sakuji/core/mesh"
	"sakuji/core/solid"
)

// splitPart is a piece of what was cut, as it was written.
type splitPart struct {
	File       string  `json:"file"`
	VolumeMM3  float64 `json:"volume_mm3"`
	Watertight bool    `json:"watertight"`
}

func splitVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "split [--json] --plane nx,ny,nz,d [--pegs N --peg-mm D --clearance-mm C] -o PREFIX FILE", Short: "Cut a model in two by a plane, with sockets and dowels", Args: cobra.ExactArgs(1)}
	flags := addModelFlags(cmd)
	plane := cmd.Flags().String("plane", "", "cut where n·p = d: nx,ny,nz,d")
	pegs := solid.Pegs{}
	cmd.Flags().IntVar(&pegs.Count, "pegs", 0, "how many dowels")
	cmd.Flags().Float64Var(&pegs.DiameterMM, "peg-mm", 5, "how thick a dowel is")
	cmd.Flags().Float64Var(&pegs.ClearanceMM, "clearance-mm", 0.15, "play on every side of a dowel")
	prefix := cmd.Flags().StringP("out", "o", "", "files are PREFIX-1.stl, PREFIX-2.stl …")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		numbers, err := planeOf(*plane)
		switch {
		case err != nil:
			return usage{err}
		case *prefix == "":
			return usage{errors.New("-o: say how the files begin")}
		case pegs.Count < 0 || pegs.Count > 50 || !(pegs.DiameterMM >= 0.5 && pegs.DiameterMM <= 200) || !(pegs.ClearanceMM >= 0 && pegs.ClearanceMM < pegs.DiameterMM):
			return usage{errors.New("pegs: up to 50, of 0.5 to 200 mm, with a clearance below that")}
		}
		k, err := flags.scale()
		if err != nil {
			return err
		}
		var f failed
		soup, err := open(args[0], k, flags.limits)
		var cut solid.Cut
		if err == nil {
			cut, err = solid.Split(soup.Weld(), mesh.Vec{X: numbers[0], Y: numbers[1], Z: numbers[2]}, numbers[3], pegs)
		}
		if err != nil {
			f.add(args[0], err)
			return &f
		}
		parts := saveParts(*prefix, cut, pegs, &f)
		if err := f.or(); err != nil {
			return err
		}
		return tellParts(cmd.OutOrStdout(), *flags.json, cut, parts)
	}
	return cmd
}

// saveParts writes the halves and a dowel for every socket.
func saveParts(prefix string, cut solid.Cut, pegs solid.Pegs, f *failed) (parts []splitPart) {
	soups, measures := cut.Halves[:], cut.Measures[:]
	for _, s := range cut.Sockets {
		dowel := pegs.Dowel(s.DepthMM).Soup("stl")
		soups, measures = append(soups, dowel), append(measures, mesh.Measure(dowel))
	}
	for i, s := range soups {
		name := fmt.Sprintf("%s-%d.stl", prefix, i+1)
		if err := save(name, s); err != nil {
			f.add(name, err)
			return parts
		}
		parts = append(parts, splitPart{name, measures[i].VolumeMM3, measures[i].Watertight})
	}
	return parts
}

func tellParts(w io.Writer, asJSON bool, cut solid.Cut, parts []splitPart) error {
	if asJSON {
		return json.NewEncoder(w).Encode(struct {
			SectionMM2 float64     `json:"section_mm2"`
			Parts      []splitPart `json:"parts"`
		}{cut.SectionMM2, parts})
	}
	fmt.Fprintf(w, "section %.2f cm²\n", cut.SectionMM2/100)
	for _, p := range parts {
		fmt.Fprintf(w, "%s: %.2f cm³%s\n", p.File, p.VolumeMM3/1000, map[bool]string{true: ", watertight", false: ", not watertight"}[p.Watertight])
	}
	return nil
}

func planeOf(text string) (n [4]float64, err error) {
	words := strings.Split(text, ",")
	if len(words) != 4 {
		return n, fmt.Errorf("--plane %q: four numbers, nx,ny,nz,d", text)
	}
	for k, w := range words {
		if n[k], err = strconv.ParseFloat(strings.TrimSpace(w), 64); err != nil || math.IsNaN(n[k]) || math.IsInf(n[k], 0) {
			return n, fmt.Errorf("--plane %q: %q is not a number", text, w)
		}
	}
	if n[0] == 0 && n[1] == 0 && n[2] == 0 {
		return n, fmt.Errorf("--plane %q: it has no direction", text)
	}
	return n, nil
}
