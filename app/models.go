package app

import (
	"bytes"
	"context"
	"errors"
	"image/png"
	"io"
	"strings"
	"time"

	"sakuji/core/mesh"
	"sakuji/store"
	"sakuji/studio"
)

// Kept is a file that has arrived whole and lies on disk under its SHA-256.
type Kept struct {
	Name  string
	SHA   string
	Bytes int64
}

func (a *App) uploadBytes() int64 {
	if a.Limits.UploadBytes > 0 {
		return a.Limits.UploadBytes
	}
	return MaxUploadBytes
}

func (a *App) meshLimits() mesh.Limits {
	return mesh.Limits{MaxBytes: max(a.uploadBytes(), mesh.DefaultMaxBytes), MaxTriangles: a.Limits.Triangles}
}

// Keep streams a file to disk.
func (a *App) Keep(name string, r io.Reader) (k Kept, err error) {
	k.Name = fileName(name)
	k.SHA, k.Bytes, err = a.Store.Keep(r, a.uploadBytes())
	if errors.Is(err, store.ErrTooLarge) {
		err = refuse("%s: %s. Nothing of it was kept.", k.Name, err)
	}
	return k, err
}

// Receive queues model files for an order: one item of them, a part for each, or an
// item for each file; without an order they go on the shelf. A file already known is
// not read again. The batch's name tells how it goes.
func (a *App) Receive(ctx context.Context, hand Actor, number string, files []Kept, eachItsOwn bool) (batch string, err error) {
	batch = newBatch()
	queue := func(d Change, orderID int64) error {
		var last studio.Job
		for _, f := range files {
			j, err := a.queueFile(d, f, batch, studio.JobOptions{Each: eachItsOwn}, orderID)
			if err != nil {
				return err
			}
			last = j
		}
		return a.itemsOf(d, last)
	}
	if number == "" {
		err = a.do(ctx, hand, func(d Change) error { return queue(d, 0) })
	} else {
		err = a.onOrder(ctx, hand, number, func(d Change, o *studio.Order) error { return queue(d, o.ID) })
	}
	if err != nil {
		a.forget(ctx, files...)
	}
	a.stir()
	return batch, err
}

// LetGo forgets kept files that were not taken after all.
func (a *App) LetGo(ctx context.Context, files []Kept) { a.forget(ctx, files...) }

// forget lets go of kept files that nothing speaks of.
func (a *App) forget(ctx context.Context, files ...Kept) {
	for _, f := range files {
		_ = a.Store.Forget(ctx, f.SHA) // a file left behind does no harm: the check names it
	}
}

// queueFile queues a file, or finds it known.
func (a *App) queueFile(d Change, f Kept, batch string, options studio.JobOptions, orderID int64) (j studio.Job, err error) {
	j = studio.Job{Kind: studio.JobRead, Batch: batch, OrderID: orderID, ModelID: options.Revises, SHA: f.SHA, Bytes: f.Bytes, Name: f.Name, Options: options, Who: d.Who.Name, HandID: d.Who.ID, At: d.Now}
	if err = d.AddFile(f.SHA, f.Bytes, d.Now); err != nil {
		return j, err
	}
	known, err := d.ModelBySHA(f.SHA)
	switch {
	case err == nil && options.Revises == 0:
		j.State, j.MadeID, j.Share = studio.JobDone, known.ID, 1
	case err == nil:
		return j, refuse("%s is already here, as %s of %s; nothing was added.", f.Name, known.HowText(), known.Name)
	case !NotFound(err):
		return j, err
	}
	return j, d.AddJob(&j)
}

