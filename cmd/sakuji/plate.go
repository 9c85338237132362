package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"math"
	"math/rand/v2"
	"os"
	"os/signal"
	"path/filepath"
	"time"

	"github.com/spf13/cobra"

	"sakuji/core/mesh"
	"sakuji/core/plate"
	"sakuji/core/process"
	"sakuji/core/solid"
	"sakuji/studio"
)

// plateJob is what is to be laid, as the command reads it.
type plateJob struct {
	Bed struct {
		WidthMM  float64 `json:"width_mm"`
		DepthMM  float64 `json:"depth_mm"`
		HeightMM float64 `json:"height_mm"`
		MarginMM float64 `json:"margin_mm"`
		KeepOut  []struct {
			XMM     float64 `json:"x_mm"`
			YMM     float64 `json:"y_mm"`
			WidthMM float64 `json:"width_mm"`
			DepthMM float64 `json:"depth_mm"`
		} `json:"keep_out"`
	} `json:"bed"`
	SpacingMM     float64         `json:"spacing_mm"`
	Process       string          `json:"process"`
	RotateStepDeg float64         `json:"rotate_step_deg"` // 0: parts stay as they stand
	Parts         []plateJobPart  `json:"parts"`
	Seed          uint64          `json:"seed"`
	Seconds       *float64        `json:"seconds"` // of search after the first plan; default 2
	meshes        []*mesh.Mesh    // of the parts
	outlines      []solid.Outline // the same
}

type plateJobPart struct {
	ID     string `json:"id"`
	File   string `json:"file"`
	Copies *int   `json:"copies"`
}

// plateAnswer is what the command says.
type plateAnswer struct {
	Plates   []answeredPlate `json:"plates"`
	Unplaced []unplacedPart  `json:"unplaced"`
	Ignored  []string        `json:"ignored,omitempty"` // fields of the job that mean nothing here
}

type answeredPlate struct {
	HeightMM float64      `json:"height_mm"`
	Fill     float64      `json:"fill"`
	Placed   []placedPart `json:"placed"`
}

type placedPart struct {
	ID       string  `json:"id"`
	Copy     int     `json:"copy"`
	XMM      float64 `json:"x_mm"`
	YMM      float64 `json:"y_mm"`
	AngleDeg float64 `json:"angle_deg"`
}

type unplacedPart struct {
	ID     string `json:"id"`
	Copy   int    `json:"copy"`
	Reason string `json:"reason"`
}

// mostLaid and longestSearch bound what one job asks for.
const (
	mostLaid       = 2000
	longestSearchS = 600
)

func plateVerb() *cobra.Command {
	cmd := &cobra.Command{Use: "plate [--json] [--svg DIR] [--3mf DIR] JOB.json", Short: "Lay parts on as few and as quick plates as they take", Args: cobra.ExactArgs(1)}
	flags := addModelFlags(cmd)
	svg := cmd.Flags().String("svg", "", "write a drawing of each plate into this folder")
	threemf := cmd.Flags().String("3mf", "", "write each plate with its parts in place into this folder")
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		k, err := flags.scale()
		if err != nil {
			return err
		}
		var f failed
		job, ignored, err := readPlateJob(args[0])
		if err != nil {
			f.add(args[0], err)
			return &f
		}
		job.open(args[0], func(name string) (*mesh.Soup, error) { return open(name, k, flags.limits) }, &f)
		if err := f.or(); err != nil {
			return err
		}
		stop, cancel := signal.NotifyContext(cmd.Context(), os.Interrupt)
		defer cancel()
		plan, parts := job.search(stop)
		out := job.answer(plan, parts)
		out.Ignored = ignored
		for i, on := range plan.Plates {
			job.save(i, on, parts, *svg, *threemf, &f)
		}
		if err := f.or(); err != nil {
			return err
		}
		if *flags.json {
			return json.NewEncoder(cmd.OutOrStdout()).Encode(out)
		}
		return out.print(cmd.OutOrStdout())
	}
	return cmd
}

// readPlateJob reads a job and says what in it cannot be meant.
func readPlateJob(name string) (job plateJob, ignored []string, err error) {
	if ignored, err = readJSON(name, &job); err == nil {
		err = job.check()
	}
	return job, ignored, err
}

