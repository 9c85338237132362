package app

import (
	"context"
	"slices"
	"time"

	"sakuji/core/plate"
	"sakuji/store"
	"sakuji/studio"
)

// PlatesSheet is what stands and waits at the machines.
type PlatesSheet struct {
	Shop    studio.Shop
	Open    []studio.Plate // laid, running or finished
	Emptied []studio.Plate
	Waiting []WaitingGroup
	Now     time.Time
}

// WaitingGroup is pieces that could share a plate: of one process and material.
type WaitingGroup struct {
	Process  string
	Material studio.Material
	Pieces   []studio.Piece
	Machines []studio.Machine
}

// On returns the machine's open plates in a state.
func (s PlatesSheet) On(machineID int64, states ...string) (out []studio.Plate) {
	for _, p := range s.Open {
		if p.MachineID == machineID && slices.Contains(states, p.State) {
			out = append(out, p)
		}
	}
	return out
}

// Plates returns the sheet of plates.
func (a *App) Plates(ctx context.Context) (s PlatesSheet, err error) {
	s.Now = a.Clock.Now()
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		if s.Shop, err = shop(tx); err != nil {
			return err
		}
		if s.Open, err = tx.Plates(studio.PlateLaid, studio.PlateRunning, studio.PlateFinished); err != nil {
			return err
		}
		if s.Emptied, err = tx.EmptiedPlates(12); err != nil {
			return err
		}
		s.Waiting, err = waiting(tx, s.Shop)
		return err
	})
	return s, err
}

func waiting(tx *store.Tx, h studio.Shop) (groups []WaitingGroup, err error) {
	pieces, err := tx.PiecesIn(studio.Waiting)
	for _, p := range pieces {
		at := slices.IndexFunc(groups, func(g WaitingGroup) bool { return g.Process == p.Process && g.Material.ID == p.MaterialID })
		if at < 0 {
			m, _ := h.Material(p.MaterialID, p.Process)
			g := WaitingGroup{Process: p.Process, Material: m}
			for _, machine := range h.Machines {
				if machine.Process == p.Process && machine.Active {
					g.Machines = append(g.Machines, machine)
				}
			}
			groups = append(groups, g)
			at = len(groups) - 1
		}
		groups[at].Pieces = append(groups[at].Pieces, p)
	}
	return groups, err
}

// LaidPiece is a piece on a plate as the drawing and the lists need it.
type LaidPiece struct {
	studio.OnPlatePiece
	Piece studio.Piece
	Model studio.Model
	Grams float64
}

// Candidate is a waiting piece and what it would add to a plate.
type Candidate struct {
	Piece      studio.Piece
	Others     int // more copies that would lie the same
	Fits       bool
	Why        string
	AddMinutes float64
	AddGrams   float64
}

// PlateSheet is one plate, drawn and worked out.
type PlateSheet struct {
	Shop       studio.Shop
	Plate      studio.Plate
	Machine    studio.Machine
	Material   studio.Material
	Pieces     []LaidPiece
	Estimate   studio.PlateEstimate
	Candidates []Candidate
	Busy       *studio.Plate // another plate runs on the machine
	MayTake    error         // why it cannot be taken back; nil: it can
	Log        []studio.Entry
	Now        time.Time
}

// PlateSheet returns a plate's sheet.
func (a *App) PlateSheet(ctx context.Context, number int) (s PlateSheet, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		s, err = a.plateSheet(tx, number, true)
		return err
	})
	return s, err
}

func (a *App) plateSheet(tx *store.Tx, number int, candidates bool) (s PlateSheet, err error) {
	s.Now = a.Clock.Now()
	if s.Shop, err = shop(tx); err != nil {
		return s, err
	}
	if s.Plate, err = tx.Plate(number); err != nil {
		return s, err
	}
	s.Machine, _ = s.Shop.Machine(s.Plate.MachineID)
	s.Material, _ = s.Shop.Material(s.Plate.MaterialID, s.Machine.Process)
	pieces, err := tx.PiecesOnPlate(s.Plate.ID)
	if err != nil {
		return s, err
	}
	models, err := tx.PieceModels(pieces...)
	if err != nil {
		return s, err
	}
	var laid []studio.LaidPiece
	for i, p := range pieces {
		s.Pieces = append(s.Pieces, LaidPiece{OnPlatePiece: s.Plate.Pieces[i], Piece: p, Model: models[p.ID]})
		laid = append(laid, studio.LaidPiece{Piece: p, Model: models[p.ID]})
	}
	s.Estimate = s.Shop.EstimatePlate(s.Machine, s.Material, laid)
	for i := range s.Pieces {
		s.Pieces[i].Grams = s.Estimate.PieceGrams[s.Pieces[i].Piece.ID]
	}
	open, err := tx.Plates(studio.PlateRunning, studio.PlateFinished)
	if err != nil {
		return s, err
	}
	for i, p := range open {
		if p.MachineID == s.Machine.ID && p.ID != s.Plate.ID {
			s.Busy = &open[i]
		}
	}
	s.MayTake = mayTakePlate(s)
	if candidates && s.Plate.State == studio.PlateLaid {
		s.Candidates, err = s.candidates(tx, laid)
	}
	return s, err
}