// itemsOf makes the items of a batch when the last of its files is read. It is called
// whenever one of them ends.
func (a *App) itemsOf(d Change, j studio.Job) error {
	if j.OrderID == 0 || j.Kind != studio.JobRead {
		return nil
	}
	jobs, err := d.Batch(j.Batch)
	if err != nil {
		return err
	}
	var models []studio.Model
	for _, b := range jobs {
		if b.Open() {
			return nil
		}
		if b.State == studio.JobDone && b.MadeID != 0 {
			m, err := d.Tx.Model(b.MadeID)
			if err != nil {
				return err
			}
			models = append(models, m)
		}
	}
	if len(models) == 0 {
		return nil
	}
	o, err := d.OrderByID(j.OrderID)
	if err != nil || o.MayChange() != nil {
		return err
	}
	h, err := shop(d.Tx)
	if err != nil {
		return err
	}
	groups := [][]studio.Model{models}
	if j.Options.Each {
		groups = nil
		for _, m := range models {
			groups = append(groups, []studio.Model{m})
		}
	}
	for _, g := range groups {
		if _, err := d.newItem(h, o, g); err != nil {
			return err
		}
	}
	return nil
}

// AddItem takes model files in and waits until they are read. Those that cannot be
// read are told by name and not kept; the others become items.
func (a *App) AddItem(ctx context.Context, hand Actor, number string, uploads []Upload, eachItsOwn bool) (added []studio.Item, problems []string, err error) {
	var files []Kept
	for _, u := range uploads {
		k, err := a.keepUpload(u)
		var r *Refusal
		if errors.As(err, &r) {
			problems = append(problems, r.Text)
			continue
		}
		if err != nil {
			return nil, problems, err
		}
		files = append(files, k)
	}
	if len(files) == 0 {
		return nil, problems, nil
	}
	s, err := a.OrderSheet(ctx, number)
	if err != nil {
		return nil, problems, err
	}
	before := map[int64]bool{}
	for _, it := range s.Items {
		before[it.ID] = true
	}
	batch, err := a.Receive(ctx, hand, number, files, eachItsOwn)
	if err != nil {
		return nil, problems, err
	}
	jobs, err := a.Await(ctx, batch, time.Hour)
	if err != nil {
		return nil, problems, err
	}
	for _, j := range jobs {
		if j.State == studio.JobFailed {
			problems = append(problems, j.Note)
			if err := a.CancelJob(ctx, j.ID); err != nil { // told here and now
				return nil, problems, err
			}
		}
	}
	s, err = a.OrderSheet(ctx, number)
	for _, it := range s.Items {
		if !before[it.ID] {
			added = append(added, it.Item)
		}
	}
	return added, problems, err
}

func (a *App) keepUpload(u Upload) (Kept, error) {
	r, err := u.Open()
	if err != nil {
		return Kept{}, err
	}
	defer r.Close()
	return a.Keep(u.Name, r)
}

// soupOf reads a kept model file.
func (a *App) soupOf(sha string) (*mesh.Soup, error) {
	f, err := a.Store.File(sha)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	return mesh.ReadFrom(f, info.Size(), a.meshLimits())
}

// readFile is the job that turns a file into a model.
func (a *App) readFile(ctx context.Context, j studio.Job, told func(float64, string) error) error {
	if err := told(0.05, "reading"); err != nil {
		return err
	}
	soup, err := a.soupOf(j.SHA)
	var bad *mesh.FormatError
	if errors.As(err, &bad) {
		return refuse("%s could not be read as a model (STL, OBJ or 3MF): %s. It was not kept.", j.Name, err)
	}
	if err != nil {
		return err
	}
	if err := told(0.3, "measuring"); err != nil {
		return err
	}
	m := studio.Model{SHA: j.SHA, Name: j.Name, How: studio.Sent}
	m.Measures, m.Shape = studio.MeasureModel(soup)
	return a.Store.Write(ctx, func(tx *store.Tx) error {
		d := Change{tx, Actor{j.HandID, j.Who}, a.Clock.Now()}
		if v := j.Options.Revises; v != 0 {
			old, err := tx.Model(v)
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
			if err := d.Note("model revised", About{}, "%s", m.Name); err != nil {
				return err
			}
		}
		if ended, err := tx.EndJob(j.ID, studio.JobDone, "", made.ID); err != nil || !ended {
			return errors.Join(err, errUnless(ended))
		}
		return a.itemsOf(d, j)
	})
}

func errUnless(ok bool) error {
	if ok {
		return nil
	}
	return errStopped
}

