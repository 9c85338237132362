package app

import (
	"context"
	"fmt"
	"io"
	"math"

	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// keepTimedRun keeps a timed run that is to be believed.
func (d Change) keepTimedRun(l studio.TimedRun) error {
	if !l.Believable() {
		return nil
	}
	return d.AddTimedRun(l)
}

// maxGCodeBytes bounds a prepared file.
const maxGCodeBytes = 512 << 20

// Calibrate reads a file that was prepared for a filament machine of a model at a scale, and
// learns how far off the studio's own time for it is. It returns both, in minutes.
func (a *App) Calibrate(ctx context.Context, hand Actor, modelID, machineID int64, scale float64, upload Upload) (ours, real float64, err error) {
	if !(scale >= studio.MinScale && scale <= studio.MaxScale) {
		return 0, 0, refuse("Scale: between %v and %v times the file’s size.", studio.MinScale, studio.MaxScale)
	}
	h, err := a.Shop(ctx)
	if err != nil {
		return 0, 0, err
	}
	machine, ok := h.Machine(machineID)
	if !ok || machine.Process != process.Filament {
		return 0, 0, refuse("Only a filament machine is taught by its prepared files.")
	}
	material, _ := h.Material(0, machine.Process)
	r, err := upload.Open()
	if err != nil {
		return 0, 0, err
	}
	defer r.Close()
	ordinary := process.OrdinaryGCodeMachine() // for what the file does not say
	ordinary.GPerCM3, ordinary.DiameterMM = material.Figures.V("density"), material.Figures.V("diameter")
	if accel := machine.Figures.V("accel"); accel > 0 {
		ordinary.AccelMMPerS2, ordinary.TravelMMPerS2 = accel, accel
	}
	g, err := process.ReadGCode(io.LimitReader(r, maxGCodeBytes), ordinary)
	if err != nil {
		return 0, 0, refuse("%s could not be read: %s. Nothing was learned.", fileName(upload.Name), err)
	}
	var m studio.Model
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		taken, err := tx.ChosenOrientation(modelID, machine.Process)
		if err == nil {
			m, err = tx.ModelOriented(modelID, taken)
		}
		return err
	})
	if err != nil {
		return 0, 0, err
	}
	ours = h.PrintOf(m, scale, 0, machine, material).Minutes / machine.Calibration.Factor()
	real = g.Minutes + machine.Figures.V("preparation")
	l := studio.TimedRun{MachineID: machine.ID, What: fileName(upload.Name), OursMin: ours, RealMin: real, At: a.Clock.Now()}
	if !l.Believable() {
		return ours, real, refuse("%s takes %s and ours for %s is %s: that is too far apart to be the same print. Nothing was learned.",
			fileName(upload.Name), studio.Hours(real), m.Name, studio.Hours(ours))
	}
	return ours, real, a.do(ctx, hand, func(d Change) error {
		if err := d.AddTimedRun(l); err != nil {
			return err
		}
		return d.Note("machine taught", About{}, "%s by %s: %s, ours was %s", machine.Name, l.What, studio.Hours(real), studio.Hours(ours))
	})
}

// CalibratedText says what a timed run changed, in a line.
func CalibratedText(ours, real float64) string {
	return fmt.Sprintf("The file takes %s, ours was %s: %s %% off. The machine has learned from it.", studio.Hours(real), studio.Hours(ours), rates.Number(math.Round(100*math.Abs(real/ours-1))))
}