// maxCandidates bounds the list of what would still fit.
const maxCandidates = 8

// candidates tries each kind of waiting piece on what is left of the bed.
func (s PlateSheet) candidates(tx *store.Tx, laid []studio.LaidPiece) (out []Candidate, err error) {
	groups, err := waiting(tx, s.Shop)
	if err != nil {
		return nil, err
	}
	for _, g := range groups {
		if g.Process != s.Machine.Process || g.Material.ID != s.Material.ID {
			continue
		}
		models, err := tx.PieceModels(g.Pieces...)
		if err != nil {
			return nil, err
		}
		for _, p := range g.Pieces {
			same := slices.IndexFunc(out, func(c Candidate) bool { return c.Piece.PartID == p.PartID && c.Piece.Scale == p.Scale })
			if same >= 0 {
				out[same].Others++
				continue
			}
			if len(out) == maxCandidates {
				continue
			}
			m := models[p.ID]
			c := Candidate{Piece: p}
			placed, left := plate.Fill(s.Machine.Bed(), s.Shop.Book.V("spacing"), s.laid(), []plate.Part{s.Machine.OnBed(p.Code, m, p.Scale)})
			if c.Fits = len(placed) == 1; !c.Fits {
				c.Why = left[0].Reason
			} else {
				with := s.Shop.EstimatePlate(s.Machine, s.Material, append(slices.Clone(laid), studio.LaidPiece{Piece: p, Model: m}))
				c.AddMinutes, c.AddGrams = with.Minutes-s.Estimate.Minutes, with.Grams-s.Estimate.Grams
			}
			out = append(out, c)
		}
	}
	return out, nil
}

func (s PlateSheet) laid() (out []plate.Laid) {
	for _, p := range s.Pieces {
		out = append(out, plate.Laid{Part: s.Machine.OnBed(p.Piece.Code, p.Model, p.Piece.Scale),
			Placed: plate.Placed{ID: p.Piece.Code, XMM: p.XMM, YMM: p.YMM, Quarters: p.Quarters}})
	}
	return out
}

// LayPlate makes a plate for a machine and lays as many of the waiting pieces of a
// material on it as fit: those of the orders wanted soonest are tried first.
func (a *App) LayPlate(ctx context.Context, hand Actor, machineID, materialID int64) (number int, left []plate.Left, err error) {
	err = a.do(ctx, hand, func(d Change) error {
		h, err := shop(d.Tx)
		if err != nil {
			return err
		}
		machine, ok := h.Machine(machineID)
		if !ok || !machine.Active {
			return refuse("Choose a machine.")
		}
		material, ok := h.Material(materialID, machine.Process)
		if !ok || material.ID != materialID {
			return refuse("Choose a %s material for %s.", machine.Process, machine.Name)
		}
		pl := studio.Plate{MachineID: machine.ID, MaterialID: material.ID, State: studio.PlateLaid, Created: d.Now}
		if err := d.AddPlate(&pl); err != nil {
			return err
		}
		number = pl.Number
		if left, err = d.fillPlate(h, machine, pl, nil); err != nil {
			return err
		}
		if pl, err = d.Plate(number); err != nil {
			return err
		}
		if len(pl.Pieces) == 0 {
			why := "No piece waits for " + material.Name + "."
			if len(left) > 0 {
				why = left[0].ID + ": " + left[0].Reason + "."
			}
			return refuse("Nothing could be laid on %s. %s", machine.Name, why)
		}
		return d.Note("plate laid", About{Plate: pl.ID}, "plate %d for %s, %s, %s", pl.Number, machine.Name, material.Name, studio.Say(len(pl.Pieces), "piece"))
	})
	return number, left, err
}

