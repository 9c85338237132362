package plates

import (
	"context"
	"fmt"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// MachineSheet is one machine: what it does, how often it fails and why, how it is set for a material,
// and what was done to it.
type MachineSheet struct {
	Shop     studio.Shop
	Machine  studio.Machine
	Open     []studio.Plate
	Material studio.Material // that its figures are shown for
	Tuned    []TunedFigure
	Failures studio.Failures
	OnTrial  string // it is new; empty: it is trusted
	Hold     string // why it must not run; empty: it may
	Wear     []studio.Worn
	Trial    Trial
	Log      []LogLine
	Now      time.Time
}

// TunedFigure is a figure of a machine, and its value for a material where it has another.
type TunedFigure struct {
	Key rates.FigureKey
	rates.Figure
	Own *rates.Figure
}

// Trial is a test piece by which a machine is set, and what a print of it takes.
type Trial struct {
	Sets    rates.FigureKey
	Soup    *mesh.Soup
	Minutes float64
	Grams   float64
}

// LogLine is something that was done to a machine.
type LogLine struct {
	At   time.Time
	Who  int64
	Text string
}

// trialModels are the test pieces by process, measured once.
var trialModels = sync.OnceValue(func() map[string]studio.Model {
	out := map[string]studio.Model{}
	for _, kind := range process.Kinds() {
		if kind.Trial != nil {
			m := studio.Model{}
			m.Measures, m.Shape = studio.MeasureModel(kind.Trial.Piece())
			out[kind.Name] = m
		}
	}
	return out
})

// trial is the test piece of a machine, as it prints in a material; nothing where its process has none.
func trial(h studio.Shop, m studio.Machine, material studio.Material) (t Trial) {
	by := process.Of(m.Process).Trial
	if by == nil {
		return t
	}
	t.Sets, t.Soup = by.Sets, by.Piece()
	profile := studio.PrintProfile{Walls: by.Walls, InfillPercent: by.InfillPercent}
	p := h.PrintOf(studio.Copy{Model: trialModels()[m.Process], Scale: 1, Profile: profile}, m, material)
	t.Minutes, t.Grams = p.Minutes, p.Grams+m.Figures.V("loss")
	return t
}

// MachineSheet returns a machine's sheet, with its figures for a material; 0 for the first it prints.
func (a *Room) MachineSheet(ctx context.Context, machineID, materialID int64) (s MachineSheet, err error) {
	s.Now = a.Clock.Now()
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Shop, err = setup.Load(tx); err != nil {
			return err
		}
		var ok bool
		if s.Machine, ok = s.Shop.Machine(machineID); !ok {
			return store.ErrNotFound
		}
		s.Material, _ = s.Shop.Material(materialID, s.Machine.Process)
		own := s.Machine.Tuned[s.Material.ID]
		for _, key := range process.Of(s.Machine.Process).Tunable {
			t := TunedFigure{Key: key, Figure: s.Machine.Figures[key]}
			if f, is := own[key]; is {
				t.Own = &f
			}
			s.Tuned = append(s.Tuned, t)
		}
		s.Trial = trial(s.Shop, s.Machine, s.Material)
		return s.record(tx)
	})
	return s, err
}

// record finds what the machine has done and what was done to it.
func (s *MachineSheet) record(tx *store.Tx) error {
	open, err := tx.Plates(studio.PlateLaid, studio.PlateRunning, studio.PlateFinished)
	if err != nil {
		return err
	}
	s.Open = slices.DeleteFunc(open, func(p studio.Plate) bool { return p.MachineID != s.Machine.ID })
	runs, err := tx.RunResults(studio.PlateEmptied)
	if err != nil {
		return err
	}
	s.Failures, s.OnTrial = s.Shop.FailuresOf(s.Machine, runs), s.Machine.OnTrial(studio.WentWell(s.Machine, runs))
	last, err := tx.LastRemedies()
	if err != nil {
		return err
	}
	inRow, err := failedInRow(tx, s.Machine.ID, last)
	if err != nil {
		return err
	}
	s.Hold = s.Machine.Held(inRow)
	for _, what := range s.Machine.Wears() {
		u, err := tx.UseSince(s.Machine.ID, what)
		if err != nil {
			return err
		}
		s.Wear = append(s.Wear, s.Machine.Worn(what, u))
	}
	return s.log(tx)
}

// mostLogged is how many lines of a machine's log are shown.
const mostLogged = 40

// log brings together what was set, put right and replaced, the newest first.
func (s *MachineSheet) log(tx *store.Tx) error {
	tunings, err := tx.Tunings(s.Machine.ID)
	if err != nil {
		return err
	}
	for _, t := range tunings {
		text := t.Did
		if m, ok := s.Shop.Material(t.MaterialID, s.Machine.Process); ok && t.MaterialID != 0 {
			text = m.Name + ": " + text
		}
		var took []string
		if t.HandsMin > 0 {
			took = append(took, rates.Number(t.HandsMin)+" min")
		}
		if t.Grams > 0 {
			took = append(took, rates.Number(t.Grams)+" g")
		}
		if len(took) > 0 {
			text += " (" + strings.Join(took, ", ") + ")"
		}
		s.Log = append(s.Log, LogLine{t.At, t.PersonID, text})
	}
	remedies, err := tx.Remedies()
	if err != nil {
		return err
	}
	for _, r := range remedies {
		if r.MachineID == s.Machine.ID {
			s.Log = append(s.Log, LogLine{r.At, r.PersonID, r.Cause + ": " + r.Did})
		}
	}
	replaced, err := tx.Replacements(s.Machine.ID)
	if err != nil {
		return err
	}
	for _, r := range replaced {
		s.Log = append(s.Log, LogLine{r.At, r.PersonID, r.What + " replaced"})
	}
	slices.SortStableFunc(s.Log, func(a, b LogLine) int { return b.At.Compare(a.At) })
	s.Log = s.Log[:min(len(s.Log), mostLogged)]
	return nil
}

