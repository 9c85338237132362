package plates

import (
	"context"
	"fmt"
	"io"
	"math"

	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/app/setup"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// maxGCodeBytes bounds a prepared file.
const maxGCodeBytes = 512 << 20

// Calibrate reads a file that was prepared for a filament machine of a model at a scale, and
// learns how far off the studio's own time for it is. It returns both, in minutes.
func (a *Room) Calibrate(ctx context.Context, who change.Actor, modelID, machineID int64, scale float64, upload models.Upload) (ours, real float64, err error) {
	if !(scale >= studio.MinScale && scale <= studio.MaxScale) {
		return 0, 0, change.Refuse("Scale: between %v and %v times the file’s size.", studio.MinScale, studio.MaxScale)
	}
	var h studio.Shop
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		h, err = setup.Load(tx)
		return err
	})
	if err != nil {
		return 0, 0, err
	}
	machine, ok := h.Machine(machineID)
	if !ok || machine.Process != process.Filament {
		return 0, 0, change.Refuse("Only a filament machine is taught by its prepared files.")
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
		return 0, 0, change.Refuse("%s could not be read: %s. Nothing was learned.", models.FileName(upload.Name), err)
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
	l := studio.TimedRun{MachineID: machine.ID, What: models.FileName(upload.Name), OursMin: ours, RealMin: real, At: a.Clock.Now()}
	if !l.Believable() {
		return ours, real, change.Refuse("%s takes %s and ours for %s is %s: that is too far apart to be the same print. Nothing was learned.",
			models.FileName(upload.Name), studio.Hours(real), m.Name, studio.Hours(ours))
	}
	return ours, real, a.Do(ctx, who, func(d change.Change) error {
		if err := d.AddTimedRun(l); err != nil {
			return err
		}
		return d.Note("machine taught", change.About{}, "%s by %s: %s, ours was %s", machine.Name, l.What, studio.Hours(real), studio.Hours(ours))
	})
}

// CalibratedText says what a timed run changed, in a line.
func CalibratedText(ours, real float64) string {
	return fmt.Sprintf("The file takes %s, ours was %s: %s %% off. The machine has learned from it.", studio.Hours(real), studio.Hours(ours), rates.Number(math.Round(100*math.Abs(real/ours-1))))
}
