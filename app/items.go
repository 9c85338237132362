package app

import (
	"context"
	"errors"
	"io"
	"math"
	"net/http"
	"path"
	"strings"

	"sakuji/core/process"
	"sakuji/core/route"
	"sakuji/store"
	"sakuji/studio"
)

// MaxUploadBytes bounds one uploaded file.
const MaxUploadBytes = 256 << 20

// Upload is a file on its way in.
type Upload struct {
	Name string
	Open func() (io.ReadCloser, error)
}

// AddPictures adds reference pictures. Only what a browser shows as a picture is
// taken.
func (a *App) AddPictures(ctx context.Context, hand Actor, number string, uploads []Upload) error {
	for _, u := range uploads {
		sha, n, kind, err := a.keepPicture(u)
		if err != nil {
			return err
		}
		err = a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error {
			if err := d.AddFile(sha, n, d.Now); err != nil {
				return err
			}
			if err := d.AddPicture(&studio.Picture{OrderID: o.ID, SHA: sha, Name: fileName(u.Name), Type: kind}); err != nil {
				return err
			}
			return d.Note("reference picture", About{Order: o.ID}, "%s", fileName(u.Name))
		})
		if err != nil {
			return err
		}
	}
	return nil
}

func (a *App) keepPicture(u Upload) (sha string, n int64, kind string, err error) {
	r, err := u.Open()
	if err != nil {
		return "", 0, "", err
	}
	defer r.Close()
	head := make([]byte, 512)
	k, _ := io.ReadFull(r, head)
	kind = http.DetectContentType(head[:k])
	if !studio.OneOf(kind, "image/png", "image/jpeg", "image/gif", "image/webp") {
		return "", 0, "", refuse("%s is not a picture (PNG, JPEG, GIF or WebP); it was not kept.", fileName(u.Name))
	}
	sha, n, err = a.Store.Keep(io.MultiReader(strings.NewReader(string(head[:k])), r), 32<<20)
	if errors.Is(err, store.ErrTooLarge) {
		err = refuse("%s: %s. It was not kept.", fileName(u.Name), err)
	}
	return sha, n, kind, err
}

// fileName is the last part of a client's file name, printable and not too long.
func fileName(name string) string {
	name = path.Base(strings.ReplaceAll(name, `\`, "/"))
	name = strings.Map(func(r rune) rune {
		if r < ' ' || r == 0x7f {
			return -1
		}
		return r
	}, name)
	if r := []rune(name); len(r) > 120 {
		name = string(r[len(r)-120:])
	}
	return name
}

func (d Change) newItem(h studio.Shop, o studio.Order, models []studio.Model) (it studio.Item, err error) {
	items, err := d.Items(o.ID)
	if err != nil {
		return it, err
	}
	it = studio.Item{OrderID: o.ID, Position: len(items), Title: title(models[0].Name), Tier: route.Painted, Copies: 1, Scale: 1}
	if len(models) > 1 {
		it.Title = o.Title
	}
	for _, m := range models {
		p := studio.Part{ModelID: m.ID, Name: title(m.Name), Copies: 1, Process: process.Resin, Model: m}
		if _, why, ok := h.MachineFor(m, 1, process.Resin); !ok || why != "" {
			if _, why, ok := h.MachineFor(m, 1, process.Filament); ok && why == "" {
				p.Process = process.Filament
			}
		}
		if p.Process == process.Resin {
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
	if err := d.SaveItem(&it); err != nil {
		return it, err
	}
	return it, d.Note("item added", About{Order: o.ID}, "%s, from %d file(s)", it.Title, len(models))
}

// title makes a name of a file's.
func title(file string) string {
	name := strings.TrimSuffix(file, path.Ext(file))
	for _, packed := range []string{".stl", ".obj", ".3mf"} {
		name = strings.TrimSuffix(name, packed)
	}
	return studio.UpperFirst(strings.TrimSpace(strings.NewReplacer("_", " ", "-", " ").Replace(name)))
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
}

// shownScale is how exactly a form shows the scale: what comes back within it was not
// touched, and a size set by a rule keeps its rule and its last digit.
const shownScale = 6e-4

// ChangeItem changes an item and its parts.
func (a *App) ChangeItem(ctx context.Context, hand Actor, number string, itemID int64, f ItemForm) error {
	return a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error {
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		h, err := shop(d.Tx)
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
				return refuse("Choose how far it is finished.")
			}
			for k := range it.Parts {
				p := &it.Parts[k]
				pf, ok := f.Parts[p.ID]
				if !ok {
					continue
				}
				if !studio.OneOf(pf.Process, process.Resin, process.Filament) {
					return refuse("A part is printed in resin or in filament.")
				}
				p.Process, p.WallMM, p.Copies, p.CutInto, p.MachineID = pf.Process, pf.WallMM, pf.Copies, pf.CutInto, 0
				if m, ok := h.Machine(pf.MachineID); ok && m.Process == p.Process {
					p.MachineID = m.ID
				}
				if p.Process == process.Filament {
					p.WallMM = 0
				}
				mat, _ := h.Material(pf.MaterialID, p.Process)
				p.MaterialID = mat.ID
			}
			if err := it.Check(); err != nil {
				return refused(err)
			}
			total := it.Pieces()
			for _, other := range items {
				if other.ID != it.ID {
					total += other.Pieces()
				}
			}
			if total > studio.MaxAllParts {
				return refuse("That comes to %d pieces; an order holds %d at most.", total, studio.MaxAllParts)
			}
			if err := d.saveParts(&it); err != nil {
				return err
			}
			return d.Note("item changed", About{Order: o.ID}, "%s: %d × %s at %v", it.Title, it.Copies, route.TierName(it.Tier), it.Scale)
		}
		return store.ErrNotFound
	})
}

// RemoveItem takes an item off an order. Its pieces, if there are any, are called
// off when the client accepts the next quote.
func (a *App) RemoveItem(ctx context.Context, hand Actor, number string, itemID int64) error {
	return a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error {
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		for _, it := range items {
			if it.ID == itemID {
				if err := d.Tx.RemoveItem(itemID); err != nil {
					return err
				}
				return d.Note("item removed", About{Order: o.ID}, "%s", it.Title)
			}
		}
		return store.ErrNotFound
	})
}
