package plates

import (
	"context"
	"errors"
	"fmt"
	"math"

	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/app/models"
	"sakuji/app/setup"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// Prepared says what a file was prepared of, and for which filament machine.
type Prepared struct {
	ModelID, MachineID int64
	Scale              float64
	Plate              int // by number: all that lies on it, on its machine; 0: the model by itself
}

// Calibrate queues a prepared file: from it the machine learns how far off the studio's own
// time for its print is.
func (a *Room) Calibrate(ctx context.Context, who change.Actor, p Prepared, f models.Kept) (batch string, err error) {
	batch = jobs.NewBatch()
	err = a.Do(ctx, who, func(c change.Change) error {
		if p.Plate != 0 {
			pl, err := c.Plate(p.Plate)
			if err != nil {
				return err
			}
			p.MachineID, p.Scale = pl.MachineID, 1
		}
		if !(p.Scale >= studio.MinScale && p.Scale <= studio.MaxScale) {
			return change.RefuseField("scale", "Scale: between %v and %v times the file’s size.", studio.MinScale, studio.MaxScale)
		}
		h, err := setup.Load(c.Tx)
		if err != nil {
			return err
		}
		if m, ok := h.Machine(p.MachineID); !ok || !process.Of(m.Process).Drawn {
			return change.Refuse("Only a machine that draws its prints in lines is taught by its prepared files.")
		}
		if _, err := c.Tx.Model(p.ModelID); p.Plate == 0 && err != nil {
			return err
		}
		if err := c.AddFile(f.SHA, f.Bytes, c.Now); err != nil {
			return err
		}
		return c.AddJob(&studio.Job{Kind: studio.JobCalibrate, Batch: batch, ModelID: p.ModelID, SHA: f.SHA, Bytes: f.Bytes, Name: f.Name,
			Options: studio.JobOptions{MachineID: p.MachineID, Scale: p.Scale, Plate: p.Plate}, Who: who.Name, ActorID: who.ID, At: c.Now})
	})
	if err != nil {
		return "", errors.Join(err, a.Store.Forget(ctx, f.SHA))
	}
	a.queue.Stir()
	return batch, nil
}

// calibrate reads a prepared file and lets its machine learn from it.
func (a *Room) calibrate(ctx context.Context, j studio.Job, told jobs.Progress) error {
	if j.Options.Plate != 0 {
		return a.calibratePlate(ctx, j, told)
	}
	var h studio.Shop
	var m studio.Model
	err := a.Store.Read(ctx, func(tx *store.Tx) (err error) {
		if h, err = setup.Load(tx); err != nil {
			return err
		}
		taken, err := tx.ChosenOrientation(j.ModelID, process.Filament)
		if err == nil {
			m, err = tx.ModelOriented(j.ModelID, taken)
		}
		return err
	})
	if err != nil {
		return err
	}
	machine, ok := h.Machine(j.Options.MachineID)
	if !ok {
		return change.Refuse("The machine is not there any more. Nothing was learned.")
	}
	material, _ := h.Material(0, machine.Process)
	g, err := a.prepared(ctx, j, machine, material, told)
	if err != nil {
		return err
	}
	ours := h.PrintOf(studio.Copy{Model: m, Scale: j.Options.Scale}, machine, material).Minutes / machine.Calibration.Factor()
	real := g.Minutes + machine.Figures.V("preparation")
	l := studio.TimedRun{MachineID: machine.ID, What: j.Name, OursMin: ours, RealMin: real, At: a.Clock.Now()}
	if !l.Believable() {
		return change.Refuse("%s takes %s and ours for %s is %s: that is too far apart to be the same print. Nothing was learned.",
			j.Name, studio.Hours(real), m.Name, studio.Hours(ours))
	}
	err = a.queue.Save(ctx, j, func(c change.Change) error {
		text := fmt.Sprintf("The file takes %s, ours was %s: %s %% off. %s has learned from it.",
			studio.Hours(real), studio.Hours(ours), rates.Number(math.Round(100*math.Abs(real/ours-1))), machine.Name)
		if err := jobs.Done(c, j, 0, text); err != nil {
			return err
		}
		if err := dropPrepared(c, j); err != nil {
			return err
		}
		if err := c.AddTimedRun(l); err != nil {
			return err
		}
		return c.Note("machine taught", change.About{}, "%s by %s: %s, ours was %s", machine.Name, l.What, studio.Hours(real), studio.Hours(ours))
	})
	if err != nil {
		return err
	}
	return a.letGo(ctx, j)
}

// calibratePlate reads the program of a plate: it is kept beside the estimate, and the machine learns
// from it where the two can be of the same prints.
func (a *Room) calibratePlate(ctx context.Context, j studio.Job, told jobs.Progress) error {
	s, err := a.PlateSheet(ctx, j.Options.Plate)
	if err != nil {
		return err
	}
	g, err := a.prepared(ctx, j, s.Machine, s.Material, told)
	if err != nil {
		return err
	}
	p := studio.Program{Name: j.Name, Minutes: g.Minutes + s.Machine.Figures.V("preparation"), Grams: g.FilamentG, Layers: g.Layers}
	text, far := p.Beside(s.Estimate)
	l := studio.TimedRun{MachineID: s.Machine.ID, What: j.Name, OursMin: s.Estimate.PhysicsMin, RealMin: p.Minutes, At: a.Clock.Now()}
	teaches := l.Believable() && !far
	if teaches {
		text += " " + s.Machine.Name + " has learned from it."
	}
	err = a.queue.Save(ctx, j, func(c change.Change) error {
		pl, err := c.Plate(j.Options.Plate)
		if err != nil {
			return err
		}
		pl.Program = p
		if err := errors.Join(c.SavePlate(pl), jobs.Done(c, j, 0, text), dropPrepared(c, j)); err != nil {
			return err
		}
		if teaches {
			if err := c.AddTimedRun(l); err != nil {
				return err
			}
		}
		return c.Note("program read", change.About{Plate: pl.ID}, "plate %d: %s", pl.Number, text)
	})
	if err != nil {
		return err
	}
	return a.letGo(ctx, j)
}

// prepared reads the file of a job.
func (a *Room) prepared(ctx context.Context, j studio.Job, machine studio.Machine, material studio.Material, told jobs.Progress) (g process.GCode, err error) {
	f, err := a.Store.File(j.SHA)
	if err != nil {
		return g, err
	}
	defer f.Close()
	ordinary := process.OrdinaryGCodeMachine() // for what the file does not say
	ordinary.GPerCM3, ordinary.DiameterMM = material.Figures.V("density"), material.Figures.V("diameter")
	if accel := machine.Figures.V("accel"); accel > 0 {
		ordinary.AccelMMPerS2, ordinary.TravelMMPerS2 = accel, accel
	}
	g, err = process.ReadGCode(jobs.Reading(ctx, f, j.Bytes, "reading the file", told), ordinary)
	if err == nil || errors.Is(err, jobs.ErrStopped) || ctx.Err() != nil {
		return g, err
	}
	return g, change.Refuse("%s could not be read: %s. Nothing was learned.", j.Name, err)
}

// dropPrepared lets go of a prepared file that has been read: nothing else speaks of it.
func dropPrepared(c change.Change, j studio.Job) error {
	_, err := c.DropFile(j.SHA)
	return err
}

func (a *Room) letGo(ctx context.Context, j studio.Job) error { return a.Store.Forget(ctx, j.SHA) }
