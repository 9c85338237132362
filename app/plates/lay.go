package plates

import (
	"context"
	"math/rand/v2"
	"slices"
	"strings"
	"time"

	"sakuji/app/change"
	"sakuji/app/setup"
	"sakuji/core/plate"
	"sakuji/store"
	"sakuji/studio"
)

// queued is what waits for a machine in a material.
type queued struct {
	Shop     studio.Shop
	Machine  studio.Machine
	Material studio.Material
	Profile  studio.PrintProfile // that its plates are of
	Pieces   []studio.LaidPiece
	Due      map[int64]time.Time // by which a piece must be off its plate
	FreeMin  float64             // from when its machine is free, in minutes from now
}

// queued finds what waits that a machine could print in a material by a profile.
func (a *Room) queued(tx *store.Tx, machineID, materialID int64, by studio.PrintProfile) (q queued, err error) {
	q.Profile = by.Shared()
	if q.Shop, err = setup.Load(tx); err != nil {
		return q, err
	}
	var ok bool
	if q.Machine, ok = q.Shop.Machine(machineID); !ok || !q.Machine.Active {
		return q, change.Refuse("Choose a machine.")
	}
	if q.Material, ok = q.Shop.Material(materialID, q.Machine.Process); !ok || q.Material.ID != materialID {
		return q, change.Refuse("Choose a %s material for %s.", q.Machine.Process, q.Machine.Name)
	}
	free, _, err := a.free(tx)
	if err != nil {
		return q, err
	}
	q.FreeMin = free[q.Machine.ID]
	if !q.Machine.Prints(q.Material.ID) {
		return q, change.Refuse("%s does not take %s.", q.Machine.Name, q.Material.Name)
	}
	return q, q.load(tx, a.Clock.Now(), nil)
}

// load finds the pieces of the queue, but those that are kept off, and when each is due.
func (q *queued) load(tx *store.Tx, now time.Time, keptOff []int64) error {
	groups, _, err := Waiting(tx, q.Shop)
	if err != nil {
		return err
	}
	waiting := shareable(groups, q.Machine, q.Material, q.Profile)
	models, err := tx.PieceModels(waiting...)
	if err != nil {
		return err
	}
	q.Due = map[int64]time.Time{}
	known := map[int64]time.Time{}
	for _, p := range waiting {
		if slices.Contains(keptOff, p.ID) {
			continue
		}
		q.Pieces = append(q.Pieces, studio.LaidPiece{Piece: p, Model: models[p.ID]})
		if q.Due[p.ID], err = wanted(tx, known, p, now); err != nil {
			return err
		}
	}
	return nil
}

// shareable are the pieces of groups that may lie on one plate of a machine, in a material by a profile.
func shareable(groups []WaitingGroup, m studio.Machine, material studio.Material, by studio.PrintProfile) (out []studio.Piece) {
	for _, g := range groups {
		if g.Process == m.Process && g.Material.ID == material.ID && m.SameRun(material, g.Profile, by) {
			out = append(out, g.Pieces...)
		}
	}
	return out
}

// Steps of the search for a plan: many for a few pieces, fewer for many, that it takes a moment
// either way.
const (
	searchSteps = 3000
	leastSteps  = 12
	mostSteps   = 150
)

// plan shares the queue out among plates, of which the first is to start when its machine is free and
// somebody is there.
func (q queued) plan(now time.Time) plate.Plan {
	job := q.Shop.PlateJob(q.Machine, q.Material, q.Pieces, q.Due, now)
	job.Die = die(q.Machine, 1)
	watch := q.Shop.Watch(now)
	return watch.First(job, watch.There(q.FreeMin), func(job plate.Job) plate.Plan {
		s := plate.NewSearch(job)
		for range max(leastSteps, min(mostSteps, searchSteps/max(1, len(q.Pieces)))) {
			s.Step()
		}
		return s.Best()
	})
}

// die is the chance that a search for plates of a machine has: the same for the same seed.
func die(m studio.Machine, seed uint64) plate.Die { return rand.New(rand.NewPCG(uint64(m.ID), seed)) }

// planned works a plan out from what waits now, outside of any change: it may take a moment.
func (a *Room) planned(ctx context.Context, machineID, materialID int64, by studio.PrintProfile) (q queued, plan plate.Plan, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		q, err = a.queued(tx, machineID, materialID, by)
		return err
	})
	if err != nil {
		return q, plan, err
	}
	return q, q.plan(a.Clock.Now()), nil
}

