package models

import (
	"context"
	"fmt"
	"os"
	"path"
	"strings"

	"sakuji/app/apart"
	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/solid"
	"sakuji/store"
	"sakuji/studio"
)

// remake is the job that makes other versions of a model.
func (a *Room) remake(ctx context.Context, j studio.Job, told jobs.Progress) error {
	if err := told(0.05, "reading"); err != nil {
		return err
	}
	from, err := a.source(j.SHA, j.Name)
	if err != nil {
		return err
	}
	if from.Cuts, err = a.cutsOf(ctx, j.ModelID); err != nil {
		return err
	}
	stood, err := a.orientationsOf(ctx, j.ModelID)
	if err != nil {
		return err
	}
	dir, done, err := a.Store.Scratch()
	if err != nil {
		return err
	}
	defer done()
	made, err := remaking.Run(ctx, a.queue.Apart, apart.LimitsFor(from.Bytes, makeTime), j.Name, task{from, j, stood, dir, a.Clock.Now()}, told)
	if err != nil {
		return err
	}
	bytes := make([]int64, len(made))
	for k := range made {
		m := &made[k]
		if m.Model.SHA, bytes[k], err = a.keepFile(m.File); err != nil {
			return err
		}
	}
	return a.queue.Save(ctx, j, func(d change.Change) error {
		first, err := a.addMade(d, j, made, bytes)
		if err != nil {
			return err
		}
		if err := d.Note("model "+made[0].Model.How, change.About{}, "%s", made[0].Model.Name); err != nil {
			return err
		}
		return jobs.Done(d, j, first, "")
	})
}

// keepFile keeps what lies in a file of ours.
func (a *Room) keepFile(name string) (sha string, bytes int64, err error) {
	f, err := os.Open(name)
	if err != nil {
		return "", 0, err
	}
	defer f.Close()
	return a.Store.Keep(f, 1<<32)
}

// addMade saves the versions that a job has made, and returns the first.
func (a *Room) addMade(d change.Change, j studio.Job, made []made, bytes []int64) (first int64, err error) {
	from, err := d.Model(j.ModelID)
	if err != nil {
		return 0, err
	}
	for k, m := range made {
		if err := d.AddFile(m.Model.SHA, bytes[k], d.Now); err != nil {
			return 0, err
		}
		m.Model.DesignID, m.Model.FromID, m.Model.Batch = from.DesignID, from.ID, j.Batch
		v, err := a.addVersion(d, m.Model)
		if err != nil {
			return 0, err
		}
		if v.DesignID != from.DesignID {
			return 0, change.Refuse("That is the very file of %s.", v.Name)
		}
		if k == 0 {
			first = v.ID
		}
		for _, s := range m.Stands {
			if err := d.SaveOrientations(v.ID, s.Process, []studio.Orientation{s}); err != nil {
				return 0, err
			}
		}
	}
	return first, nil
}

// orientationsOf returns how new parts of a model stand, of each process where somebody chose.
func (a *Room) orientationsOf(ctx context.Context, modelID int64) (out []studio.Orientation, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		out, err = chosenOrientations(tx, modelID)
		return err
	})
	return out, err
}

func chosenOrientations(tx *store.Tx, modelID int64) (out []studio.Orientation, err error) {
	for _, p := range process.Names() {
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
	cuts  []solid.Plane // along which it was cut
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
		return []version{{model: studio.Model{Name: base + ", " + name, How: how, Did: did}, soup: s}}
	}
	switch j.Kind {
	case studio.JobMend:
		mended, done := mesh.Mend(soup)
		if len(done) == 0 {
			return nil, change.Refuse("There is nothing in %s that mending could repair.", j.Name)
		}
		if mended.Len() == 0 {
			return nil, change.Refuse("Nothing would be left of %s after mending.", j.Name)
		}
		return one(studio.Mended, "mended.stl", mended, done...), nil
	case studio.JobReduce:
		reduced, name, done, err := simpler(soup, j)
		if err != nil {
			return nil, err
		}
		return one(studio.Reduced, name, reduced, done), nil
	case studio.JobUnit:
		// A 3MF says its unit, so that nobody has to guess again.
		return one(studio.Unit, "in "+j.Options.Unit+".3mf", soup.Scaled(mesh.UnitsMM[j.Options.Unit])), nil
	case studio.JobHollow:
		return hollowed(soup, base, j.Options)
	case studio.JobCut:
		return cutUp(soup, base, j.Options)
	}
	return bodiesOf(soup, base, j)
}

