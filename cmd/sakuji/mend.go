package main

import (
	"bufio"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"

	"github.com/spf13/cobra"

	"sakuji/core/mesh"
)

// outFlag adds the file to write, which must be named and of a known format.
func outFlag(cmd *cobra.Command) func() (string, error) {
	out := cmd.Flags().StringP("out", "o", "", "the file to write: .stl, .obj or .3mf")
	if err := cmd.MarkFlagRequired("out"); err != nil {
		panic(err)
	}
	return func() (string, error) {
		if !mesh.Writable(*out) {
			return "", usage{fmt.Errorf("%s: the ending says the format: .stl, .obj or .3mf", *out)}
		}
		return *out, nil
	}
}

// save writes a model beside its place and renames it there when it is whole.
func save(name string, s *mesh.Soup) error {
	return saveWith(name, func(w io.Writer) error { return mesh.Write(w, name, s) })
}

// saveWith writes a file whole or not at all.
func saveWith(name string, write func(io.Writer) error) error {
	f, err := os.CreateTemp(filepath.Dir(name), ".sakuji-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name())
	w := bufio.NewWriterSize(f, 1<<20)
	err = write(w)
	if err == nil {
		err = w.Flush()
	}
	if closed := f.Close(); err == nil {
		err = closed
	}
	if err == nil {
		err = os.Chmod(f.Name(), 0o644)
	}
	if err == nil {
		err = os.Rename(f.Name(), name)
	}
	return err
}

func mendVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "mend [--json] -o OUT FILE", Short: "Mend a model: close, turn and clean it", Args: cobra.ExactArgs(1)}
	flags, out := addModelFlags(cmd), outFlag(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		return remade(cmd, args[0], flags, out, func(w io.Writer, s *mesh.Soup, before mesh.Measures) (*mesh.Soup, func(after mesh.Measures) error, error) {
			mended, done := mesh.Mend(s)
			return mended, func(after mesh.Measures) error {
				if *flags.json {
					return json.NewEncoder(w).Encode(struct {
						Done   []mesh.Done   `json:"done"`
						Before mesh.Measures `json:"before"`
						After  mesh.Measures `json:"after"`
					}{append([]mesh.Done{}, done...), before, after})
				}
				for _, d := range done {
					fmt.Fprintln(w, d.Text())
				}
				for _, f := range mesh.Diagnose(mended).Faults {
					fmt.Fprintf(w, "left: %s\n", f.Text())
				}
				return nil
			}, nil
		})
	}
	return cmd
}

// remade reads a model, makes another of it and writes that; tell prints what was done.
func remade(cmd *cobra.Command, name string, flags *modelFlags, out func() (string, error),
	remake func(w io.Writer, s *mesh.Soup, before mesh.Measures) (made *mesh.Soup, tell func(after mesh.Measures) error, err error)) error {
	to, err := out()
	if err != nil {
		return err
	}
	k, err := flags.scale()
	if err != nil {
		return err
	}
	var f failed
	soup, err := open(name, k, flags.limits)
	if err != nil {
		f.add(name, err)
		return &f
	}
	before := mesh.Measure(soup)
	made, tell, err := remake(cmd.OutOrStdout(), soup, before)
	if err != nil {
		return err
	}
	if made.Len() == 0 {
		f.add(name, fmt.Errorf("nothing would be left of it; %s is not written", to))
		return &f
	}
	if err := save(to, made); err != nil {
		f.add(to, err)
		return &f
	}
	return tell(mesh.Measure(made))
}

func reduceVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "reduce [--json] [--triangles N | --deviation-mm D] -o OUT FILE", Short: "Make a model of fewer triangles", Args: cobra.ExactArgs(1)}
	flags, out := addModelFlags(cmd), outFlag(cmd)
	triangles := cmd.Flags().Int("triangles", 0, "how many triangles to leave")
	deviation := cmd.Flags().Float64("deviation-mm", 0, "how far the surface may move")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if (*triangles > 0) == (*deviation > 0) {
			return usage{fmt.Errorf("say either --triangles N, from 4, or --deviation-mm D, over 0")}
		}
		return remade(cmd, args[0], flags, out, func(w io.Writer, s *mesh.Soup, before mesh.Measures) (*mesh.Soup, func(after mesh.Measures) error, error) {
			var r mesh.Reduced
			var err error
			if *triangles > 0 {
				r, err = mesh.ReduceTo(s, *triangles)
			} else {
				r, err = mesh.ReduceWithin(s, *deviation)
			}
			if err != nil {
				return nil, nil, usage{err}
			}
			return r.Soup, func(after mesh.Measures) error {
				if *flags.json {
					return json.NewEncoder(w).Encode(struct {
						Triangles   int           `json:"triangles"`
						DeviationMM float64       `json:"deviation_mm"`
						Before      mesh.Measures `json:"before"`
						After       mesh.Measures `json:"after"`
					}{after.Triangles, r.DeviationMM, before, after})
				}
				_, err := fmt.Fprintf(w, "%d of %d triangles, at most %.3g mm off\n", after.Triangles, before.Triangles, r.DeviationMM)
				return err
			}, nil
		})
	}
	return cmd
}