// onMachine runs a change on a machine.
func (a *Room) onMachine(ctx context.Context, who change.Actor, machineID int64, f func(change.Change, studio.Shop, studio.Machine) error) error {
	return a.Do(ctx, who, func(d change.Change) error {
		h, err := setup.Load(d.Tx)
		if err != nil {
			return err
		}
		m, ok := h.Machine(machineID)
		if !ok {
			return store.ErrNotFound
		}
		return f(d, h, m)
	})
}

// NoteTuning writes a line into a machine's log, and books the material it took.
func (a *Room) NoteTuning(ctx context.Context, who change.Actor, t studio.Tuning) error {
	return a.onMachine(ctx, who, t.MachineID, func(d change.Change, h studio.Shop, m studio.Machine) error {
		return noteTuning(d, h, m, t)
	})
}

func noteTuning(d change.Change, h studio.Shop, m studio.Machine, t studio.Tuning) error {
	if err := t.Check().Err(); err != nil {
		return change.Refused(err)
	}
	material, ok := h.Material(t.MaterialID, m.Process)
	if t.MaterialID != 0 && (!ok || material.ID != t.MaterialID) {
		return change.Refuse("Choose a %s material for %s.", m.Process, m.Name)
	}
	t.At, t.PersonID, t.Did = d.Now, d.Act().PersonID, strings.TrimSpace(t.Did)
	if err := d.AddTuning(&t); err != nil {
		return err
	}
	if t.Grams > 0 && t.MaterialID != 0 {
		lots, err := d.Lots()
		if err != nil {
			return err
		}
		b := studio.Booking{MaterialID: t.MaterialID, Grams: t.Grams, At: d.Now}
		if open := studio.Usable(lots, t.MaterialID); len(open) > 0 {
			b.LotID = open[0].ID
		}
		if err := d.Book(b); err != nil {
			return err
		}
	}
	return d.Note("machine tuned", change.About{}, "%s: %s", m.Name, t.Did)
}

// Tune sets figures of a machine for a material; 0 takes one back to the machine's own.
func (a *Room) Tune(ctx context.Context, who change.Actor, machineID, materialID int64, values map[rates.FigureKey]float64) error {
	return a.onMachine(ctx, who, machineID, func(d change.Change, h studio.Shop, m studio.Machine) error {
		return tune(d, h, m, materialID, values, studio.Tuning{})
	})
}

// tune sets figures and notes it, with what it took.
func tune(d change.Change, h studio.Shop, m studio.Machine, materialID int64, values map[rates.FigureKey]float64,
	took studio.Tuning) error {
	material, ok := h.Material(materialID, m.Process)
	if !ok || material.ID != materialID {
		return change.Refuse("Choose a %s material for %s.", m.Process, m.Name)
	}
	m, did, err := m.Tune(material, values)
	if err != nil {
		return change.Refused(err)
	}
	if len(did) == 0 && took.Did == "" {
		return nil
	}
	if err := d.SaveTuned(m); err != nil {
		return err
	}
	took.MachineID, took.MaterialID = m.ID, material.ID
	took.Did = strings.Join(slices.DeleteFunc([]string{took.Did, strings.Join(did, "; ")}, func(s string) bool { return s == "" }), ": ")
	return noteTuning(d, h, m, took)
}

// Tried is what a test piece showed: exposures with what came of each, or a wall measured at several
// places; with what it took.
type Tried struct {
	MaterialID int64
	process.Tried
	HandsMin float64
	Grams    float64
}

// Calibrated sets a machine for a material by what a test piece showed, and says what it is now.
func (a *Room) Calibrated(ctx context.Context, who change.Actor, machineID int64, t Tried) (told string, err error) {
	err = a.onMachine(ctx, who, machineID, func(d change.Change, h studio.Shop, m studio.Machine) error {
		material, _ := h.Material(t.MaterialID, m.Process)
		now := m.For(material, studio.PrintProfile{}).Figures
		by := process.Of(m.Process).Trial
		if by == nil {
			return change.Refuse("No test piece sets a %s machine.", m.Process)
		}
		found, err := by.Best(now, t.Tried)
		if err != nil {
			return change.Refused(err)
		}
		found = math.Round(found/by.Step) * by.Step
		told = fmt.Sprintf("%s for %s: %s %s, was %s.", studio.UpperFirst(string(by.Sets)), material.Name, rates.Number(found),
			now[by.Sets].Unit, rates.Number(now.V(by.Sets)))
		return tune(d, h, m, t.MaterialID, map[rates.FigureKey]float64{by.Sets: found},
			studio.Tuning{Did: "test piece", HandsMin: t.HandsMin, Grams: t.Grams})
	})
	return told, err
}
