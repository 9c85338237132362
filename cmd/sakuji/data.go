package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"sakuji/app"
	"sakuji/app/backups"
	"sakuji/app/change"
	"sakuji/store"
)

// existing opens a data folder that must be there already.
func existing(ctx context.Context, dir string) (*store.Store, error) {
	if _, err := os.Stat(filepath.Join(dir, store.DatabaseName)); err != nil {
		return nil, fmt.Errorf("%s holds no studio", dir)
	}
	st, err := store.Open(ctx, dir)
	if err == nil {
		tellUpgrade(st)
	}
	return st, err
}

// tellUpgrade says what was done with a folder of an older program.
func tellUpgrade(st *store.Store) {
	if st.Upgrade != nil {
		fmt.Fprintf(os.Stderr, "The studio was last served by an older program: %s.\n", st.Upgrade)
	}
}

// withStudio opens a data folder for as long as a verb needs it.
func withStudio(cmd *cobra.Command, dir string, do func(ctx context.Context, st *store.Store) error) error {
	st, err := existing(cmd.Context(), dir)
	if err != nil {
		return err
	}
	defer st.Close()
	return do(cmd.Context(), st)
}

// look opens a data folder for a verb that changes nothing of it.
func look(cmd *cobra.Command, dir string, do func(ctx context.Context, st *store.Store) error) error {
	if _, err := os.Stat(filepath.Join(dir, store.DatabaseName)); err != nil {
		return fmt.Errorf("%s holds no studio", dir)
	}
	st, err := store.OpenToLook(cmd.Context(), dir)
	if err != nil {
		return err
	}
	defer st.Close()
	return do(cmd.Context(), st)
}

func passwdVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "passwd NAME --data DIR", Short: "Set a person's password, read from standard input", Args: cobra.ExactArgs(1)}
	dir := dataFlag(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		return withStudio(cmd, *dir, func(ctx context.Context, st *store.Store) error {
			password, err := readPassword()
			if err != nil {
				return err
			}
			a := app.New(st, change.Wall{})
			if err := a.Setup.SetPassword(ctx, args[0], password); err != nil {
				return err
			}
			fmt.Println("The password is set.")
			return nil
		})
	}
	return cmd
}

func readPassword() (string, error) {
	if fd := int(os.Stdin.Fd()); term.IsTerminal(fd) {
		fmt.Fprint(os.Stderr, "New password: ")
		b, err := term.ReadPassword(fd)
		fmt.Fprintln(os.Stderr)
		return string(b), err
	}
	line, err := bufio.NewReader(os.Stdin).ReadString('\n')
	if line = strings.TrimRight(line, "\r\n"); line == "" && err != nil {
		return "", errors.New("no password on standard input")
	}
	return line, nil
}

func checkVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "check --data DIR", Short: "Look for damage in the database and the files", Args: cobra.NoArgs}
	dir := dataFlag(cmd)
	cmd.RunE = func(cmd *cobra.Command, _ []string) error {
		return look(cmd, *dir, func(ctx context.Context, st *store.Store) error {
			faults, err := st.Check(ctx)
			if err != nil {
				return err
			}
			loose, err := st.Loose(ctx)
			if err != nil {
				return err
			}
			for _, name := range loose {
				fmt.Println(name + ": nothing refers to it")
			}
			why := ": left behind by something that broke off; it goes when the studio is served"
			if st.Served() {
				why = ": on its way in, or left behind by something that broke off"
			}
			for _, name := range st.LeftOver() {
				fmt.Println(name + why)
			}
			if len(faults) > 0 {
				return &failed{faults}
			}
			fmt.Println("The database and all files are whole.")
			return nil
		})
	}
	return cmd
}

func backupVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "backup FILE --data DIR", Short: "Write the whole studio into one file, also while it is served", Args: cobra.ExactArgs(1)}
	dir := dataFlag(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		return look(cmd, *dir, func(ctx context.Context, st *store.Store) error {
			faults, err := st.Backup(ctx, args[0])
			if err != nil {
				return err
			}
			if len(faults) > 0 {
				fmt.Println("What is left of the studio is backed up in", args[0])
				return &failed{faults}
			}
			fmt.Println("The studio is backed up in", args[0])
			return nil
		})
	}
	return cmd
}

func drillVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "drill FILE", Short: "Restore a backup, or the newest one of a folder, into a scratch folder, look whether all of it comes back, and clear it away", Args: cobra.ExactArgs(1)}
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		name := args[0]
		if info, err := os.Stat(name); err == nil && info.IsDir() {
			state, err := (&backups.Room{Base: change.Base{Clock: change.Wall{}}, Dir: name}).State()
			if err != nil {
				return err
			}
			if len(state.Copies) == 0 {
				return fmt.Errorf("%s holds no backups", name)
			}
			name = filepath.Join(name, state.Copies[0].Name)
		}
		scratch, err := os.MkdirTemp("", "sakuji-drill-")
		if err != nil {
			return err
		}
		defer os.RemoveAll(scratch)
		begin := time.Now()
		back := filepath.Join(scratch, "studio")
		if _, err := store.Restore(cmd.Context(), name, back, false); err != nil {
			return err
		}
		return withStudio(cmd, back, func(ctx context.Context, st *store.Store) error {
			holds, err := st.Holds(ctx)
			if err != nil {
				return err
			}
			fmt.Printf("%s comes back whole, in %.1f s: %s.\n", name, time.Since(begin).Seconds(), holds)
			return nil
		})
	}
	return cmd
}

func restoreVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "restore FILE --data DIR", Short: "Unpack a backup into a new folder", Args: cobra.ExactArgs(1)}
	dir := dataFlag(cmd)
	save := cmd.Flags().Bool("what-can-be-saved", false, "of a damaged backup bring back the rest, and list what is lost")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		lost, err := store.Restore(cmd.Context(), args[0], *dir, *save)
		if err != nil {
			return err
		}
		if len(lost) > 0 {
			fmt.Println("What could be saved of the studio is restored in", *dir)
			return &failed{lost}
		}
		fmt.Println("The studio is restored in", *dir)
		return nil
	}
	return cmd
}
