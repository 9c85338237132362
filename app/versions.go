package app

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"path"
	"strings"

	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/store"
	"sakuji/studio"
)

// remake is the job that makes other versions of a model.
func (a *App) remake(ctx context.Context, j studio.Job, told func(float64, string) error) error {
	if err := told(0.05, "reading"); err != nil {
		return err
	}
	soup, err := a.soupOf(j.SHA)
	if err != nil {
		return err
	}
	if err := told(0.2, j.Doing()); err != nil {
		return err
	}
	versions, err := versionsOf(soup, j)
	if err != nil {
		return err
	}
	stood, err := a.orientationsOf(ctx, j.ModelID)
	if err != nil {
		return err
	}
	made := make([]studio.Model, len(versions))
	stands := make([][]studio.Orientation, len(versions))
	length := make([]int64, len(versions))
	for k, v := range versions {
		if err := told(0.6+0.35*float64(k)/float64(len(versions)), "measuring "+v.model.Name); err != nil {
			return err
		}
		var b bytes.Buffer
		if err := mesh.Write(&b, v.model.Name, v.soup); err != nil {
			return err
		}
		if made[k].SHA, length[k], err = a.Store.Keep(&b, 1<<32); err != nil {
			return err
		}
		v.model.SHA = made[k].SHA
		v.soup.Format = strings.TrimPrefix(path.Ext(v.model.Name), ".")
		v.model.Measures, v.model.Shape = studio.MeasureModel(v.soup)
		made[k] = v.model
		if studio.OneOf(v.model.How, studio.Hollow, studio.Mended, studio.Reduced) { // it stands as it did
			for _, s := range stood {
				s.Shape, s.At = s.ShapeOf(v.soup), a.Clock.Now()
				stands[k] = append(stands[k], s)
			}
		}
	}
	return a.Store.Write(ctx, func(tx *store.Tx) error {
		d := Change{tx, Actor{j.HandID, j.Who}, a.Clock.Now()}
		from, err := tx.Model(j.ModelID)
		if err != nil {
			return err
		}
		first := int64(0)
		for k, m := range made {
			if err := d.AddFile(m.SHA, length[k], d.Now); err != nil {
				return err
			}
			m.DesignID, m.FromID, m.Batch = from.DesignID, from.ID, j.Batch
			v, err := a.addVersion(d, m)
			if err != nil {
				return err
			}
			if v.DesignID != from.DesignID {
				return refuse("That is the very file of %s.", v.Name)
			}
			if k == 0 {
				first = v.ID
			}
			for _, s := range stands[k] {
				if err := tx.SaveOrientations(v.ID, s.Process, []studio.Orientation{s}); err != nil {
					return err
				}
			}
		}
		if err := d.Note("model "+made[0].How, About{}, "%s", made[0].Name); err != nil {
			return err
		}
		ended, err := tx.EndJob(j.ID, studio.JobDone, "", first)
		return errors.Join(err, errUnless(err != nil || ended))
	})
}

// orientationsOf returns how new parts of a model stand, of each process where somebody chose.
func (a *App) orientationsOf(ctx context.Context, modelID int64) (out []studio.Orientation, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		out, err = chosenOrientations(tx, modelID)
		return err
	})
	return out, err
}

func chosenOrientations(tx *store.Tx, modelID int64) (out []studio.Orientation, err error) {
	for _, p := range []string{process.Resin, process.Filament} {
		list, err := tx.Orientations(modelID, p)
		if err != nil {
			return nil, err
		}
		for _, s := range list {
			if s.Taken {
				out = append(out, s)
			}
		}
	}
	return out, nil
}

// version is one on its way to be kept.
type version struct {
	model studio.Model
	soup  *mesh.Soup
}

