package main

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"runtime/debug"
	"sync"
	"syscall"
	"time"

	"github.com/spf13/cobra"

	"sakuji/app"
	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/demo"
	"sakuji/device"
	"sakuji/store"
	"sakuji/web"
	"sakuji/web/kit"
)

func serveVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "serve --data DIR", Short: "Serve the studio kept in a folder", Args: cobra.NoArgs}
	dir := dataFlag(cmd)
	addr := cmd.Flags().String("addr", "127.0.0.1:8620", "where to listen")
	limits := models.Limits{}
	cmd.Flags().IntVar(&limits.Triangles, "max-triangles", 0, "most triangles of one model (default 10,000,000)")
	megabytes := cmd.Flags().Int64("max-file-mb", models.MaxUploadBytes>>20, "largest model file that is taken in")
	copies := cmd.Flags().String("backups", "", "folder for daily backups, best on another disk (default: DIR-backups; off: none)")
	behind := cmd.Flags().Bool("behind-https", false, "a proxy on this machine speaks HTTPS for it and passes on who asks")
	cmd.RunE = func(*cobra.Command, []string) error {
		ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
		defer stop()
		if *megabytes < 1 {
			return usage{errors.New("--max-file-mb: at least 1")}
		}
		free, err := store.Serve(*dir)
		if err != nil {
			return err
		}
		defer free() //nolint:errcheck // it ends with the program, too
		st, err := store.Open(ctx, *dir)
		if err != nil {
			return err
		}
		defer st.Close()
		tellUpgrade(st)
		if err := clean(st, *dir); err != nil {
			return err
		}
		limits.UploadBytes = *megabytes << 20
		a := app.New(st, change.Wall{})
		a.Models.Limits = limits
		if a.Jobs.Apart, err = ourselves(); err != nil {
			return err
		}
		opts := kit.Options{Exposed: !loopback(*addr) || *behind, BehindTLS: *behind}
		empty, err := a.Setup.Empty(ctx)
		if err != nil {
			return err
		}
		if empty && opts.Exposed {
			opts.FirstToken = rand.Text()[:12]
			fmt.Printf("The studio is empty. To name its owner, this token is asked for: %s\n", opts.FirstToken)
		}
		if h, err := a.Setup.Shop(ctx); err != nil || h.Studio.PublicURL == "" {
			fmt.Println("No public address is set on the Studio sheet: links for clients carry the address at which the studio itself is opened, and work for nobody else.")
		}
		log := slog.New(slog.NewJSONHandler(os.Stderr, nil))
		a.Backups.Dir = backupsOf(*dir, *copies)
		var works sync.WaitGroup
		works.Go(func() { a.Jobs.Work(ctx, log) })
		works.Go(func() { a.Backups.Work(ctx, log) })
		works.Go(func() { (&device.Watch{App: a}).Run(ctx, watchEvery, log) })
		works.Go(func() { (&device.Thermometer{App: a}).Run(ctx, feelEvery, log) })
		defer func() { stop(); works.Wait() }()
		return listen(ctx, *addr, web.New(a, log, opts), log, "Sakuji serves the studio in "+*dir)
	}
	return cmd
}

// watchEvery is how often machines are asked how they stand.
const watchEvery = 5 * time.Second

// feelEvery is how often the sensor is asked how the air is.
const feelEvery = time.Minute

// backupsOf is where the backups of a data folder lie.
func backupsOf(dir, said string) string {
	switch said {
	case "off":
		return ""
	case "":
		return filepath.Clean(dir) + "-backups"
	}
	return said
}

// clean clears what an earlier life has left behind; what is uploaded lies in the data folder
// until it is kept, where there is room for it.
func clean(st *store.Store, dir string) error {
	incoming := filepath.Join(dir, "incoming")
	return errors.Join(st.Sweep(), os.RemoveAll(incoming), os.MkdirAll(incoming, 0o700), os.Setenv("TMPDIR", incoming))
}

func demoVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "demo", Short: "Serve the demo studio, with simulated machines and time", Args: cobra.NoArgs}
	keep := cmd.Flags().String("keep", "", "keep the demo's data in this folder, and go on with it next time")
	addr := cmd.Flags().String("addr", "127.0.0.1:8620", "where to listen")
	cmd.RunE = func(*cobra.Command, []string) error {
		ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
		defer stop()
		dir := *keep
		if dir == "" {
			temp, err := os.MkdirTemp("", "sakuji-demo-")
			if err != nil {
				return err
			}
			defer os.RemoveAll(temp)
			dir = temp
		}
		free, err := store.Serve(dir)
		if err != nil {
			return err
		}
		defer free() //nolint:errcheck // it ends with the program, too
		fmt.Println("Making the demo studio: its models are carved and three weeks of work are simulated …")
		d, err := demo.Open(ctx, dir)
		if err != nil {
			return err
		}
		defer d.Close()
		if err := clean(d.App.Store, dir); err != nil {
			return err
		}
		if d.App.Jobs.Apart, err = ourselves(); err != nil {
			return err
		}
		log := slog.New(slog.NewJSONHandler(os.Stderr, nil))
		worked := make(chan struct{})
		go func() { d.App.Jobs.Work(ctx, log); close(worked) }()
		defer func() { stop(); <-worked }()
		go d.Run(ctx, log)
		go (&device.Watch{App: d.App}).Run(ctx, watchEvery, log)
		go (&device.Thermometer{App: d.App}).Run(ctx, feelEvery, log)
		return listen(ctx, *addr, web.New(d.App, log, kit.Options{Demo: d, Exposed: !loopback(*addr)}), log, "Lantern & Larch, a demo studio. Its owner is signed in by itself on this machine.")
	}
	return cmd
}

func loopback(addr string) bool {
	host, _, err := net.SplitHostPort(addr)
	if err != nil {
		return false
	}
	ip := net.ParseIP(host)
	return host == "localhost" || ip != nil && ip.IsLoopback()
}

// listen serves until the context ends, then lets requests under way finish.
func listen(ctx context.Context, addr string, s *web.Server, log *slog.Logger, what string) error {
	defer s.Close()
	// A studio's pages are short-lived and what stays is small: collecting half as often costs
	// some memory and answers sooner.
	debug.SetGCPercent(300)
	l, err := net.Listen("tcp", addr)
	if err != nil {
		return err
	}
	server := &http.Server{Handler: s.Handler(), ReadHeaderTimeout: 10 * time.Second, IdleTimeout: 2 * time.Minute, MaxHeaderBytes: 64 << 10,
		ErrorLog: slog.NewLogLogger(log.Handler(), slog.LevelWarn)}
	server.RegisterOnShutdown(s.HangUp)
	fmt.Printf("%s\nhttp://%s\n", what, l.Addr())
	ended := make(chan error, 1)
	go func() { ended <- server.Serve(l) }()
	select {
	case err := <-ended:
		return err
	case <-ctx.Done():
	}
	fmt.Println("Closing; what is under way is finished first.")
	wait, cancel := context.WithTimeout(context.Background(), 15*time.Second)
	defer cancel()
	if err := server.Shutdown(wait); err != nil && !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}