// addVersion saves a model, unless the very file is there, and queues its analysis.
func (a *App) addVersion(d Change, m studio.Model) (studio.Model, error) {
	if known, err := d.ModelBySHA(m.SHA); err == nil {
		return known, nil // somebody sent the same file at the same time
	}
	m.At = d.Now
	if err := d.AddModel(&m, title(m.Name)); err != nil {
		return m, err
	}
	return m, a.analyseLater(d.Tx, m.ID)
}

// analyse is the job that looks closely at a model.
func (a *App) analyse(ctx context.Context, j studio.Job, told func(float64, string) error) error {
	soup, err := a.soupOf(j.SHA)
	if err != nil {
		return err
	}
	s, v, err := studio.AnalyseModel(soup, told)
	if err != nil {
		return err
	}
	view := viewOf(v)
	if err := told(0.95, "a picture"); err != nil {
		return err
	}
	picture, err := stillOf(soup)
	if err != nil {
		return err
	}
	kept := map[*string][]byte{&s.StillSHA: picture, &s.ViewSHA: view}
	length := map[string]int64{}
	for to, data := range kept {
		sha, n, err := a.Store.Keep(bytes.NewReader(data), 1<<30)
		if err != nil {
			return err
		}
		*to, length[sha] = sha, n
	}
	return a.Store.Write(ctx, func(tx *store.Tx) error {
		for sha, n := range length {
			if err := tx.AddFile(sha, n, a.Clock.Now()); err != nil {
				return err
			}
		}
		if err := tx.SaveAnalysis(j.ModelID, s, a.Clock.Now()); err != nil {
			return err
		}
		_, err := tx.EndJob(j.ID, studio.JobDone, "", j.ModelID)
		return err
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
func (a *App) Still(ctx context.Context, modelSHA string) ([]byte, error) {
	var sha string
	err := a.Store.Read(ctx, func(tx *store.Tx) (err error) {
		if _, err = tx.ModelBySHA(modelSHA); err != nil {
			return err
		}
		sha, err = tx.StillOf(modelSHA)
		if NotFound(err) {
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
	soup, err := a.soupOf(modelSHA)
	if err != nil {
		return nil, err
	}
	return stillOf(soup)
}

// LicenceForm is what is noted of a design's licence.
type LicenceForm struct {
	Name, Licence, Fee, Source, Terms, Rights string
	Until, Got                                time.Time
}

// SaveLicence notes a design's licence.
func (a *App) SaveLicence(ctx context.Context, hand Actor, modelID int64, f LicenceForm) error {
	return a.do(ctx, hand, func(d Change) error {
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
			return refuse("Choose one of the licences.")
		}
		design.Licence, design.Source, design.Terms, design.Rights, design.Until, design.Got = f.Licence, f.Source, f.Terms, f.Rights, f.Until, f.Got
		if name := strings.TrimSpace(f.Name); name != "" {
			design.Name = name
		}
		design.FeeMinor = 0
		if f.Fee != "" {
			fee, err := studio.ParseMoney(f.Fee, st.Currency)
			if err != nil || fee < 0 {
				return refuse("The fee: %q is not an amount.", f.Fee)
			}
			design.FeeMinor = fee
		}
		if f.Licence == studio.LicenceSubscription && f.Until.IsZero() {
			return refuse("Say until when the subscription runs.")
		}
		if err := d.SaveDesign(design); err != nil {
			return err
		}
		return d.Note("licence noted", About{}, "%s: %s", design.Name, studio.LicenceName(design.Licence))
	})
}

// Download writes a version in a format: as it came, or as STL, OBJ or 3MF.
func (a *App) Download(ctx context.Context, modelID int64, format string, w io.Writer) (err error) {
	m, err := a.modelOf(ctx, modelID)
	if err != nil {
		return err
	}
	soup, err := a.soupOf(m.SHA)
	if err != nil {
		return err
	}
	return mesh.Write(w, "model."+format, soup)
}

func (a *App) modelOf(ctx context.Context, id int64) (m studio.Model, err error) {
	err = a.Store.Read(ctx, func(tx *store.Tx) (err error) {
		m, err = tx.Model(id)
		return err
	})
	return m, err
}

// Model returns a version by id.
func (a *App) Model(ctx context.Context, id int64) (studio.Model, error) { return a.modelOf(ctx, id) }
