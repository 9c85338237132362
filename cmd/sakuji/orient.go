package main

import (
	"encoding/json"
	"fmt"

	"github.com/spf13/cobra"

	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/solid"
	"sakuji/studio"
)

func orientVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "orient [--json] --process resin|filament [--directions 500] FILE", Short: "Look for good ways for a model to stand", Args: cobra.ExactArgs(1)}
	flags := addModelFlags(cmd)
	name := cmd.Flags().String("process", "", "resin or filament")
	directions := cmd.Flags().Int("directions", 500, "how many directions are tried")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if !process.Known(*name) {
			return usage{fmt.Errorf("--process: %s", process.OrOf())}
		}
		if *directions < 1 || *directions > 100_000 {
			return usage{fmt.Errorf("--directions: between 1 and 100000")}
		}
		k, err := flags.scale()
		if err != nil {
			return err
		}
		soup, err := open(args[0], k, flags.limits)
		if err != nil {
			return &failed{[]string{fmt.Sprintf("%s: %v", args[0], err)}}
		}
		found := orient(soup.Weld(), *name, *directions)
		if *flags.json {
			return json.NewEncoder(cmd.OutOrStdout()).Encode(struct {
				Candidates []solid.Orientation `json:"candidates"`
			}{found})
		}
		for _, s := range found {
			fmt.Fprintf(cmd.OutOrStdout(), "%.0f in 100: %.1f mm tall, supports %.2f cm³, held %.2f cm², largest layer %.2f cm², %.0f min\n",
				100*s.Score, s.HeightMM, s.SupportMM3/1000, s.ContactMM2/100, s.LargestLayerMM2/100, s.Minutes)
		}
		return nil
	}
	return cmd
}

// orient asks by the starting rate book: its first machine of the process.
func orient(m *mesh.Mesh, processName string, directions int) []solid.Orientation {
	book := rates.Starting()
	var figures rates.Set
	for _, k := range book.Machines {
		if k.Process == processName {
			figures = k.Figures
			break
		}
	}
	machine := studio.Machine{Process: processName, Figures: figures}
	o := studio.Orienting{Process: processName, Wishes: process.Of(processName).Wishes, Figures: figures, RoomMM: machine.Usable()}
	return solid.Orient(m, directions, o.Seeking())
}