// LayPlate makes the plate that should run next on a machine: of all that wait for a material and
// a profile, it takes those that share the first plate of the best plan.
func (a *Room) LayPlate(ctx context.Context, who change.Actor, machineID, materialID int64, by studio.PrintProfile) (number int, left []plate.Left, err error) {
	q, plan, err := a.planned(ctx, machineID, materialID, by)
	if err != nil {
		return 0, nil, err
	}
	left = plan.Left
	if len(plan.Plates) == 0 {
		return 0, left, q.nothing(left)
	}
	for _, on := range plan.Plates[1:] {
		for _, at := range on.Placed {
			left = append(left, plate.Left{ID: at.ID, Reason: "no room left on this plate"})
		}
	}
	err = a.Do(ctx, who, func(d change.Change) error {
		pl, err := lay(d, q.Machine, q.Material, plan.Plates[0].Placed)
		number = pl.Number
		return err
	})
	return number, left, err
}

// label is what a plate is of, in words.
func (q queued) label() string {
	return strings.Join(slices.DeleteFunc([]string{q.Material.Name, q.Profile.Text()}, func(s string) bool { return s == "" }), ", ")
}

// nothing says why no plate could be laid.
func (q queued) nothing(left []plate.Left) error {
	why := "No piece waits for " + q.label() + "."
	if len(left) > 0 {
		why = left[0].ID + ": " + left[0].Reason + "."
	}
	return change.Refuse("Nothing could be laid on %s. %s", q.Machine.Name, why)
}

// lay makes a plate of pieces that still wait.
func lay(d change.Change, m studio.Machine, material studio.Material, placed []plate.Placed) (pl studio.Plate, err error) {
	pl = studio.Plate{MachineID: m.ID, MaterialID: material.ID, State: studio.PlateLaid, Created: d.Now}
	if err := d.AddPlate(&pl); err != nil {
		return pl, err
	}
	if pl, err = put(d, pl, placed); err != nil {
		return pl, err
	}
	return pl, d.Note("plate laid", change.About{Plate: pl.ID}, "plate %d for %s, %s, %s", pl.Number, m.Name, material.Name, studio.Say(len(pl.Pieces), "piece"))
}

// put lays pieces down where they were placed, if they still wait.
func put(d change.Change, pl studio.Plate, placed []plate.Placed) (studio.Plate, error) {
	for _, at := range placed {
		p, err := d.Piece(at.ID)
		if err != nil {
			return pl, err
		}
		if pl, p, err = pl.Lay(p, studio.OnPlatePiece{XMM: at.XMM, YMM: at.YMM, AngleDeg: at.AngleDeg}); err != nil {
			return pl, change.Refused(err)
		}
		if err := d.SavePiece(p); err != nil {
			return pl, err
		}
	}
	return pl, d.SavePlate(pl)
}

// fillPlate lays waiting pieces around what lies there; only those with the codes named, all that
// nobody lifted off it for none. What is due first is tried first.
func fillPlate(d change.Change, h studio.Shop, machine studio.Machine, pl studio.Plate, only []string) (left []plate.Left, err error) {
	q := queued{Shop: h, Machine: machine}
	q.Material, _ = h.Material(pl.MaterialID, machine.Process)
	there, err := d.Tx.PiecesOnPlate(pl.ID)
	if err != nil {
		return nil, err
	}
	if by := studio.Profiles(there); len(by) > 0 {
		q.Profile = by[0]
	}
	keptOff := pl.KeptOff
	if len(only) > 0 {
		keptOff = nil
	}
	if err := q.load(d.Tx, d.Now, keptOff); err != nil {
		return nil, err
	}
	if len(only) > 0 {
		q.Pieces = slices.DeleteFunc(q.Pieces, func(p studio.LaidPiece) bool { return !slices.Contains(only, p.Piece.Code) })
		if len(q.Pieces) == 0 {
			return []plate.Left{{ID: only[0], Reason: "it does not wait for a plate in " + q.label()}}, nil
		}
	}
	models, err := d.PieceModels(there...)
	if err != nil {
		return nil, err
	}
	all := make([]studio.LaidPiece, len(there), len(there)+len(q.Pieces))
	var laid []plate.Laid
	for i, p := range there {
		all[i] = studio.LaidPiece{Piece: p, Model: models[p.ID]}
		laid = append(laid, onBed(machine, p, models[p.ID], pl.Pieces[i]))
	}
	job := h.PlateJob(machine, q.Material, append(all, q.Pieces...), q.Due, d.Now)
	job.Die = die(machine, 1)
	for i := range laid {
		laid[i].Part = job.Parts[i]
	}
	job.Parts = job.Parts[len(laid):]
	placed, left := job.Fill(laid)
	_, err = put(d, pl, placed)
	return left, err
}
