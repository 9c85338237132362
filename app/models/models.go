// Package models is what becomes of a model file: it is received, measured, analysed,
// looked at in layers, turned, hollowed, cut and kept in versions. Everything that takes
// longer than a moment is a job or an answer of the jobs' room. What a model costs is
// asked elsewhere.
package models

import (
	"bytes"
	"context"
	"errors"
	"image/png"
	"io"
	"os"
	"time"

	"sakuji/app/apart"
	"sakuji/app/change"
	"sakuji/app/jobs"
	"sakuji/app/setup"
	"sakuji/core/mesh"
	"sakuji/core/solid"
	"sakuji/store"
	"sakuji/studio"
)

// Limits bound what comes in; 0 means the default.
type Limits struct {
	UploadBytes int64 // of one file
	Triangles   int   // of one model
}

// Room is where models are.
type Room struct {
	change.Base
	Limits  Limits
	Arrived func(c change.Change, j studio.Job) error // called when a file of a batch was read, or could not be

	queue   *jobs.Queue
	answers jobs.Answers
}

// New makes the room and registers the long work it does.
func New(base change.Base, queue *jobs.Queue) *Room {
	a := &Room{Base: base, queue: queue}
	queue.Register(studio.JobRead, jobs.Kind{Run: a.readFile, Ended: a.notRead, After: a.letGo})
	queue.Register(studio.JobAnalyse, jobs.Kind{Run: a.analyse})
	queue.Register(studio.JobOrient, jobs.Kind{Run: a.orient})
	for _, kind := range []string{studio.JobMend, studio.JobReduce, studio.JobUnit, studio.JobBodies, studio.JobHollow, studio.JobCut} {
		queue.Register(kind, jobs.Kind{Run: a.remake})
	}
	queue.AtStart(a.analyseAll)
	queue.AtStart(a.measureShapes)
	return a
}

// shop is what estimates draw on.
func (a *Room) shop(ctx context.Context) (h studio.Shop, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		h, err = setup.Load(tx)
		return err
	})
	return h, err
}

// notRead lets go of a file that could not be read; the others of its batch go on.
func (a *Room) notRead(c change.Change, j studio.Job) error {
	if _, err := c.DropFile(j.SHA); err != nil {
		return err
	}
	return a.arrived(c, j)
}

// letGo removes a file that nothing speaks of any more.
func (a *Room) letGo(ctx context.Context, j studio.Job) error { return a.Store.Forget(ctx, j.SHA) }

// analyseAll queues an analysis of every model without one.
func (a *Room) analyseAll(ctx context.Context) error {
	err := a.Store.Write(ctx, func(tx *store.Tx) error {
		ids, err := tx.Unanalysed()
		for _, id := range ids {
			if err == nil {
				err = a.analyseLater(tx, id)
			}
		}
		return err
	})
	a.queue.Stir()
	return err
}

// measureShapes measures models again that came before their faces were told apart.
func (a *Room) measureShapes(ctx context.Context) error {
	var models []studio.Model
	err := a.Store.Read(ctx, func(tx *store.Tx) (err error) {
		models, err = tx.WithoutFaces()
		return err
	})
	for _, m := range models {
		if err != nil || ctx.Err() != nil {
			return err
		}
		s, e := a.source(m.SHA, m.Name)
		if e != nil {
			return e
		}
		s.Cuts = m.Shape.Cuts
		found, e := reading.Run(ctx, a.queue.Apart, apart.LimitsFor(s.Bytes, readTime), m.Name, s, silently)
		if e != nil {
			return e
		}
		m.Shape = found.Shape
		err = a.Store.Write(ctx, func(tx *store.Tx) error { return tx.SaveShape(m) })
	}
	return err
}

// File opens a kept file; kind is its media type when it is a picture.
func (a *Room) File(ctx context.Context, sha string) (f *os.File, kind string, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		kind, err = tx.PictureType(sha)
		if change.NotFound(err) {
			return nil
		}
		return err
	})
	if err != nil {
		return nil, "", err
	}
	f, err = a.Store.File(sha)
	return f, kind, err
}

// MaxUploadBytes bounds one uploaded file.
const MaxUploadBytes = 256 << 20

// analyseLater queues a close look at a model.
func (a *Room) analyseLater(tx *store.Tx, modelID int64) error {
	m, err := tx.Model(modelID)
	if err != nil {
		return err
	}
	return tx.AddJob(&studio.Job{Kind: studio.JobAnalyse, Batch: jobs.NewBatch(), ModelID: m.ID, SHA: m.SHA, Name: m.Name, Who: "the studio", At: a.Clock.Now()})
}

// soupOf reads a kept model file.
func (a *Room) soupOf(m studio.Model) (*mesh.Soup, error) {
	s, err := a.source(m.SHA, m.Name)
	if err != nil {
		return nil, err
	}
	return s.soup()
}