// simpler reduces a mesh as a job asks.
func simpler(soup *mesh.Soup, j studio.Job) (out *mesh.Soup, name string, done mesh.Done, err error) {
	var r mesh.Reduced
	if j.Options.Triangles > 0 {
		r, err = mesh.ReduceTo(soup, j.Options.Triangles)
	} else {
		r, err = mesh.ReduceWithin(soup, j.Options.DeviationMM)
	}
	if err != nil {
		return nil, "", done, change.Refused(err)
	}
	if r.Soup.Len() >= soup.Len() {
		return nil, "", done, change.Refuse("%s cannot be made simpler that way.", j.Name)
	}
	done = mesh.Done{What: fmt.Sprintf("triangles taken away; the surface moved by at most %s mm", rates.Number(r.DeviationMM)), Count: soup.Len() - r.Soup.Len()}
	return r.Soup, fmt.Sprintf("%s triangles.stl", grouped(r.Soup.Len())), done, nil
}

// bodiesOf takes a model apart into its bodies.
func bodiesOf(soup *mesh.Soup, base string, j studio.Job) ([]version, error) {
	m, bodies := mesh.Bodies(soup)
	if len(bodies) < 2 {
		return nil, change.Refuse("%s is one body.", j.Name)
	}
	if len(bodies) > studio.MaxBodies {
		return nil, change.Refuse("%s holds %d bodies; at most %d are taken apart. Mend it first: most are specks.", j.Name, len(bodies), studio.MaxBodies)
	}
	var out []version
	for k, b := range bodies {
		name := b.Name
		if name == "" {
			name = fmt.Sprintf("body %d", k+1)
		}
		out = append(out, version{model: studio.Model{Name: base + ", " + FileName(name) + ".stl", How: studio.Body}, soup: m.Pick("stl", b.Triangles)})
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
func (a *Room) Remake(ctx context.Context, who change.Actor, modelID int64, kind string, options studio.JobOptions) (batch string, err error) {
	switch kind {
	case studio.JobMend, studio.JobBodies:
	case studio.JobReduce:
		if options.Triangles != 0 && (options.Triangles < 4 || options.Triangles > mesh.DefaultMaxTriangles) {
			return "", change.Refuse("Say how many triangles to leave: at least 4.")
		}
		if options.Triangles == 0 && !(options.DeviationMM > 0 && options.DeviationMM <= 100) {
			return "", change.Refuse("Say how many triangles to leave, or by how many millimetres the surface may move.")
		}
	case studio.JobUnit:
		if mesh.UnitsMM[options.Unit] == 0 || options.Unit == "mm" {
			return "", change.Refuse("Say the unit: centimetres, metres, inches, feet or microns.")
		}
	case studio.JobOrient, studio.JobHollow, studio.JobCut:
		if err := checkPrint(kind, options); err != nil {
			return "", err
		}
	default:
		return "", change.Refuse("That cannot be made of a model.")
	}
	batch = jobs.NewBatch()
	err = a.Do(ctx, who, func(d change.Change) error {
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
		return d.AddJob(&studio.Job{Kind: kind, Batch: batch, ModelID: m.ID, SHA: m.SHA, Name: m.Name, Options: options, Who: who.Name, ActorID: who.ID, At: d.Now})
	})
	a.queue.Stir()
	return batch, err
}

// Revise queues a file that takes the place of a version.
func (a *Room) Revise(ctx context.Context, who change.Actor, modelID int64, f Kept) (batch string, err error) {
	batch = jobs.NewBatch()
	err = a.Do(ctx, who, func(d change.Change) error {
		if _, err := d.Tx.Model(modelID); err != nil {
			return err
		}
		_, err := a.QueueFile(d, f, batch, studio.JobOptions{Revises: modelID}, 0)
		return err
	})
	if err != nil {
		a.Forget(ctx, f)
	}
	a.queue.Stir()
	return batch, err
}
