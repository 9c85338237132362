package device

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"sakuji/app"
	"sakuji/app/change"
	"sakuji/app/plates"
	"sakuji/studio"
)

// Watch asks the machines that have an address how they stand, gives them what was started, and notes
// what has ended. It remembers nothing: after a restart it goes on from what machines and plates say.
type Watch struct {
	App    *app.App
	Client *http.Client // nil: one that waits ten seconds at most
	warned map[int64]string
}

// mostAnswer bounds what a machine may answer.
const mostAnswer = 1 << 20

// Run watches until the context ends.
func (w *Watch) Run(ctx context.Context, every time.Duration, log *slog.Logger) {
	tick := time.NewTicker(every)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if err := w.Look(ctx); err != nil && ctx.Err() == nil {
				log.Warn("watching machines", "error", err)
			}
		}
	}
}

// Look asks every machine once. One that does not answer is noted so, and holds nobody up.
func (w *Watch) Look(ctx context.Context) error {
	machines, standing, err := w.App.Plates.OnMachines(ctx)
	if err != nil {
		return err
	}
	if w.warned == nil {
		w.warned = map[int64]string{}
	}
	on := map[int64]studio.Plate{}
	for _, pl := range standing {
		if pl.State == studio.PlateRunning {
			on[pl.MachineID] = pl
		}
	}
	var trouble error
	for _, m := range machines {
		if m.Link == "" || !m.Active {
			continue
		}
		pl, runs := on[m.ID]
		live, err := w.one(ctx, m, pl, runs)
		if err != nil {
			live.State, live.Fault = plates.Unreachable, err.Error()
			if w.warned[m.ID] != err.Error() { // said once
				trouble = fmt.Errorf("%s: %w", m.Name, err)
			}
			w.warned[m.ID] = err.Error()
		} else {
			delete(w.warned, m.ID)
		}
		w.App.Plates.Tell(m.ID, live)
	}
	return trouble
}

// one asks a machine, starts what is to run on it and notes what has ended.
func (w *Watch) one(ctx context.Context, m studio.Machine, pl studio.Plate, runs bool) (plates.Live, error) {
	var s Status
	if err := w.ask(ctx, m, http.MethodGet, "status", nil, &s); err != nil {
		return plates.Live{}, err
	}
	job := fmt.Sprintf("plate-%d-%d", pl.Number, pl.ID)
	codes := map[string]int64{}
	if runs {
		pieces, err := w.App.Plates.PiecesOn(ctx, pl.Number)
		if err != nil {
			return plates.Live{}, err
		}
		for _, p := range pieces {
			codes[p.Code] = p.ID
		}
	}
	switch {
	case runs && s.Job != job && s.State != Running && s.State != Paused:
		j := Job{Job: job, Layers: w.App.Plates.Layers(ctx, pl.Number), Minutes: pl.Run.PlannedMin}
		for code := range codes {
			j.Pieces = append(j.Pieces, code)
		}
		if err := w.ask(ctx, m, http.MethodPost, "start", j, &s); err != nil {
			return plates.Live{}, err
		}
	case runs && s.Job == job && (s.State == Ended || s.State == Stopped):
		reports := map[int64]string{}
		for code, what := range s.Reports {
			if id, ok := codes[code]; ok {
				reports[id] = what
			}
		}
		now := w.App.Clock.Now()
		ended := now.Add(-time.Duration(max(0, s.EndedAgoS) * float64(time.Second)))
		if ended.Before(pl.Run.Started) {
			ended = pl.Run.Started
		}
		if err := w.App.Plates.FinishRun(ctx, change.Actor{Name: m.Name}, pl.Number, ended, reports); err != nil {
			return plates.Live{}, err
		}
	}
	return plates.Live{State: s.State, Job: s.Job, Mine: runs && s.Job == job, Layer: s.Layer, Layers: s.Layers, LeftMin: s.SecondsLeft / 60, Temperatures: s.Temperatures, Fault: s.Fault, At: w.App.Clock.Now()}, nil
}

// ask sends a machine a question or a word, and reads its status.
func (w *Watch) ask(ctx context.Context, m studio.Machine, method, what string, body any, s *Status) error {
	var send io.Reader
	if body != nil {
		b, err := json.Marshal(body)
		if err != nil {
			return err
		}
		send = bytes.NewReader(b)
	}
	r, err := http.NewRequestWithContext(ctx, method, strings.TrimRight(m.Link, "/")+"/"+what, send)
	if err != nil {
		return err
	}
	client := w.Client
	if client == nil {
		client = &http.Client{Timeout: 10 * time.Second}
	}
	answer, err := client.Do(r)
	if err != nil {
		return fmt.Errorf("does not answer: %w", err)
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(io.LimitReader(answer.Body, mostAnswer))
	if err != nil {
		return fmt.Errorf("broke off its answer: %w", err)
	}
	if answer.StatusCode != http.StatusOK {
		return fmt.Errorf("refuses to %s: %s", what, strings.TrimSpace(string(text[:min(200, len(text))])))
	}
	if err := json.Unmarshal(text, s); err != nil {
		return fmt.Errorf("answers what cannot be read: %w", err)
	}
	return nil
}
