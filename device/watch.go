package device

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"maps"
	"net/http"
	"slices"
	"strings"
	"time"

	"sakuji/app"
	"sakuji/app/change"
	"sakuji/app/plates"
	"sakuji/core/process"
	"sakuji/studio"
)

// Watch asks the machines that have an address how they stand, gives them what was started, and notes
// what has ended. It remembers nothing: after a restart it goes on from what machines and plates say.
type Watch struct {
	App    *app.App
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
			live.State = plates.Unreachable
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

// one asks a machine, starts what is to run on it, once, and notes what has begun, ended or is gone.
func (w *Watch) one(ctx context.Context, m studio.Machine, pl studio.Plate, runs bool) (plates.Live, error) {
	s, err := w.ask(ctx, m, http.MethodGet, "status", nil)
	if err != nil {
		return plates.Live{}, err
	}
	now, mine := w.App.Clock.Now(), false
	if runs {
		shown := studio.Shown{State: s.State, Job: s.Job, Ended: now.Add(-time.Duration(s.EndedAgoS * float64(time.Second)))}
		step, missing := pl.Run.Meet(shown, now)
		if step == studio.StepStart {
			if s, err = w.start(ctx, m, pl, s.Job); err != nil {
				return plates.Live{}, err
			}
			if s.Job == pl.Run.Job && s.State != studio.MachineIdle {
				step = studio.StepHeard
			}
		}
		mine = s.Job == pl.Run.Job
		if err := w.note(ctx, m, pl, s, shown, step, missing); err != nil {
			return plates.Live{}, err
		}
	}
	return plates.Live{State: s.State, Job: s.Job, Mine: mine, Layer: s.Layer, Layers: s.Layers, LeftMin: s.SecondsLeft / 60, Temperatures: s.Temperatures, Fault: s.Fault, At: now}, nil
}

// note keeps what follows from what a machine shows.
func (w *Watch) note(ctx context.Context, m studio.Machine, pl studio.Plate, s Status, shown studio.Shown, step studio.Step, missing string) error {
	who := change.Actor{Name: m.Name}
	switch step {
	case studio.StepHeard:
		return w.App.Plates.Heard(ctx, who, pl)
	case studio.StepMiss:
		return w.App.Plates.Missed(ctx, who, pl, missing)
	case studio.StepOver:
		pieces, err := w.App.Plates.PiecesOn(ctx, pl.Number)
		if err != nil {
			return err
		}
		reports := map[int64]string{}
		for _, p := range pieces {
			if what, ok := s.Reports[p.Code]; ok {
				reports[p.ID] = what
			}
		}
		ended := shown.Ended
		if ended.Before(pl.Run.Started) { // their clocks differ by a little
			ended = pl.Run.Started
		}
		return w.App.Plates.FinishRun(ctx, who, pl.Number, ended, reports)
	}
	return nil
}

// start gives a machine its job. That it does is kept before it does: what becomes of it the machine says, and where it
// says nothing, a person. It is never sent a second time by itself.
func (w *Watch) start(ctx context.Context, m studio.Machine, pl studio.Plate, before string) (Status, error) {
	pieces, err := w.App.Plates.PiecesOn(ctx, pl.Number)
	if err != nil {
		return Status{}, err
	}
	j := Job{Job: pl.Run.Job, Layers: w.App.Plates.Layers(ctx, pl.Number), Minutes: pl.Run.PlannedMin}
	for _, p := range pieces {
		j.Pieces = append(j.Pieces, p.Code)
	}
	if err := w.App.Plates.Sending(ctx, change.Actor{Name: m.Name}, pl, before); err != nil {
		return Status{}, err
	}
	s, err := w.ask(ctx, m, http.MethodPost, "start", j)
	var refused *refusal
	if errors.As(err, &refused) {
		return s, errors.Join(err, w.App.Plates.Missed(ctx, change.Actor{Name: m.Name}, pl, "It has not begun: "+m.Name+" refuses to start it."))
	}
	return s, err
}

// refusal is a machine's no.
type refusal struct{ what, why string }

func (r *refusal) Error() string { return "refuses to " + r.what + ": " + r.why }

// ask sends a machine a question or a word, and reads its status.
func (w *Watch) ask(ctx context.Context, m studio.Machine, method, what string, body any) (s Status, err error) {
	var send io.Reader
	if body != nil {
		b, err := json.Marshal(body)
		if err != nil {
			return s, err
		}
		send = bytes.NewReader(b)
	}
	r, err := http.NewRequestWithContext(ctx, method, strings.TrimRight(m.Link, "/")+"/"+what, send)
	if err != nil {
		return s, err
	}
	answer, err := client.Do(r)
	if err != nil {
		return s, fmt.Errorf("does not answer: %w", err)
	}
	defer answer.Body.Close()
	text, err := io.ReadAll(io.LimitReader(answer.Body, mostAnswer))
	if err != nil {
		return s, fmt.Errorf("broke off its answer: %w", err)
	}
	if answer.StatusCode != http.StatusOK {
		return s, &refusal{what, words(string(text), longestReason)}
	}
	if json.Unmarshal(text, &s) != nil {
		return s, errors.New("answers what cannot be read")
	}
	return s.bounded(), nil
}

// Bounds of what a machine reports. Source: from memory: a layer of 0.01 mm in 2 m, a year, what melts and freezes.
const (
	mostLayers  = 200_000
	mostSeconds = 365 * 24 * 3600
	coldestC    = -60
	hottestC    = 600
	mostPlaces  = 6    // whose temperatures are told
	mostReports = 2000 // pieces of a plate
)

// bounded is what a machine reports as numbers, states and causes that can be.
func (s Status) bounded() Status {
	if !slices.Contains([]string{Idle, Running, Paused, Ended, Stopped}, s.State) {
		s.State = Unclear
	}
	s.Name, s.Process, s.Job = "", "", words(s.Job, longestName)
	s.Layers = min(max(s.Layers, 0), mostLayers)
	s.Layer = min(max(s.Layer, 0), s.Layers)
	s.SecondsLeft, s.EndedAgoS = within(s.SecondsLeft, 0, mostSeconds), within(s.EndedAgoS, 0, mostSeconds)
	if s.Fault != "" {
		s.Fault = process.FaultOf(s.Fault).Sign
	}
	temperatures := map[string]float64{}
	for _, where := range slices.Sorted(maps.Keys(s.Temperatures)) {
		if c := s.Temperatures[where]; c >= coldestC && c <= hottestC && len(temperatures) < mostPlaces {
			temperatures[words(where, longestName/2)] = c
		}
	}
	reports := map[string]string{}
	for _, code := range slices.Sorted(maps.Keys(s.Reports)) {
		what := s.Reports[code]
		if what != studio.Good {
			what = process.FaultOf(what).Sign
		}
		if len(reports) < mostReports {
			reports[code] = what
		}
	}
	s.Temperatures, s.Reports = temperatures, reports
	return s
}

// within is a number that can be; what is none is the least.
func within(v, least, most float64) float64 {
	if !(v >= least) {
		return least
	}
	return min(v, most)
}