// readFile is the job that turns a file into a model.
func (a *Room) readFile(ctx context.Context, j studio.Job, told jobs.Progress) error {
	if err := told(0.05, "reading"); err != nil {
		return err
	}
	s, err := a.source(j.SHA, j.Name)
	if err != nil {
		return err
	}
	found, err := reading.Run(ctx, a.queue.Apart, apart.LimitsFor(s.Bytes, readTime), j.Name, s, told)
	if r := (*change.Refusal)(nil); errors.As(err, &r) {
		return change.Refuse("%s It was not kept.", r.Text)
	}
	if err != nil {
		return err
	}
	m := studio.Model{SHA: j.SHA, Name: j.Name, How: studio.Sent}
	m.Measures, m.Shape = found.Measures, found.Shape
	return a.queue.Save(ctx, j, func(d change.Change) error {
		if v := j.Options.Revises; v != 0 {
			old, err := d.Model(v)
			if err != nil {
				return err
			}
			m.DesignID, m.FromID, m.How = old.DesignID, old.ID, studio.Revised
		}
		made, err := a.addVersion(d, m)
		if err != nil {
			return err
		}
		if m.How == studio.Revised {
			if err := d.Note("model revised", change.About{}, "%s", m.Name); err != nil {
				return err
			}
		}
		if err := jobs.Done(d, j, made.ID, ""); err != nil {
			return err
		}
		return a.arrived(d, j)
	})
}

// arrived tells the room that waits for files, if any, that one has been read or refused.
func (a *Room) arrived(c change.Change, j studio.Job) error {
	if a.Arrived == nil {
		return nil
	}
	return a.Arrived(c, j)
}

// addVersion saves a model, unless the very file is there, and queues its analysis.
func (a *Room) addVersion(d change.Change, m studio.Model) (studio.Model, error) {
	if known, err := d.ModelBySHA(m.SHA); err == nil {
		return known, nil // somebody sent the same file at the same time
	}
	m.At = d.Now
	if err := d.AddModel(&m, Title(m.Name)); err != nil {
		return m, err
	}
	return m, a.analyseLater(d.Tx, m.ID)
}

// cutsOf are the planes along which a model was cut from a larger one.
func (a *Room) cutsOf(ctx context.Context, id int64) (cuts []solid.Plane, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) error {
		m, err := tx.Model(id)
		cuts = m.Shape.Cuts
		return err
	})
	return cuts, err
}

// analyse is the job that looks closely at a model.
func (a *Room) analyse(ctx context.Context, j studio.Job, told jobs.Progress) error {
	from, err := a.source(j.SHA, j.Name)
	if err != nil {
		return err
	}
	if from.Cuts, err = a.cutsOf(ctx, j.ModelID); err != nil {
		return err
	}
	found, err := analysing.Run(ctx, a.queue.Apart, apart.LimitsFor(from.Bytes, readTime), j.Name, from, told)
	if err != nil {
		return err
	}
	s := found.Analysis
	kept := map[*string][]byte{&s.StillSHA: found.Still, &s.ViewSHA: found.View}
	length := map[string]int64{}
	for to, data := range kept {
		sha, n, err := a.Store.Keep(bytes.NewReader(data), 1<<30)
		if err != nil {
			return err
		}
		*to, length[sha] = sha, n
	}
	return a.queue.Save(ctx, j, func(c change.Change) error {
		for sha, n := range length {
			if err := c.AddFile(sha, n, c.Now); err != nil {
				return err
			}
		}
		if err := c.SaveAnalysis(j.ModelID, s, c.Now); err != nil {
			return err
		}
		return jobs.Done(c, j, j.ModelID, "")
	})
}

// StillWidth and StillHeight are the size of a model's picture, in pixels.
const StillWidth, StillHeight = 480, 360

func stillOf(s *mesh.Soup) ([]byte, error) {
	var b bytes.Buffer
	err := png.Encode(&b, mesh.ClayStill(StillWidth, StillHeight).Draw(s))
	return b.Bytes(), err
}

// Still returns the picture of the model of a file, a PNG with nothing behind it. One
// that was not studied yet is drawn now, if it is not too large for that.
func (a *Room) Still(ctx context.Context, modelSHA string) ([]byte, error) {
	var sha string
	err := a.Store.Read(ctx, func(tx *store.Tx) (err error) {
		if _, err = tx.ModelBySHA(modelSHA); err != nil {
			return err
		}
		sha, err = tx.StillOf(modelSHA)
		if change.NotFound(err) {
			return nil
		}
		return err
	})
	if err != nil {
		return nil, err
	}
	if sha != "" {
		f, err := a.Store.File(sha)
		if err != nil {
			return nil, err
		}
		defer f.Close()
		return io.ReadAll(f)
	}
	return jobs.Ask(ctx, &a.answers, "still "+modelSHA, stillPatience, func(ctx context.Context) ([]byte, error) {
		s, err := a.source(modelSHA, "this model")
		if err != nil {
			return nil, err
		}
		return drawing.Run(ctx, a.queue.Apart, apart.LimitsFor(s.Bytes, readTime), s.Name, s, silently)
	})
}

// silently is for work that nobody watches.
func silently(float64, string) error { return nil }

// stillPatience is how long a picture that is drawn on a visit is waited for.
const stillPatience = 10 * time.Second

// Download writes a version in a format: as it came, or as STL, OBJ or 3MF.
func (a *Room) Download(ctx context.Context, modelID int64, format string, w io.Writer) (err error) {
	m, err := a.modelOf(ctx, modelID)
	if err != nil {
		return err
	}
	soup, err := a.soupOf(m)
	if err != nil {
		return err
	}
	return mesh.Write(w, "model."+format, soup)
}

func (a *Room) modelOf(ctx context.Context, id int64) (m studio.Model, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) (err error) {
		m, err = tx.Model(id)
		return err
	})
	return m, err
}

// Model returns a version by id.
func (a *Room) Model(ctx context.Context, id int64) (studio.Model, error) { return a.modelOf(ctx, id) }
