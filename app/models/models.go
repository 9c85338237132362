// Package models is what becomes of a model file: it is received, measured, analysed,
// looked at in layers, turned, hollowed, cut and kept in versions. Everything that takes
// longer than a moment is a job or an answer of the jobs' room. What a model costs is
// asked elsewhere.
package models

import (
	"archive/zip"
	"bytes"
	"context"
	"errors"
	"fmt"
	"image/png"
	"io"
	"io/fs"
	"os"
	"path"
	"strings"
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

// Upload is a file on its way in.
type Upload struct {
	Name string
	Open func() (io.ReadCloser, error)
}

// FileName is the last part of a client's file name, printable and not too long.
func FileName(name string) string {
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

// Title makes a name of a file's.
func Title(file string) string {
	name := strings.TrimSuffix(file, path.Ext(file))
	for _, packed := range []string{".stl", ".obj", ".3mf"} {
		name = strings.TrimSuffix(name, packed)
	}
	return studio.UpperFirst(strings.TrimSpace(strings.NewReplacer("_", " ", "-", " ").Replace(name)))
}

// analyseLater queues a close look at a model.
func (a *Room) analyseLater(tx *store.Tx, modelID int64) error {
	m, err := tx.Model(modelID)
	if err != nil {
		return err
	}
	return tx.AddJob(&studio.Job{Kind: studio.JobAnalyse, Batch: jobs.NewBatch(), ModelID: m.ID, SHA: m.SHA, Name: m.Name, Who: "the studio", At: a.Clock.Now()})
}

// Kept is a file that has arrived whole and lies on disk under its SHA-256.
type Kept struct {
	Name  string
	SHA   string
	Bytes int64
}

func (a *Room) uploadBytes() int64 {
	if a.Limits.UploadBytes > 0 {
		return a.Limits.UploadBytes
	}
	return MaxUploadBytes
}

func (a *Room) meshLimits() mesh.Limits {
	return mesh.Limits{MaxBytes: max(a.uploadBytes(), mesh.DefaultMaxBytes), MaxTriangles: a.Limits.Triangles}
}

// Keep streams a file to disk.
func (a *Room) Keep(name string, r io.Reader) (k Kept, err error) {
	k.Name = FileName(name)
	k.SHA, k.Bytes, err = a.Store.Keep(r, a.uploadBytes())
	if errors.Is(err, store.ErrTooLarge) {
		err = change.Refuse("%s: %s. Nothing of it was kept.", k.Name, err)
	}
	return k, err
}

// A zip of several models is taken apart, up to so many files and so many bytes of them.
const (
	mostPacked      = 100
	mostPackedBytes = 1 << 30
)

// Arrive keeps a file that a client has sent: each model of a zip by itself, as if they had
// come singly. What is refused is told by name and leaves the others.
func (a *Room) Arrive(name string, r io.Reader) (kept []Kept, problems []string, err error) {
	whole, err := a.Keep(name, r)
	if err != nil {
		return refusedOnly(nil, err)
	}
	f, err := a.Store.File(whole.SHA)
	if err != nil {
		return nil, nil, err
	}
	defer f.Close()
	z, err := zip.NewReader(f, whole.Bytes)
	if err != nil { // not a zip: reading says what it is
		return []Kept{whole}, nil, nil
	}
	packed, is3MF := mesh.Packed(z)
	if is3MF || len(packed) < 2 {
		return []Kept{whole}, nil, nil
	}
	defer a.Store.Forget(context.Background(), whole.SHA) //nolint:errcheck // the check names what is left behind
	if len(packed) > mostPacked {
		return nil, []string{fmt.Sprintf("%s holds %d models; at most %d are taken at once. Nothing of it was kept.", whole.Name, len(packed), mostPacked)}, nil
	}
	left := int64(mostPackedBytes)
	for _, entry := range packed {
		one, err := a.keepEntry(entry, left)
		if kept, problems, err = addKept(kept, problems, one, err); err != nil {
			return kept, problems, err
		}
		left -= one.Bytes
	}
	return kept, problems, nil
}

// keepEntry unpacks a file of a zip, as long as there is room.
func (a *Room) keepEntry(entry *zip.File, left int64) (Kept, error) {
	if left <= 0 {
		return Kept{}, change.Refuse("%s was not taken: the zip is too large unpacked.", FileName(entry.Name))
	}
	r, err := entry.Open()
	if err != nil {
		return Kept{}, errPacked(entry)
	}
	defer r.Close()
	one, err := a.Keep(entry.Name, io.LimitReader(r, left))
	var disk *fs.PathError
	var refusal *change.Refusal
	if err != nil && !errors.As(err, &disk) && !errors.As(err, &refusal) { // it is the zip that is broken
		return Kept{}, errPacked(entry)
	}
	return one, err
}

// errPacked says that a file of a zip cannot be had out of it.
func errPacked(entry *zip.File) error {
	return change.Refuse("%s cannot be unpacked: the zip is damaged there, or locked by a password. Send it again.", FileName(entry.Name))
}

// addKept adds a file that was kept, or what was wrong with it.
func addKept(kept []Kept, problems []string, one Kept, err error) ([]Kept, []string, error) {
	if err != nil {
		_, more, err := refusedOnly(nil, err)
		return kept, append(problems, more...), err
	}
	return append(kept, one), problems, nil
}

// refusedOnly makes of a refusal a problem that is told.
func refusedOnly(kept []Kept, err error) ([]Kept, []string, error) {
	var refusal *change.Refusal
	if errors.As(err, &refusal) {
		return kept, []string{refusal.Text}, nil
	}
	return kept, nil, err
}

// Forget lets go of kept files that were not taken after all, and of which nothing speaks.
func (a *Room) Forget(ctx context.Context, files ...Kept) {
	for _, f := range files {
		_ = a.Store.Forget(ctx, f.SHA) // a file left behind does no harm: the check names it
	}
}

// QueueFile queues a file, or finds it known.
func (a *Room) QueueFile(d change.Change, f Kept, batch string, options studio.JobOptions, orderID int64) (j studio.Job, err error) {
	j = studio.Job{Kind: studio.JobRead, Batch: batch, OrderID: orderID, ModelID: options.Revises, SHA: f.SHA, Bytes: f.Bytes, Name: f.Name, Options: options, Who: d.Who.Name, ActorID: d.Who.ID, At: d.Now}
	if err = d.AddFile(f.SHA, f.Bytes, d.Now); err != nil {
		return j, err
	}
	known, err := d.ModelBySHA(f.SHA)
	switch {
	case err == nil && options.Revises == 0:
		j.State, j.MadeID, j.Share = studio.JobDone, known.ID, 1
	case err == nil:
		return j, change.Refuse("%s is already here, as %s of %s; nothing was added.", f.Name, known.HowText(), known.Name)
	case !change.NotFound(err):
		return j, err
	}
	return j, d.AddJob(&j)
}

// KeepUpload keeps one file as it is.
func (a *Room) KeepUpload(u Upload) (Kept, error) {
	r, err := u.Open()
	if err != nil {
		return Kept{}, err
	}
	defer r.Close()
	return a.Keep(u.Name, r)
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

// LicenceForm is what is noted of a design's licence.
type LicenceForm struct {
	Name, Licence, Fee, Source, Terms, Rights string
	Until, Got                                time.Time
}

// SaveLicence notes a design's licence.
func (a *Room) SaveLicence(ctx context.Context, who change.Actor, modelID int64, f LicenceForm) error {
	return a.Do(ctx, who, func(d change.Change) error {
		m, err := d.Tx.Model(modelID)
		if err != nil {
			return err
		}
		design, err := d.Design(m.DesignID)
		if err != nil {
			return err
		}
		st, err := d.Studio()
		if err != nil {
			return err
		}
		if !studio.OneOf(f.Licence, studio.Licences()...) {
			return change.Refuse("Choose one of the licences.")
		}
		design.Licence, design.Source, design.Terms, design.Rights, design.Until, design.Got = f.Licence, f.Source, f.Terms, f.Rights, f.Until, f.Got
		if name := strings.TrimSpace(f.Name); name != "" {
			design.Name = name
		}
		design.FeeMinor = 0
		if f.Fee != "" {
			fee, err := studio.ParseMoney(f.Fee, st.Currency)
			if err != nil || fee < 0 {
				return change.RefuseField("fee", "The fee: %q is not an amount.", f.Fee)
			}
			design.FeeMinor = fee
		}
		if f.Licence == studio.LicenceSubscription && f.Until.IsZero() {
			return change.Refuse("Say until when the subscription runs.")
		}
		if err := d.SaveDesign(design); err != nil {
			return err
		}
		return d.Note("licence noted", change.About{}, "%s: %s", design.Name, studio.LicenceName(design.Licence))
	})
}

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
