package pieces

import (
	"sakuji/studio"
)

// extras makes what an item takes beside its prints. What is not asked for any more is called
// off.
func (m *maker) extras(it studio.Item) error {
	own := map[int64]studio.Piece{}
	for _, p := range m.pieces {
		if p.ItemID == it.ID && p.Live() && studio.OneOf(p.Kind, studio.ExtraKinds()...) {
			own[p.ID] = p
		}
	}
	for _, x := range m.h.ExtraPieces(it) {
		var list []studio.Piece
		for _, p := range m.pieces {
			if _, free := own[p.ID]; free && x.Is(p) {
				list = append(list, p)
				delete(own, p.ID)
			}
		}
		list, err := m.atMost(list, x.Count)
		if err != nil {
			return err
		}
		for _, p := range list {
			if p, e, changed := p.RefitExtra(m.c.Act(), x, it); changed {
				if err := save(m.c, p, e); err != nil {
					return err
				}
			}
		}
		for k := len(list); k < x.Count; k++ {
			code, err := m.besideCode(it, x, k)
			if err != nil {
				return err
			}
			p := x.NewExtra(code, m.o, it)
			if err := m.c.AddPiece(&p); err != nil {
				return err
			}
			m.codes = append(m.codes, p.Code)
		}
	}
	for _, p := range m.pieces {
		if _, left := own[p.ID]; left {
			if err := m.callOff(p, "the order does without it now"); err != nil {
				return err
			}
		}
	}
	return nil
}

// besideCode is the label of the k-th piece of an extra: with a letter of the copy that it goes
// with, where there is one for each.
func (m *maker) besideCode(it studio.Item, x studio.ExtraPiece, k int) (string, error) {
	now, err := m.c.PiecesOf(m.o.ID)
	if err != nil {
		return "", err
	}
	var copies []string
	for _, p := range now {
		if p.ItemID == it.ID && p.Live() && p.ClientGets() && p.PartID != 0 {
			copies = append(copies, p.Code)
		}
	}
	if x.Count == it.Copies && len(copies) == it.Copies {
		return studio.ChildCode(copies[k], m.codes), nil
	}
	return m.nextCode(), nil
}
