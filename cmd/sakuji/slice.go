package main

import (
	"encoding/json"
	"fmt"

	"github.com/spf13/cobra"

	"sakuji/core/mesh"
	"sakuji/core/solid"
)

func sliceVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "slice [--json] --layer-mm L FILE...", Short: "Cut models into layers: areas, regions, islands", Args: cobra.MinimumNArgs(1)}
	flags := addModelFlags(cmd)
	layer := cmd.Flags().Float64("layer-mm", 0, "how thick a layer is")
	cmd.RunE = func(cmd *cobra.Command, files []string) error {
		if !(*layer > 0) {
			return usage{fmt.Errorf("--layer-mm: over 0")}
		}
		k, err := flags.scale()
		if err != nil {
			return err
		}
		var f failed
		for _, name := range files {
			soup, err := open(name, k, flags.limits)
			if err == nil {
				err = layersFit(soup, *layer)
			}
			if err != nil {
				f.add(name, err)
				continue
			}
			layers := solid.NewSlicer(solid.Whole(soup.Weld()), *layer).Figures()
			largest, islands, gaps := 0.0, 0, 0
			for _, l := range layers {
				largest = max(largest, l.AreaMM2)
				islands += l.Islands
				gaps += l.Gaps
			}
			if *flags.json {
				err = json.NewEncoder(cmd.OutOrStdout()).Encode(struct {
					File    string          `json:"file"`
					Layers  []solid.Figures `json:"layers"`
					Largest float64         `json:"largest_area_mm2"`
				}{name, layers, largest})
			} else {
				_, err = fmt.Fprintf(cmd.OutOrStdout(), "%s: %d layers of %g mm, the largest %.2f cm², %d islands, %d gaps closed\n", name, len(layers), *layer, largest/100, islands, gaps)
			}
			if err != nil {
				return err
			}
		}
		return f.or()
	}
	return cmd
}

// layersFit refuses layers so thin that there would be too many.
func layersFit(s *mesh.Soup, layerMM float64) error {
	if n := s.Box.Size().Z / layerMM; n > solid.MaxLayers {
		return fmt.Errorf("over the limit: %.0f layers of %g mm, at most %d are cut", n, layerMM, solid.MaxLayers)
	}
	return nil
}
