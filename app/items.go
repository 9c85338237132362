package app

import (
	"context"
	"errors"
	"io"
	"net/http"
	"path"
	"strings"

	"sakuji/core/mesh"
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
func (a *App) AddPictures(ctx context.Context, hand Hand, number string, uploads []Upload) error {
	for _, u := range uploads {
		sha, n, kind, err := a.keepPicture(u)
		if err != nil {
			return err
		}
		err = a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
			if err := d.AddFile(sha, n, d.now); err != nil {
				return err
			}
			if err := d.AddPicture(&studio.Picture{OrderID: o.ID, SHA: sha, Name: fileName(u.Name), Type: kind}); err != nil {
				return err
			}
			return d.log("reference picture", about{order: o.ID}, "%s", fileName(u.Name))
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

// AddItem reads model files and makes one item of them, a part for each file, or
// an item for each file. A file that cannot be read is told by name and is not
// kept; the others are.
func (a *App) AddItem(ctx context.Context, hand Hand, number string, uploads []Upload, eachItsOwn bool) (added []studio.Item, problems []string, err error) {
	var models []studio.Model
	for _, u := range uploads {
		m, err := a.readModel(ctx, u)
		var r *Refusal
		switch {
		case errors.As(err, &r):
			problems = append(problems, r.Text)
		case err != nil:
			return nil, problems, err
		default:
			models = append(models, m)
		}
	}
	if len(models) == 0 {
		return nil, problems, nil
	}
	groups := [][]studio.Model{models}
	if eachItsOwn {
		groups = nil
		for _, m := range models {
			groups = append(groups, []studio.Model{m})
		}
	}
	err = a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
		h, err := house(d.Tx)
		if err != nil {
			return err
		}
		for _, g := range groups {
			it, err := d.newItem(h, *o, g)
			if err != nil {
				return err
			}
			added = append(added, it)
		}
		return nil
	})
	return added, problems, err
}

func (d deed) newItem(h studio.House, o studio.Order, models []studio.Model) (it studio.Item, err error) {
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
		if p.Process == process.Resin && thick(m) {
			p.WallMM = 2
		}
		if mat, ok := h.Material(0, p.Process); ok {
			p.MaterialID = mat.ID
		}
		it.Parts = append(it.Parts, p)
	}
	if err := d.SaveItem(&it); err != nil {
		return it, err
	}
	return it, d.log("item added", about{order: o.ID}, "%s, from %d file(s)", it.Title, len(models))
}

// thick reports whether resin would be hollowed: thicker than about 15–20 mm in
// the middle of every direction. Source: common practice.
func thick(m studio.Model) bool {
	d := m.Measures
	return min(d.SizeMM[0], d.SizeMM[1], d.SizeMM[2]) > 18 && d.AreaMM2 > 0 && 3*d.VolumeMM3/d.AreaMM2 > 6 && d.Cavities == 0
}

// title makes a name of a file's.
func title(file string) string {
	name := strings.TrimSuffix(file, path.Ext(file))
	return upper(strings.TrimSpace(strings.NewReplacer("_", " ", "-", " ").Replace(name)))
}

// readModel keeps a model file and measures it. A file already known is not
// measured again.
func (a *App) readModel(ctx context.Context, u Upload) (m studio.Model, err error) {
	name := fileName(u.Name)
	r, err := u.Open()
	if err != nil {
		return m, err
	}
	defer r.Close()
	sha, n, err := a.Store.Keep(r, MaxUploadBytes)
	if errors.Is(err, store.ErrTooLarge) {
		return m, refuse("%s: %s. Nothing of it was kept.", name, err)
	}
	if err != nil {
		return m, err
	}
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		m, err = tx.ModelBySHA(sha)
		return err
	})
	if err == nil || !NotFound(err) {
		return m, err
	}
	f, err := a.Store.File(sha)
	if err != nil {
		return m, err
	}
	defer f.Close()
	data, err := io.ReadAll(f)
	if err != nil {
		return m, err
	}
	soup, err := mesh.Read(data, mesh.Limits{})
	if err != nil {
		if err := a.Store.Forget(ctx, sha); err != nil {
			return m, err
		}
		return m, refuse("%s could not be read as a model (STL, OBJ or 3MF): %s. It was not kept.", name, err)
	}
	m = studio.Model{SHA: sha, Name: name}
	m.Measures, m.Shape = studio.MeasureModel(soup)
	err = a.Store.Write(ctx, func(tx *store.Tx) error {
		m.At = a.Clock.Now()
		if err := tx.AddFile(sha, n, m.At); err != nil {
			return err
		}
		if known, err := tx.ModelBySHA(sha); err == nil {
			m = known // somebody sent the same file at the same time
			return nil
		}
		return tx.AddModel(&m)
	})
	return m, err
}

// ItemForm is what can be chosen of an item.
type ItemForm struct {
	Title  string
	Tier   string
	Copies int
	Scale  float64
	Parts  map[int64]PartForm
}

// PartForm is what can be chosen of a part.
type PartForm struct {
	Process    string
	MaterialID int64
	WallMM     float64
	Copies     int
}

// ChangeItem changes an item and its parts.
func (a *App) ChangeItem(ctx context.Context, hand Hand, number string, itemID int64, f ItemForm) error {
	return a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		h, err := house(d.Tx)
		if err != nil {
			return err
		}
		for _, it := range items {
			if it.ID != itemID {
				continue
			}
			it.Title, it.Tier, it.Copies, it.Scale = strings.TrimSpace(f.Title), f.Tier, f.Copies, f.Scale
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
				p.Process, p.WallMM, p.Copies = pf.Process, pf.WallMM, pf.Copies
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
			if err := d.SaveItem(&it); err != nil {
				return err
			}
			return d.log("item changed", about{order: o.ID}, "%s: %d × %s at %v", it.Title, it.Copies, route.TierName(it.Tier), it.Scale)
		}
		return store.ErrNotFound
	})
}

// RemoveItem takes an item off an order. Its pieces, if there are any, are called
// off when the client accepts the next quote.
func (a *App) RemoveItem(ctx context.Context, hand Hand, number string, itemID int64) error {
	return a.onOrder(ctx, hand, number, func(d deed, o *studio.Order) error {
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		for _, it := range items {
			if it.ID == itemID {
				if err := d.Tx.RemoveItem(itemID); err != nil {
					return err
				}
				return d.log("item removed", about{order: o.ID}, "%s", it.Title)
			}
		}
		return store.ErrNotFound
	})
}