func (j plateJob) check() error {
	b, copies := j.Bed, 0
	length := func(mm, least float64) bool { return mm >= least && mm <= 10_000 }
	switch {
	case !length(b.WidthMM, 1) || !length(b.DepthMM, 1) || !length(b.HeightMM, 1):
		return errors.New("bed: width_mm, depth_mm and height_mm are between 1 and 10,000 mm")
	case !length(b.MarginMM, 0) || 2*b.MarginMM >= min(b.WidthMM, b.DepthMM):
		return errors.New("bed: its margin_mm leaves nothing of it")
	case !length(j.SpacingMM, 0):
		return errors.New("spacing_mm: between 0 and 10,000 mm")
	case !process.Known(j.Process):
		return fmt.Errorf("process %q: %s", j.Process, process.OrOf())
	case j.RotateStepDeg != 0 && !(j.RotateStepDeg >= 1 && j.RotateStepDeg <= 360):
		return errors.New("rotate_step_deg: 0, or between 1 and 360")
	case j.Seconds != nil && !(*j.Seconds >= 0 && *j.Seconds <= longestSearchS):
		return fmt.Errorf("seconds: between 0 and %d", longestSearchS)
	case len(j.Parts) == 0:
		return errors.New("parts: there are none")
	}
	for _, k := range b.KeepOut {
		if !length(k.WidthMM, 0) || !length(k.DepthMM, 0) || !length(math.Abs(k.XMM), 0) || !length(math.Abs(k.YMM), 0) {
			return errors.New("bed: a place of keep_out is not one")
		}
	}
	for i, p := range j.Parts {
		n := 1
		if p.Copies != nil {
			n = *p.Copies
		}
		if n < 0 || n > mostLaid {
			return fmt.Errorf("parts[%d]: copies are between 0 and %d", i, mostLaid)
		}
		if copies += n; copies > mostLaid {
			return fmt.Errorf("parts: more than %d together", mostLaid)
		}
		if p.File == "" {
			return fmt.Errorf("parts[%d]: say its file", i)
		}
	}
	return nil
}

// open reads the parts' files, each once.
func (j *plateJob) open(name string, read func(string) (*mesh.Soup, error), f *failed) {
	known := map[string]int{}
	for i, p := range j.Parts {
		file := beside(name, p.File)
		at, ok := known[file]
		if !ok {
			soup, err := read(file)
			if err == nil && soup.Len() == 0 {
				err = errors.New("there is nothing in it")
			}
			if err != nil {
				f.add(p.called(i), err)
				j.meshes, j.outlines = append(j.meshes, nil), append(j.outlines, nil)
				continue
			}
			known[file] = i
			m := soup.Weld()
			j.meshes, j.outlines = append(j.meshes, m), append(j.outlines, solid.SilhouetteOf(m, solid.Plan))
			continue
		}
		j.meshes, j.outlines = append(j.meshes, j.meshes[at]), append(j.outlines, j.outlines[at])
	}
}

func (p plateJobPart) called(i int) string {
	if p.ID != "" {
		return p.ID
	}
	return fmt.Sprintf("parts[%d]", i)
}

// A resin run takes so long by its tallest part, with the hands that change the plate: layers of
// 0.05 mm at 8 s. What a filament run takes is the sum of its parts, whatever the plate: there the
// number of plates counts. Source: from memory.
const (
	resinChangeMin = 16.0
	resinMinPerMM  = 8.0 / 0.05 / 60
)

// search lays the parts: a first plan, then better ones for as long as was asked for.
func (j plateJob) search(stop context.Context) (plate.Plan, []plateCopy) {
	job := plate.Job{SpacingMM: j.SpacingMM, StepDeg: j.RotateStepDeg, Die: rand.New(rand.NewPCG(j.Seed, 1)),
		Bed: plate.Bed{WidthMM: j.Bed.WidthMM, DepthMM: j.Bed.DepthMM, HeightMM: j.Bed.HeightMM, MarginMM: j.Bed.MarginMM}}
	for _, k := range j.Bed.KeepOut {
		job.Bed.KeepOut = append(job.Bed.KeepOut, plate.KeepOut{XMM: k.XMM, YMM: k.YMM, WidthMM: k.WidthMM, DepthMM: k.DepthMM})
	}
	if process.Of(j.Process).TallestSets {
		job.RunMin = func(on []plate.Part) float64 {
			tallest := 0.0
			for _, p := range on {
				tallest = max(tallest, p.HeightMM)
			}
			return resinChangeMin + tallest*resinMinPerMM
		}
	}
	var copies []plateCopy
	for i, p := range j.Parts {
		n := 1
		if p.Copies != nil {
			n = *p.Copies
		}
		box := j.meshes[i].Box
		for c := range n {
			job.Parts = append(job.Parts, plate.Part{ID: fmt.Sprint(len(copies)), Outline: j.outlines[i], HeightMM: box.Max.Z - box.Min.Z})
			copies = append(copies, plateCopy{i, c + 1})
		}
	}
	s, seconds := plate.NewSearch(job), 2.0
	if j.Seconds != nil {
		seconds = *j.Seconds
	}
	for end := time.Now().Add(time.Duration(seconds * float64(time.Second))); len(copies) > 0 && time.Now().Before(end) && stop.Err() == nil; {
		s.Step()
	}
	return s.Best(), copies
}