// fillPlate lays waiting pieces around what lies there; only those with the codes
// named, all for none.
func (d Change) fillPlate(h studio.Shop, machine studio.Machine, pl studio.Plate, only []string) (left []plate.Left, err error) {
	groups, err := waiting(d.Tx, h)
	if err != nil {
		return nil, err
	}
	var parts []plate.Part
	pieces := map[string]studio.Piece{}
	for _, g := range groups {
		if g.Process != machine.Process || g.Material.ID != pl.MaterialID {
			continue
		}
		models, err := d.PieceModels(g.Pieces...)
		if err != nil {
			return nil, err
		}
		for _, p := range g.Pieces {
			if len(only) == 0 || slices.Contains(only, p.Code) {
				parts = append(parts, machine.OnBed(p.Code, models[p.ID], p.Scale))
				pieces[p.Code] = p
			}
		}
	}
	there, err := d.Tx.PiecesOnPlate(pl.ID)
	if err != nil {
		return nil, err
	}
	models, err := d.PieceModels(there...)
	if err != nil {
		return nil, err
	}
	var laid []plate.Laid
	for i, p := range there {
		o := pl.Pieces[i]
		laid = append(laid, plate.Laid{Part: machine.OnBed(p.Code, models[p.ID], p.Scale), Placed: plate.Placed{ID: p.Code, XMM: o.XMM, YMM: o.YMM, Quarters: o.Quarters}})
	}
	placed, left := plate.Fill(machine.Bed(), h.Book.V("spacing"), laid, parts)
	for _, pd := range placed {
		p := pieces[pd.ID]
		pl.Pieces = append(pl.Pieces, studio.OnPlatePiece{PlateID: pl.ID, PieceID: p.ID, XMM: pd.XMM, YMM: pd.YMM, Quarters: pd.Quarters})
		p.State = studio.OnPlate
		if err := d.SavePiece(p); err != nil {
			return nil, err
		}
	}
	return left, d.SavePlate(pl)
}

// onLaidPlate runs a change on a plate that has not started.
func (a *App) onLaidPlate(ctx context.Context, hand Actor, number int, f func(Change, studio.Shop, studio.Machine, studio.Plate) error) error {
	return a.do(ctx, hand, func(d Change) error {
		pl, err := d.Plate(number)
		if err != nil {
			return err
		}
		if pl.State != studio.PlateLaid {
			return refuse("Plate %d is %s: what lies on it stays as it is.", number, pl.State)
		}
		h, err := shop(d.Tx)
		if err != nil {
			return err
		}
		machine, _ := h.Machine(pl.MachineID)
		return f(d, h, machine, pl)
	})
}

// AddToPlate lays one more waiting piece on a plate.
func (a *App) AddToPlate(ctx context.Context, hand Actor, number int, code string) error {
	return a.onLaidPlate(ctx, hand, number, func(d Change, h studio.Shop, machine studio.Machine, pl studio.Plate) error {
		left, err := d.fillPlate(h, machine, pl, []string{code})
		if err != nil {
			return err
		}
		if len(left) > 0 {
			return refuse("%s does not go on plate %d: %s.", code, number, left[0].Reason)
		}
		return d.Note("laid on a plate", About{Plate: pl.ID}, "%s on plate %d", code, number)
	})
}

// LiftOff takes a piece off a plate; it waits again.
func (a *App) LiftOff(ctx context.Context, hand Actor, number int, code string) error {
	return a.onLaidPlate(ctx, hand, number, func(d Change, _ studio.Shop, _ studio.Machine, pl studio.Plate) error {
		p, err := d.Piece(code)
		if err != nil {
			return err
		}
		if !slices.ContainsFunc(pl.Pieces, func(o studio.OnPlatePiece) bool { return o.PieceID == p.ID }) {
			return refuse("%s does not lie on plate %d.", code, number)
		}
		pl.Pieces = without(pl.Pieces, p.ID)
		if err := d.SavePlate(pl); err != nil {
			return err
		}
		p.State = studio.Waiting
		if err := d.SavePiece(p); err != nil {
			return err
		}
		return d.Note("lifted off a plate", About{Order: p.OrderID, Piece: p.ID, Plate: pl.ID}, "%s off plate %d", code, number)
	})
}

// FillAgain takes everything off and lays the plate anew with all that waits.
func (a *App) FillAgain(ctx context.Context, hand Actor, number int) (left []plate.Left, err error) {
	err = a.onLaidPlate(ctx, hand, number, func(d Change, h studio.Shop, machine studio.Machine, pl studio.Plate) error {
		if pl, err = d.clear(pl); err != nil {
			return err
		}
		if left, err = d.fillPlate(h, machine, pl, nil); err != nil {
			return err
		}
		return d.Note("plate laid again", About{Plate: pl.ID}, "plate %d", number)
	})
	return left, err
}

// clear lets everything on a plate wait again.
func (d Change) clear(pl studio.Plate) (studio.Plate, error) {
	for _, o := range pl.Pieces {
		p, err := d.PieceByID(o.PieceID)
		if err != nil {
			return pl, err
		}
		p.State = studio.Waiting
		if err := d.SavePiece(p); err != nil {
			return pl, err
		}
	}
	pl.Pieces = nil
	return pl, d.SavePlate(pl)
}

// DissolvePlate gives a plate up before it starts.
func (a *App) DissolvePlate(ctx context.Context, hand Actor, number int) error {
	return a.onLaidPlate(ctx, hand, number, func(d Change, _ studio.Shop, _ studio.Machine, pl studio.Plate) error {
		pl, err := d.clear(pl)
		if err != nil {
			return err
		}
		pl.State = studio.PlateDissolved
		if err := d.SavePlate(pl); err != nil {
			return err
		}
		return d.Note("plate dissolved", About{Plate: pl.ID}, "plate %d: its pieces wait again", number)
	})
}
