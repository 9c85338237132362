package demo

import (
	"context"
	"fmt"
	"log/slog"
	"sync"
	"time"

	"sakuji/app"
	"sakuji/device"
	"sakuji/store"
)

// Demo is the demo studio, open.
type Demo struct {
	App      *app.App
	clock    *Clock
	printers device.Printers
	mu       sync.Mutex // one moves time at a time
}

// seed decides how runs go and how long hands take, in all of the demo's history.
const seed = 417

// zone is where the demo's clock hangs.
const zone = "Europe/Vienna"

// Morning is the fixed moment the demo begins at.
func Morning() time.Time {
	loc, err := time.LoadLocation(zone)
	if err != nil {
		loc = time.UTC
	}
	return time.Date(2026, time.May, 14, 9, 0, 0, 0, loc)
}

// Open opens the demo in a folder; an empty one is filled with three weeks of
// history first, one that holds a demo goes on where it stood.
func Open(ctx context.Context, dir string) (*Demo, error) {
	st, err := store.Open(ctx, dir)
	if err != nil {
		return nil, err
	}
	return begin(ctx, st)
}

// begin is the demo in an open folder; in an empty one its years are lived first.
func begin(ctx context.Context, st *store.Store) (*Demo, error) {
	d := &Demo{clock: &Clock{}, printers: device.Printers{Seed: seed}}
	d.App = app.New(st, d.clock)
	empty, err := d.App.Setup.Empty(ctx)
	if err == nil && empty {
		err = d.live(ctx)
	} else if err == nil {
		err = d.resume(ctx)
	}
	if err != nil {
		st.Close()
		return nil, fmt.Errorf("the demo studio: %w", err)
	}
	return d, nil
}

func (d *Demo) resume(ctx context.Context) error {
	last, err := d.App.Logbook(ctx, 0)
	d.clock.Set(Morning())
	if len(last) > 0 {
		d.clock.Set(last[0].At)
	}
	return err
}

// Close closes the demo's data.
func (d *Demo) Close() error { return d.App.Store.Close() }

// Run lets the demo's clock run and its machines work until the context ends.
func (d *Demo) Run(ctx context.Context, log *slog.Logger) {
	d.clock.Start()
	tick := time.NewTicker(5 * time.Second)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			d.mu.Lock()
			err := d.printers.Drive(ctx, d.App)
			d.mu.Unlock()
			if err != nil && ctx.Err() == nil {
				log.Error("simulated printers", "err", err)
			}
		}
	}
}

// Pass lets time pass, and the machines work meanwhile.
func (d *Demo) Pass(ctx context.Context, by time.Duration) error {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.clock.Set(d.clock.Now().Add(by))
	return d.printers.Drive(ctx, d.App)
}

// ToNext lets time pass until the next run or wait ends.
func (d *Demo) ToNext(ctx context.Context) (bool, error) {
	d.mu.Lock()
	defer d.mu.Unlock()
	at, ok, err := d.App.Today.NextEvent(ctx)
	if err != nil {
		return false, err
	}
	stops, runs, err := d.printers.Next(ctx, d.App)
	if err != nil {
		return false, err
	}
	if runs && (!ok || stops.Before(at)) {
		at, ok = stops, true
	}
	if !ok {
		return false, nil
	}
	d.clock.Set(at.Add(time.Second))
	return true, d.printers.Drive(ctx, d.App)
}