func versionsOf(soup *mesh.Soup, j studio.Job) ([]version, error) {
	base := strings.TrimSuffix(j.Name, path.Ext(j.Name))
	if ext := path.Ext(base); ext == ".stl" || ext == ".obj" || ext == ".3mf" { // it came packed
		base = strings.TrimSuffix(base, ext)
	}
	if r := []rune(base); len(r) > 90 {
		base = string(r[:90])
	}
	one := func(how, name string, s *mesh.Soup, did ...mesh.Done) []version {
		return []version{{studio.Model{Name: base + ", " + name, How: how, Did: did}, s}}
	}
	switch j.Kind {
	case studio.JobMend:
		mended, done := mesh.Mend(soup)
		if len(done) == 0 {
			return nil, refuse("There is nothing in %s that mending could settle.", j.Name)
		}
		if mended.Len() == 0 {
			return nil, refuse("Nothing would be left of %s after mending.", j.Name)
		}
		return one(studio.Mended, "mended.stl", mended, done...), nil
	case studio.JobReduce:
		var r mesh.Reduced
		var err error
		if j.Options.Triangles > 0 {
			r, err = mesh.ReduceTo(soup, j.Options.Triangles)
		} else {
			r, err = mesh.ReduceWithin(soup, j.Options.DeviationMM)
		}
		if err != nil {
			return nil, refused(err)
		}
		if r.Soup.Len() >= soup.Len() {
			return nil, refuse("%s cannot be made simpler that way.", j.Name)
		}
		return one(studio.Reduced, fmt.Sprintf("%s triangles.stl", grouped(r.Soup.Len())), r.Soup,
			mesh.Done{What: fmt.Sprintf("triangles taken away; the surface moved by at most %s mm", rates.Number(r.DeviationMM)), Count: soup.Len() - r.Soup.Len()}), nil
	case studio.JobUnit:
		// A 3MF says its unit, so that nobody has to guess again.
		return one(studio.Unit, "in "+j.Options.Unit+".3mf", soup.Scaled(mesh.UnitsMM[j.Options.Unit])), nil
	}
	switch j.Kind {
	case studio.JobHollow:
		return hollowed(soup, base, j.Options)
	case studio.JobCut:
		return cutUp(soup, base, j.Options)
	}
	m, bodies := mesh.Bodies(soup)
	if len(bodies) < 2 {
		return nil, refuse("%s is one body.", j.Name)
	}
	if len(bodies) > studio.MaxBodies {
		return nil, refuse("%s holds %d bodies; at most %d are taken apart. Mend it first: most are specks.", j.Name, len(bodies), studio.MaxBodies)
	}
	var out []version
	for k, b := range bodies {
		name := b.Name
		if name == "" {
			name = fmt.Sprintf("body %d", k+1)
		}
		out = append(out, version{studio.Model{Name: base + ", " + fileName(name) + ".stl", How: studio.Body}, m.Pick("stl", b.Triangles)})
	}
	return out, nil
}

// grouped writes a count with thin spaces between thousands.
func grouped(n int) string {
	s := fmt.Sprint(n)
	for k := len(s) - 3; k > 0; k -= 3 {
		s = s[:k] + "\u202f" + s[k:]
	}
	return s
}

// Remake queues another version of a model: mended, reduced, taken in another unit,
// or one for each body.
func (a *App) Remake(ctx context.Context, hand Actor, modelID int64, kind string, options studio.JobOptions) (batch string, err error) {
	switch kind {
	case studio.JobMend, studio.JobBodies:
	case studio.JobReduce:
		if options.Triangles != 0 && (options.Triangles < 4 || options.Triangles > mesh.DefaultMaxTriangles) {
			return "", refuse("Say how many triangles to leave: at least 4.")
		}
		if options.Triangles == 0 && !(options.DeviationMM > 0 && options.DeviationMM <= 100) {
			return "", refuse("Say how many triangles to leave, or by how many millimetres the surface may move.")
		}
	case studio.JobUnit:
		if mesh.UnitsMM[options.Unit] == 0 || options.Unit == "mm" {
			return "", refuse("Say the unit: centimetres, metres, inches, feet or microns.")
		}
	case studio.JobOrient, studio.JobHollow, studio.JobCut:
		if err := checkPrint(kind, options); err != nil {
			return "", err
		}
	default:
		return "", refuse("That cannot be made of a model.")
	}
	batch = newBatch()
	err = a.do(ctx, hand, func(d Change) error {
		m, err := d.Tx.Model(modelID)
		if err != nil {
			return err
		}
		if kind == studio.JobHollow { // it drains as it will hang
			taken, err := d.ChosenOrientation(modelID, process.Resin)
			if err != nil {
				return err
			}
			if taken != 0 {
				s, err := d.Orientation(taken)
				if err != nil {
					return err
				}
				options.Turn = s.Facts.Matrix
			}
		}
		return d.AddJob(&studio.Job{Kind: kind, Batch: batch, ModelID: m.ID, SHA: m.SHA, Name: m.Name, Options: options, Who: hand.Name, HandID: hand.ID, At: d.Now})
	})
	a.stir()
	return batch, err
}

// Revise queues a file that takes the place of a version.
func (a *App) Revise(ctx context.Context, hand Actor, modelID int64, f Kept) (batch string, err error) {
	batch = newBatch()
	err = a.do(ctx, hand, func(d Change) error {
		if _, err := d.Tx.Model(modelID); err != nil {
			return err
		}
		_, err := a.queueFile(d, f, batch, studio.JobOptions{Revises: modelID}, 0)
		return err
	})
	if err != nil {
		a.forget(ctx, f)
	}
	a.stir()
	return batch, err
}

