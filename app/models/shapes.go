package models

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"strings"
	"time"

	"sakuji/app/apart"
	"sakuji/app/change"
	"sakuji/core/mesh"
	"sakuji/core/solid"
	"sakuji/store"
	"sakuji/studio"
)

// What is done to the shape of a model is done apart: it is given a file and gives what it
// has found, and knows nothing of the studio.

// source is a model file to work on.
type source struct {
	Path, Name string
	Bytes      int64
	Limits     mesh.Limits
	Cuts       []solid.Plane // along which it was cut from a larger model
}

// source is the kept file of a model, or of one that has just come.
func (a *Room) source(sha, name string) (s source, err error) {
	f, err := a.Store.File(sha)
	if errors.Is(err, store.ErrNotFound) {
		return s, change.Refuse("The file of %s is missing from the data folder: files/%s. Send %s again, or bring the file back from a backup.", name, sha, name)
	}
	if err != nil {
		return s, err
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return s, err
	}
	return source{Path: f.Name(), Name: name, Bytes: info.Size(), Limits: a.meshLimits()}, nil
}

// soup reads it.
func (s source) soup() (*mesh.Soup, error) {
	f, err := os.Open(s.Path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	soup, err := mesh.ReadFrom(f, s.Bytes, s.Limits)
	var bad *mesh.FormatError
	if errors.As(err, &bad) {
		return nil, change.Refuse("%s could not be read as a model (STL, OBJ or 3MF): %s.", s.Name, err)
	}
	return soup, err
}

// How much of the processors' time work on a file of up to 50 MB may take. Source: from memory.
const (
	readTime = 40 * time.Second // reading, measuring, a look, a picture
	makeTime = 4 * time.Minute  // new versions and orientations
)

var (
	reading   = apart.NewKind("read", read)
	analysing = apart.NewKind("analyse", analyse)
	remaking  = apart.NewKind("remake", remake)
	orienting = apart.NewKind("orient", orient)
	drawing   = apart.NewKind("still", draw)
	cutting   = apart.NewKind("cuts", suggestCuts)
	layering  = apart.NewKind("layers", cutLayers)
)

// seen is what a file measures.
type seen struct {
	Measures mesh.Measures
	Shape    studio.ModelShape
}

func read(_ context.Context, s source, told apart.Told) (out seen, err error) {
	soup, err := s.soup()
	if err == nil {
		err = told(0.3, "measuring")
	}
	if err != nil {
		return out, err
	}
	out.Measures, out.Shape = studio.MeasureModel(soup, s.Cuts...)
	return out, nil
}

// analysed is what a close look has found, with a picture and a mesh to turn.
type analysed struct {
	Analysis    studio.Analysis
	Still, View []byte
}

func analyse(_ context.Context, s source, told apart.Told) (out analysed, err error) {
	soup, err := s.soup()
	if err != nil {
		return out, err
	}
	var v studio.View
	if out.Analysis, v, err = studio.AnalyseModel(soup, s.Cuts, told); err != nil {
		return out, err
	}
	out.Analysis.Walls.VertexMM = nil // the mesh to turn has them
	out.View = viewOf(v)
	if err := told(0.95, "a picture"); err != nil {
		return out, err
	}
	out.Still, err = stillOf(soup)
	return out, err
}

func draw(_ context.Context, s source, _ apart.Told) ([]byte, error) {
	soup, err := s.soup()
	if err != nil {
		return nil, err
	}
	return stillOf(soup)
}

// task is the making of new versions, which are laid into a folder.
type task struct {
	Source source
	Job    studio.Job
	Stood  []studio.Orientation // how new parts of the model stand
	Dir    string
	Now    time.Time
}

// made is a new version, written to disk and measured.
type made struct {
	Model  studio.Model
	File   string
	Stands []studio.Orientation // as the one before stood
}

func remake(_ context.Context, t task, told apart.Told) (out []made, err error) {
	soup, err := t.Source.soup()
	if err == nil {
		err = told(0.2, t.Job.Doing())
	}
	if err != nil {
		return nil, err
	}
	versions, err := versionsOf(soup, t.Job)
	for k, v := range versions {
		if err == nil {
			err = told(0.6+0.35*float64(k)/float64(len(versions)), "measuring "+v.model.Name)
		}
		if err != nil {
			return nil, err
		}
		var m made
		m, err = t.keep(v, fmt.Sprint(k))
		out = append(out, m)
	}
	return out, err
}

// keep writes a version and measures it.
func (t task) keep(v version, name string) (m made, err error) {
	if err := v.soup.CheckSize(); err != nil {
		return m, change.Refuse("%s cannot be made: %s.", v.model.Name, err)
	}
	m = made{Model: v.model, File: filepath.Join(t.Dir, name)}
	f, err := os.Create(m.File)
	if err != nil {
		return m, err
	}
	if err := errors.Join(mesh.Write(f, v.model.Name, v.soup), f.Close()); err != nil {
		return m, err
	}
	v.soup.Format = strings.TrimPrefix(path.Ext(v.model.Name), ".")
	if !studio.OneOf(v.model.How, studio.Unit, studio.Peg) { // those lie elsewhere
		v.cuts = append(v.cuts, t.Source.Cuts...)
	}
	m.Model.Measures, m.Model.Shape = studio.MeasureModel(v.soup, v.cuts...)
	if studio.OneOf(v.model.How, studio.Hollow, studio.Mended, studio.Reduced) { // it stands as it did
		for _, s := range t.Stood {
			s.Shape, s.At = s.ShapeOf(v.soup), t.Now
			m.Stands = append(m.Stands, s)
		}
	}
	return m, nil
}

// turning is the search for orientations.
type turning struct {
	Source source
	For    studio.Orienting
}

func orient(_ context.Context, t turning, told apart.Told) ([]studio.Orientation, error) {
	soup, err := t.Source.soup()
	if err != nil {
		return nil, err
	}
	if soup.Len() > studio.ViewTriangles {
		if err := told(0.1, "making it simpler to look at"); err != nil {
			return nil, err
		}
		r, err := mesh.ReduceTo(soup, studio.ViewTriangles)
		if err != nil {
			return nil, change.Refused(err)
		}
		soup = r.Soup
	}
	return t.For.Find(soup, told)
}

// parting is the search for places to cut.
type parting struct {
	Source source
	Pieces int
	Bed    [3]float64
}

func suggestCuts(ctx context.Context, p parting, _ apart.Told) ([]solid.Cuts, error) {
	soup, err := p.Source.soup()
	if err != nil {
		return nil, err
	}
	return solid.SuggestCuts(ctx, solid.Whole(soup.Weld()), p.Pieces, p.Bed)
}

// Standing reads a model's mesh as a piece of it is printed: turned as it stands on its plate, at
// its size.
func (a *Room) Standing(m studio.Model, orientation studio.Orientation, scale float64) (*mesh.Soup, error) {
	soup, err := a.soupOf(m)
	if err != nil {
		return nil, err
	}
	if orientation.ID != 0 {
		soup = solid.Turned(solid.Whole(soup.Weld()), orientation.Facts.Matrix).Soup("stl")
	}
	return soup.Scaled(scale), nil
}
