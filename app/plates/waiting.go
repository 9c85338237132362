package plates

import (
	"slices"

	"sakuji/core/plate"
	"sakuji/store"
	"sakuji/studio"
)

// WaitingGroup is pieces that could share a plate: of one process and material, in the same layers
// from the same nozzle.
type WaitingGroup struct {
	Process  string
	Material studio.Material
	Profile  studio.PrintProfile // as far as a plate must be of one
	Pieces   []studio.Piece
	Machines []studio.Machine
}

// Waiting returns the pieces that may share plates, and those that must not be laid yet.
func Waiting(tx *store.Tx, h studio.Shop) (groups []WaitingGroup, held []studio.HeldPiece, err error) {
	all, err := tx.PiecesIn(studio.InWork()...) // as the plan reads them, too
	pieces := slices.DeleteFunc(slices.Clone(all), func(p studio.Piece) bool { return p.State != studio.Waiting })
	if err == nil {
		pieces, held, err = heldBack(tx, pieces)
	}
	for _, p := range pieces {
		at := slices.IndexFunc(groups, func(g WaitingGroup) bool {
			return g.Process == p.Process && g.Material.ID == p.MaterialID && g.Profile == p.Profile.Shared()
		})
		if at < 0 {
			m, _ := h.Material(p.MaterialID, p.Process)
			g := WaitingGroup{Process: p.Process, Material: m, Profile: p.Profile.Shared()}
			for _, machine := range h.Machines {
				if machine.Process == p.Process && machine.Active && machine.Prints(m.ID) {
					g.Machines = append(g.Machines, machine)
				}
			}
			groups = append(groups, g)
			at = len(groups) - 1
		}
		groups[at].Pieces = append(groups[at].Pieces, p)
	}
	return groups, held, err
}

// heldBack takes out of pieces that wait those that must not be laid yet.
func heldBack(tx *store.Tx, pieces []studio.Piece) (free []studio.Piece, held []studio.HeldPiece, err error) {
	parts, err := tx.PartsOfWaiting(studio.Waiting)
	if err != nil {
		return nil, nil, err
	}
	byID := make(map[int64]studio.Part, len(parts))
	for _, p := range parts {
		byID[p.ID] = p
	}
	sculpts, err := tx.PiecesOfKind(studio.KindSculpt, studio.InWork()...)
	if err != nil {
		return nil, nil, err
	}
	of := map[int64][]studio.Piece{}
	for _, s := range sculpts {
		of[s.ItemID] = append(of[s.ItemID], s)
	}
	models, err := tx.PieceModels(pieces...)
	if err != nil {
		return nil, nil, err
	}
	files, err := heldFiles(tx, models)
	for _, p := range pieces {
		h, is := files[p.ModelID]
		if h.Piece = p; !is {
			h.Why = p.HeldBack(byID[p.PartID], models[p.ID], of[p.ItemID])
		}
		if h.Why != "" {
			held = append(held, h)
			if is { // it is asked for once
				h.MachineID = 0
				files[p.ModelID] = h
			}
			continue
		}
		free = append(free, p)
	}
	return free, held, err
}

// heldFiles are the models of pieces that wait whose prints failed one after another by their file.
func heldFiles(tx *store.Tx, models map[int64]studio.Model) (map[int64]studio.HeldPiece, error) {
	runs, err := tx.ModelRuns(studio.PlateEmptied, studio.Waiting)
	if err != nil {
		return nil, err
	}
	putRight, err := tx.ModelsPutRight()
	if err != nil {
		return nil, err
	}
	of := map[int64][]studio.ModelRun{}
	for _, r := range runs {
		of[r.ModelID] = append(of[r.ModelID], r)
	}
	out := map[int64]studio.HeldPiece{}
	for _, m := range models {
		if why, cause, machine := studio.FileHeld(m.Name, of[m.ID], putRight[m.ID]); why != "" {
			out[m.ID] = studio.HeldPiece{Why: why, Cause: cause, MachineID: machine}
		}
	}
	return out, nil
}

// Candidate is a waiting piece and what it would add to a plate.
type Candidate struct {
	Piece      studio.Piece
	Others     int // more copies that would lie the same
	Fits       bool
	Why        string
	AddMinutes float64
	AddGrams   float64
	Part       plate.Part // as it would lie
}

// maxCandidates bounds the list of what would still fit.
const maxCandidates = 8

// candidates tries each kind of waiting piece on what is left of the bed.
func (s PlateSheet) candidates(tx *store.Tx) (out []Candidate, err error) {
	groups, _, err := Waiting(tx, s.Shop)
	if err != nil {
		return nil, err
	}
	gap, waiting := s.gap(), shareable(groups, s.Machine, s.Material, studio.SharedBy(s.on()))
	models, err := tx.PieceModels(waiting...)
	if err != nil {
		return nil, err
	}
	for _, p := range waiting {
		same := slices.IndexFunc(out, func(c Candidate) bool { return c.Piece.PartID == p.PartID && c.Piece.Scale == p.Scale })
		switch {
		case same >= 0:
			out[same].Others++
		case len(out) < maxCandidates:
			out = append(out, s.candidate(gap, studio.LaidPiece{Piece: p, Model: models[p.ID]}))
		}
	}
	return out, nil
}

// candidate tries one waiting piece on what is left of the bed.
func (s PlateSheet) candidate(gap plate.Gap, lp studio.LaidPiece) Candidate {
	c := Candidate{Piece: lp.Piece, Part: s.Machine.OnBed(lp.Piece.Code, lp.Piece.Copy(lp.Model))}
	_, c.Why = gap.Try(c.Part)
	if c.Fits = c.Why == ""; !c.Fits {
		return c
	}
	with := s.Shop.EstimatePlate(s.Machine, s.Material, append(s.on(), lp))
	c.AddMinutes, c.AddGrams = with.Minutes-s.Estimate.Minutes, with.Grams-s.Estimate.Grams
	return c
}