// UseVersion prints a part from another version of its design. Pieces that wait follow
// it; those already printed stay as they are.
func (a *App) UseVersion(ctx context.Context, hand Actor, number string, partID, modelID int64) error {
	return a.onPart(ctx, hand, number, partID, func(d Change, it *studio.Item, k int) error {
		p := &it.Parts[k]
		m, err := d.Tx.Model(modelID)
		if err != nil {
			return err
		}
		if m.DesignID != p.Model.DesignID {
			return refuse("%s is another design; add it as an item of its own.", m.Name)
		}
		if m.ID == p.ModelID {
			return refuse("%s is printed from that version already.", p.Name)
		}
		was := p.Model
		p.ModelID, p.Model = m.ID, m
		if m.How == studio.Hollow {
			p.WallMM = 0 // it has its own
			if err := d.plugsFor(it, *p); err != nil {
				return err
			}
		}
		if err := d.saveParts(it); err != nil {
			return err
		}
		return d.Note("version changed", About{Order: it.OrderID}, "%s: %s instead of %s", it.Title, m.Name, was.Name)
	})
}

// saveParts saves an item whose parts print something else now: each stands as parts of
// its model do, and the pieces that wait follow.
func (d Change) saveParts(it *studio.Item) error {
	for k := range it.Parts {
		p := &it.Parts[k]
		if s, err := d.Orientation(p.OrientationID); err == nil && s.ModelID == p.ModelID && s.Process == p.Process {
			continue
		}
		var err error
		if p.OrientationID, err = d.ChosenOrientation(p.ModelID, p.Process); err != nil {
			return err
		}
	}
	if err := it.Check(); err != nil {
		return refused(err)
	}
	if err := d.SaveItem(it); err != nil {
		return err
	}
	return d.FollowParts(it.OrderID)
}

// plugsFor adds the plugs of a hollowed part, one for each of its holes.
func (d Change) plugsFor(it *studio.Item, p studio.Part) error {
	versions, err := d.Versions(p.Model.DesignID)
	if err != nil {
		return err
	}
	for _, v := range versions {
		if v.How != studio.Peg || v.FromID != p.Model.FromID || v.Batch != p.Model.Batch {
			continue
		}
		for _, o := range it.Parts {
			if o.ModelID == v.ID {
				return nil
			}
		}
		plug := p
		plug.ID, plug.ModelID, plug.Model, plug.Name, plug.Copies, plug.OrientationID = 0, v.ID, v, title(v.Name), p.Copies*studio.PegCount(v), 0
		it.Parts = append(it.Parts, plug)
	}
	return nil
}

// UseBodies prints each body of a part's model, or each piece of its cut, as a part of its
// own: those made together with ofID, 0 for any.
func (a *App) UseBodies(ctx context.Context, hand Actor, number string, partID, ofID int64) error {
	return a.onPart(ctx, hand, number, partID, func(d Change, it *studio.Item, k int) error {
		old := it.Parts[k]
		var of studio.Model
		if ofID != 0 {
			var err error
			if of, err = d.Tx.Model(ofID); err != nil {
				return err
			}
		}
		versions, err := d.Versions(old.Model.DesignID)
		if err != nil {
			return err
		}
		var bodies []studio.Model
		for _, v := range versions {
			if studio.OneOf(v.How, studio.Body, studio.Cut, studio.Peg) && v.FromID == old.ModelID && (of.ID == 0 || v.Batch == of.Batch) {
				bodies = append(bodies, v)
			}
		}
		if len(bodies) < 2 {
			return refuse("Take %s apart first.", old.Model.Name)
		}
		pieces, err := d.PiecesOf(it.OrderID)
		if err != nil {
			return err
		}
		for _, p := range pieces {
			if p.PartID == old.ID && studio.OneOf(p.State, studio.OnPlate, studio.AtBench, studio.PieceDone) {
				return refuse("%s is already printed in one, as %s.", old.Name, p.Code)
			}
		}
		for i, b := range bodies {
			p := old
			if i > 0 {
				p.ID = 0
			}
			p.ModelID, p.Model, p.Name, p.OrientationID = b.ID, b, title(b.Name), 0
			if b.How == studio.Peg {
				p.Copies = old.Copies * studio.PegCount(b)
			}
			if i == 0 {
				it.Parts[k] = p
			} else {
				it.Parts = append(it.Parts, p)
			}
		}
		if err := d.saveParts(it); err != nil {
			return err
		}
		return d.Note("taken apart", About{Order: it.OrderID}, "%s into %d parts", old.Name, len(bodies))
	})
}

func (a *App) onPart(ctx context.Context, hand Actor, number string, partID int64, f func(d Change, it *studio.Item, part int) error) error {
	return a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error {
		items, err := d.Items(o.ID)
		if err != nil {
			return err
		}
		for i := range items {
			for k := range items[i].Parts {
				if items[i].Parts[k].ID == partID {
					return f(d, &items[i], k)
				}
			}
		}
		return store.ErrNotFound
	})
}
