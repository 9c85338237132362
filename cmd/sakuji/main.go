// Sakuji runs a commission studio: quotes from geometry, plates, pieces and their
// stages. One verb a file; this one puts them together.
package main

import (
	"errors"
	"fmt"
	"os"
	"runtime/debug"
	_ "time/tzdata" // one binary: the machine may have no time zones

	"github.com/spf13/cobra"

	"sakuji/store"
)

// failed are the inputs of a command that did not work, told one a line.
type failed struct{ lines []string }

func (f *failed) Error() string { return fmt.Sprintf("%d failed", len(f.lines)) }

func (f *failed) add(name string, err error) {
	f.lines = append(f.lines, fmt.Sprintf("%s: %v", name, err))
}

// or returns f as an error when something failed.
func (f *failed) or() error {
	if len(f.lines) == 0 {
		return nil
	}
	return f
}

// usage is a command line that makes no sense.
type usage struct{ error }

func main() { os.Exit(run(os.Args[1:])) }

// run returns 0 when all is done, 1 when an input failed, 2 on wrong usage.
func run(args []string) int {
	store.Program = version()
	root := &cobra.Command{
		Use: "sakuji", Short: "Quotes, plates and pieces of a commission studio",
		Version:       version(),
		SilenceErrors: true, SilenceUsage: true, CompletionOptions: cobra.CompletionOptions{DisableDefaultCmd: true},
		RunE: func(cmd *cobra.Command, _ []string) error {
			return usage{errors.New("say what to do: sakuji --help lists the verbs")}
		},
		Args: func(_ *cobra.Command, args []string) error {
			if len(args) > 0 {
				return fmt.Errorf("there is no verb %q: sakuji --help lists the verbs", args[0])
			}
			return nil
		},
	}
	started := false
	for _, verb := range []*cobra.Command{serveVerb(), demoVerb(), passwdVerb(), checkVerb(), backupVerb(), restoreVerb(), drillVerb(), measureVerb(), mendVerb(), reduceVerb(), gcodeVerb(), sliceVerb(), hollowVerb(), orientVerb(), splitVerb(), quoteVerb(), plateVerb(), planVerb(), machineVerb(), scaleVerb(), sensorVerb(), labelsVerb(), apartVerb()} {
		do := verb.RunE
		verb.RunE = func(cmd *cobra.Command, args []string) error {
			started = true // from here on an error is about the work, no longer about the words
			return do(cmd, args)
		}
		root.AddCommand(verb)
	}
	root.SetArgs(args)
	err := root.Execute()
	var f *failed
	var u usage
	switch {
	case err == nil:
		return 0
	case errors.As(err, &f):
		for _, l := range f.lines {
			fmt.Fprintln(os.Stderr, l)
		}
		return 1
	case errors.As(err, &u), !started:
		fmt.Fprintln(os.Stderr, "sakuji:", err)
		return 2
	}
	fmt.Fprintln(os.Stderr, "sakuji:", err)
	return 1
}

// version is the commit that the program was built from, and with which Go.
func version() string {
	info, ok := debug.ReadBuildInfo()
	if !ok {
		return "unknown"
	}
	set := map[string]string{}
	for _, s := range info.Settings {
		set[s.Key] = s.Value
	}
	text := "built from sources"
	if commit := set["vcs.revision"]; commit != "" {
		text = "commit " + commit[:min(12, len(commit))] + " of " + set["vcs.time"]
	}
	if set["vcs.modified"] == "true" {
		text += ", changed since"
	}
	return text + ", " + info.GoVersion
}

// dataFlag adds the folder that holds the studio; it must be named.
func dataFlag(cmd *cobra.Command) *string {
	dir := cmd.Flags().String("data", "", "the folder that holds the studio")
	if err := cmd.MarkFlagRequired("data"); err != nil {
		panic(err)
	}
	return dir
}