// plateCopy is which part of the job a laid one is, and which of its copies.
type plateCopy struct{ part, copy int }

func (j plateJob) answer(plan plate.Plan, copies []plateCopy) plateAnswer {
	out := plateAnswer{Plates: []answeredPlate{}, Unplaced: []unplacedPart{}}
	for _, on := range plan.Plates {
		var a answeredPlate
		for k, at := range on.Placed {
			c := copies[on.Parts[k]]
			box := j.meshes[c.part].Box
			a.HeightMM = max(a.HeightMM, box.Max.Z-box.Min.Z)
			a.Fill += j.outlines[c.part].AreaMM2() / (j.Bed.WidthMM * j.Bed.DepthMM)
			a.Placed = append(a.Placed, placedPart{j.Parts[c.part].called(c.part), c.copy, at.XMM, at.YMM, at.AngleDeg})
		}
		out.Plates = append(out.Plates, a)
	}
	for _, l := range plan.Left {
		var k int
		_, _ = fmt.Sscan(l.ID, &k) // its own number, as search gave it
		c := copies[k]
		out.Unplaced = append(out.Unplaced, unplacedPart{j.Parts[c.part].called(c.part), c.copy, l.Reason})
	}
	return out
}

// save writes a plate's drawing and its parts in place, where a folder was named.
func (j plateJob) save(i int, on plate.Plate, copies []plateCopy, svg, threemf string, f *failed) {
	bed := plate.Bed{WidthMM: j.Bed.WidthMM, DepthMM: j.Bed.DepthMM, HeightMM: j.Bed.HeightMM, MarginMM: j.Bed.MarginMM}
	var laid []plate.Laid
	objects := map[int]*mesh.Object{}
	var order []int
	for k, at := range on.Placed {
		c := copies[on.Parts[k]]
		m := j.meshes[c.part]
		laid = append(laid, plate.Laid{Part: plate.Part{ID: j.Parts[c.part].called(c.part), Outline: j.outlines[c.part], HeightMM: m.Box.Max.Z - m.Box.Min.Z}, Placed: at})
		if objects[c.part] == nil {
			objects[c.part] = &mesh.Object{Name: j.Parts[c.part].called(c.part), Soup: m.Soup("3mf")}
			order = append(order, c.part)
		}
		objects[c.part].Places = append(objects[c.part].Places, plate.StandsAt(j.outlines[c.part], m.Box.Min, at))
	}
	write := func(dir, name string, do func(io.Writer) error) {
		if dir == "" {
			return
		}
		err := os.MkdirAll(dir, 0o755)
		if err == nil {
			err = saveWith(filepath.Join(dir, name), do)
		}
		if err != nil {
			f.add(filepath.Join(dir, name), err)
		}
	}
	write(svg, fmt.Sprintf("plate-%d.svg", i+1), func(w io.Writer) error { return plate.WriteSVG(w, bed, fmt.Sprintf("plate %d", i+1), laid) })
	write(threemf, fmt.Sprintf("plate-%d.3mf", i+1), func(w io.Writer) error {
		var list []mesh.Object
		for _, k := range order {
			list = append(list, *objects[k])
		}
		return mesh.Write3MF(w, list)
	})
}

func (a plateAnswer) print(w io.Writer) error {
	for i, p := range a.Plates {
		if _, err := fmt.Fprintf(w, "plate %d: %s, %.0f mm tall, %.0f %% of the bed\n", i+1, studio.Say(len(p.Placed), "part"), p.HeightMM, 100*p.Fill); err != nil {
			return err
		}
	}
	for _, u := range a.Unplaced {
		fmt.Fprintf(w, "left: %s %d: %s\n", u.ID, u.Copy, u.Reason)
	}
	for _, field := range a.Ignored {
		fmt.Fprintf(w, "not understood and left out: %s\n", field)
	}
	return nil
}
