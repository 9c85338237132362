package orders

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"

	"sakuji/app/change"
	"sakuji/app/models"
	"sakuji/app/pictures"
	"sakuji/app/setup"
	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// AddPictures adds reference pictures, or PDFs;
// one that is refused is told by name and leaves the others. The same picture twice is one.
func (a *Room) AddPictures(ctx context.Context, who change.Actor, number string, uploads []models.Upload) (added int, problems []string, err error) {
	for _, u := range uploads {
		sha, kind, err := a.keepPicture(ctx, u)
		var refusal *change.Refusal
		if errors.As(err, &refusal) {
			problems = append(problems, refusal.Text)
			continue
		}
		if err != nil {
			return added, problems, err
		}
		name := models.FileName(u.Name)
		err = a.OnOrder(ctx, who, number, func(c change.Change, o *studio.Order) error {
			there, err := c.Pictures(o.ID)
			if err != nil {
				return err
			}
			if at := slices.IndexFunc(there, func(p studio.Picture) bool { return p.SHA == sha }); at >= 0 {
				problems = append(problems, fmt.Sprintf("%s is here already, as %s.", name, there[at].Name))
				return nil
			}
			if _, err := a.NoteFile(c, sha); err != nil {
				return err
			}
			if err := c.AddPicture(&studio.Picture{OrderID: o.ID, SHA: sha, Name: name, Type: kind}); err != nil {
				return err
			}
			added++
			return c.Note("reference picture", change.About{Order: o.ID}, "%s", name)
		})
		if err != nil {
			return added, problems, err
		}
	}
	return added, problems, nil
}

// keepPicture keeps a picture as one of our own making, or a PDF as it came, which browsers save and do not open.
func (a *Room) keepPicture(ctx context.Context, u models.Upload) (sha, kind string, err error) {
	r, err := u.Open()
	if err != nil {
		return "", "", err
	}
	defer r.Close()
	name, head := models.FileName(u.Name), make([]byte, 64)
	n, _ := io.ReadFull(r, head)
	whole := io.MultiReader(bytes.NewReader(head[:n]), r)
	if !bytes.HasPrefix(head[:n], []byte("%PDF-")) {
		sha, err = a.pictures.Keep(ctx, name, whole, pictures.AsSent)
		return sha, "image/jpeg", err
	}
	if sha, _, err = a.Store.Keep(whole, mostPDFBytes); errors.Is(err, store.ErrTooLarge) {
		err = change.Refuse("%s: %s. It was not kept.", name, err)
	}
	return sha, "application/pdf", err
}

// mostPDFBytes is how large a PDF among the references is at most. Source: from memory.
const mostPDFBytes = 32 << 20

// newItem makes an item of models: painted, in resin where one fits a resin machine.
func newItem(d change.Change, h studio.Shop, o studio.Order, list []studio.Model) (it studio.Item, err error) {
	items, err := d.Items(o.ID)
	if err != nil {
		return it, err
	}
	it = studio.Item{OrderID: o.ID, Position: len(items), Title: models.Title(list[0].Name), Tier: route.Painted, Copies: 1, Scale: 1}
	if len(list) > 1 {
		it.Title = o.Title
	}
	for _, m := range list {
		p := studio.Part{ModelID: m.ID, Name: models.Title(m.Name), Copies: 1, Process: h.ProcessFor(m), Model: m}
		if process.Of(p.Process).Hollow {
			p.WallMM = m.UsualWallMM()
		}
		if mat, ok := h.Material(0, p.Process); ok {
			p.MaterialID = mat.ID
		}
		if p.OrientationID, err = d.ChosenOrientation(m.ID, p.Process); err != nil {
			return it, err
		}
		it.Parts = append(it.Parts, p)
	}
	if err := save(d, &it); err != nil {
		return it, err
	}
	return it, d.Note("item added", change.About{Order: o.ID}, "%s, from %s", it.Title, studio.Say(len(list), "file"))
}

// ItemForm is what can be chosen of an item.
type ItemForm struct {
	Title  string
	Tier   string
	Copies int
	Scale  float64
	Parts  map[int64]PartForm
	Making *studio.ItemOptions // nil: as it was; its extras are not looked at
}

// PartForm is what can be chosen of a part.
type PartForm struct {
	Process    string
	MaterialID int64
	WallMM     float64
	Copies     int
	CutInto    int
	MachineID  int64
	Inside     string
	Hidden     bool
	Joins      string
	Profile    *studio.PrintProfile // nil: as it was

	FinishRoute string
}

// shownScale is how exactly a form shows the scale: what comes back within it was not
// touched, and a size set by a rule keeps its rule and its last digit.
const shownScale = 6e-4

// ChangeItem changes an item and its parts.
func (a *Room) ChangeItem(ctx context.Context, who change.Actor, number string, itemID int64, f ItemForm) error {
	return a.OnOrder(ctx, who, number, func(d change.Change, o *studio.Order) error {
		items, err := d.BareItems(o.ID)
		if err != nil {
			return err
		}
		h, err := setup.Load(d.Tx)
		if err != nil {
			return err
		}
		for _, it := range items {
			if it.ID != itemID {
				continue
			}
			it.Title, it.Tier, it.Copies = strings.TrimSpace(f.Title), f.Tier, f.Copies
			if math.Abs(f.Scale/it.Scale-1) > shownScale {
				it.Scale, it.Rule = f.Scale, studio.SizeRule{}
			}
			if f.Making != nil {
				extras := it.Extras
				it.ItemOptions = *f.Making
				it.Extras = extras
			}
			if route.TierName(it.Tier) == "" {
				return change.Refuse("Choose how far it is finished.")
			}
			for k := range it.Parts {
				p := &it.Parts[k]
				pf, ok := f.Parts[p.ID]
				if !ok {
					continue
				}
				if !process.Known(pf.Process) {
					return change.Refuse("A part is printed in %s.", process.OrOf())
				}
				if pf.Profile != nil {
					p.Profile = *pf.Profile
				}
				if p.Process != pf.Process { // its figures are of the other one
					p.Profile = studio.PrintProfile{}
				}
				p.Process, p.WallMM, p.Copies, p.CutInto, p.MachineID = pf.Process, pf.WallMM, pf.Copies, pf.CutInto, 0
				p.Inside, p.Hidden, p.Joins, p.FinishRoute = pf.Inside, pf.Hidden, pf.Joins, pf.FinishRoute
				if m, ok := h.Machine(pf.MachineID); ok && m.Process == p.Process {
					p.MachineID = m.ID
				}
				if !process.Of(p.Process).Hollow {
					p.WallMM = 0
				}
				mat, _ := h.Material(pf.MaterialID, p.Process)
				p.MaterialID = mat.ID
			}
			if err := SaveParts(d, *o, &it); err != nil {
				return err
			}
			return d.Note("item changed", change.About{Order: o.ID}, "%s: %d × %s at %v", it.Title, it.Copies, route.TierName(it.Tier), it.Scale)
		}
		return store.ErrNotFound
	})
}

// RemoveItem takes an item off an order. Its pieces, if there are any, are called
// off when the client accepts the next quote.
func (a *Room) RemoveItem(ctx context.Context, who change.Actor, number string, itemID int64) error {
	return a.OnOrder(ctx, who, number, func(d change.Change, o *studio.Order) error {
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		for _, it := range items {
			if it.ID == itemID {
				if err := d.Tx.RemoveItem(itemID); err != nil {
					return err
				}
				return d.Note("item removed", change.About{Order: o.ID}, "%s", it.Title)
			}
		}
		return store.ErrNotFound
	})
}
