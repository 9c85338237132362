package main

import (
	"encoding/json"
	"errors"
	"fmt"

	"github.com/spf13/cobra"

	"sakuji/core/mesh"
	"sakuji/core/solid"
)

func hollowVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "hollow [--json] --wall-mm W [--holes N --hole-mm D] -o OUT FILE", Short: "Take the matter out that lies deeper than a wall, and bore drains", Args: cobra.ExactArgs(1)}
	flags := addModelFlags(cmd)
	wall := cmd.Flags().Float64("wall-mm", 0, "how thick the wall is left")
	holes := cmd.Flags().Int("holes", 0, "how many holes each cavity gets; none leaves it sealed")
	hole := cmd.Flags().Float64("hole-mm", 4, "how wide they are")
	out := cmd.Flags().StringP("out", "o", "", "the file to write: .stl, .obj or .3mf")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		switch {
		case !(*wall >= 0.2 && *wall <= 100):
			return usage{errors.New("--wall-mm: between 0.2 and 100")}
		case *holes < 0 || *holes > 20 || !(*hole >= 0.5 && *hole <= 100):
			return usage{errors.New("holes: up to 20, of 0.5 to 100 mm")}
		case !mesh.Writable(*out):
			return usage{errors.New("-o: a file that ends in .stl, .obj or .3mf")}
		}
		k, err := flags.scale()
		if err != nil {
			return err
		}
		var f failed
		soup, err := open(args[0], k, flags.limits)
		var h solid.Hollowed
		if err == nil {
			h, err = solid.Hollow(soup.Weld(), *wall, solid.Drains{Count: *holes, DiameterMM: *hole})
		}
		if err != nil {
			f.add(args[0], err)
			return &f
		}
		if err := save(*out, h.Mesh.Soup("stl")); err != nil {
			f.add(*out, err)
			return &f
		}
		warnings := h.Warnings(*holes)
		if *flags.json {
			bores := h.Bores
			if bores == nil {
				bores = []solid.Bore{}
			}
			return json.NewEncoder(cmd.OutOrStdout()).Encode(struct {
				VolumeMM3 float64        `json:"volume_mm3"`
				SolidMM3  float64        `json:"solid_mm3"`
				Cavities  []solid.Cavity `json:"cavities"`
				Holes     []solid.Bore   `json:"holes"`
				ErrorMM   float64        `json:"error_mm"`
				SlitMM    float64        `json:"slit_mm"`
				Warnings  []string       `json:"warnings,omitempty"`
			}{h.VolumeMM3, h.SolidMM3, h.Cavities, bores, h.ErrorMM, h.SlitMM, warnings})
		}
		fmt.Fprintf(cmd.OutOrStdout(), "%s: %.2f cm³ left of %.2f, wall within %.2f mm, %d holes\n", *out, h.VolumeMM3/1000, h.SolidMM3/1000, h.ErrorMM, len(h.Bores))
		for _, w := range warnings {
			fmt.Fprintln(cmd.OutOrStdout(), w)
		}
		return nil
	}
	return cmd
}
