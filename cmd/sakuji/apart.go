package main

import (
	"os"

	"github.com/spf13/cobra"

	"sakuji/app/apart"
)

// apartVerb is this program once more, for work on strangers' files; nobody types it.
func apartVerb() *cobra.Command {
	return &cobra.Command{Use: "apart", Hidden: true, Args: cobra.NoArgs, RunE: func(*cobra.Command, []string) error {
		return apart.Serve(os.Stdin, os.Stdout)
	}}
}

// ourselves is how the studio starts it.
func ourselves() (apart.Process, error) {
	name, err := os.Executable()
	return apart.Process{Command: []string{name, "apart"}}, err
}
