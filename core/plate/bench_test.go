package plate

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"os"
	"os/exec"
	"strings"
	"testing"
	"time"

	"sakuji/core/solid"
)

// shapes are n part outlines as a studio prints them, from a seed: figures with arms, crescents,
// angle pieces, rings, wings, each at its own size; concave, all of them.
func shapes(n int) (out []Part) {
	r := rand.New(rand.NewPCG(200, 1))
	for k := range n {
		size := 18 + 34*r.Float64()
		var o solid.Outline
		switch k % 5 {
		case 0: // a figure with its arms out
			var ring []solid.Point
			for i := range 48 {
				a := 2 * math.Pi * float64(i) / 48
				d := size / 2 * (0.45 + 0.55*math.Pow(math.Abs(math.Cos(2*a)), 3))
				ring = append(ring, solid.Point{X: d * math.Cos(a), Y: 0.7 * d * math.Sin(a)})
			}
			o = solid.Outline{ring}
		case 1: // a crescent
			var ring []solid.Point
			for i := range 25 {
				a := math.Pi * (float64(i)/24*1.3 - 0.15)
				ring = append(ring, solid.Point{X: size * math.Cos(a), Y: size * math.Sin(a)})
			}
			for i := range 25 {
				a := math.Pi * (float64(24-i)/24*1.3 - 0.15)
				ring = append(ring, solid.Point{X: 0.72 * size * math.Cos(a), Y: 0.72*size*math.Sin(a) - 0.04*size})
			}
			o = solid.Outline{ring}
		case 2:
			o = ell(size, size*(0.2+0.15*r.Float64()))
		case 3:
			o = ring(size, size*0.16)
		default: // a wing
			o = solid.Outline{{{X: 0, Y: 0}, {X: size * 1.3, Y: size * 0.2}, {X: size, Y: size * 0.45}, {X: size * 0.5, Y: size * 0.4}, {X: size * 0.25, Y: size}, {X: 0, Y: size * 0.8}}}
		}
		low, _ := o.Size()
		o = o.Each(func(p solid.Point) solid.Point { return solid.Point{X: p.X - low.X, Y: p.Y - low.Y} })
		out = append(out, Part{ID: fmt.Sprint(k), Outline: o, HeightMM: 10 + 90*r.Float64()})
	}
	return out
}

var benchBeds = []Bed{{WidthMM: 218, DepthMM: 123, HeightMM: 260, MarginMM: 4}, {WidthMM: 256, DepthMM: 256, HeightMM: 256, MarginMM: 5}}

// BenchmarkFirst is the time to a complete plan of 200 parts, and what it comes to; BenchmarkSecond
// what a further second makes of it.
func BenchmarkFirst(b *testing.B) {
	for _, bed := range benchBeds {
		b.Run(fmt.Sprintf("%.0fx%.0f", bed.WidthMM, bed.DepthMM), func(b *testing.B) {
			job := Job{Bed: bed, SpacingMM: 3, StepDeg: 15, RunMin: resin, Die: die(1), Parts: shapes(200)}
			var s *Search
			for b.Loop() {
				s = NewSearch(job)
			}
			report(b, job, s.Best())
		})
	}
}

func BenchmarkSeconds(b *testing.B) {
	for _, bed := range benchBeds {
		for _, run := range []struct {
			what string
			cost func([]Part) float64
		}{{"hours", resin}, {"plates", nil}} {
			b.Run(fmt.Sprintf("%.0fx%.0f/%s", bed.WidthMM, bed.DepthMM, run.what), func(b *testing.B) {
				job := Job{Bed: bed, SpacingMM: 3, StepDeg: 15, RunMin: run.cost, Die: die(1), Parts: shapes(200)}
				s := NewSearch(job)
				for b.Loop() {
					s = NewSearch(job)
					for end := time.Now().Add(3 * time.Second); time.Now().Before(end); {
						s.Step()
					}
				}
				report(b, job, s.Best())
				b.ReportMetric(float64(s.Tries()), "tries")
			})
		}
	}
}

func report(b *testing.B, job Job, p Plan) {
	b.ReportMetric(float64(len(p.Plates)), "plates")
	b.ReportMetric(p.Minutes/60, "h")
	area := 0.0
	for _, part := range job.Parts {
		area += part.Outline.AreaMM2()
	}
	b.ReportMetric(100*area/(job.Bed.WidthMM*job.Bed.DepthMM*float64(len(p.Plates))), "%filled")
}

// BenchmarkAgainst lays the same 200 outlines with a packer of rectangles and with libnest2d, each
// let run to its end, beside our own after a second. `make bench` builds what it needs.
func BenchmarkAgainst(b *testing.B) {
	for _, bed := range benchBeds {
		b.Run(fmt.Sprintf("%.0fx%.0f", bed.WidthMM, bed.DepthMM), func(b *testing.B) {
			job := Job{Bed: bed, SpacingMM: 3, StepDeg: 15, Die: die(1), Parts: shapes(200)}
			in := fmt.Sprintln(bed.WidthMM-2*bed.MarginMM, bed.DepthMM-2*bed.MarginMM, 3, 0)
			for _, p := range job.Parts {
				in += fmt.Sprint(len(p.Outline[0]))
				for _, q := range p.Outline[0] {
					in += fmt.Sprintf(" %.4f %.4f", q.X, q.Y)
				}
				in += "\n"
			}
			var s *Search
			for b.Loop() {
				s = NewSearch(job)
				for end := time.Now().Add(time.Second); time.Now().Before(end); {
					s.Step()
				}
			}
			b.ReportMetric(float64(len(s.Best().Plates)), "plates")
			var rects, nests, left int
			var seconds, filled float64
			against(b, in, "node", "testdata/against/rects.mjs")(&rects)
			against(b, in, os.Getenv("SAKUJI_NEST"))(&nests, &seconds, &filled, &left)
			b.ReportMetric(float64(rects), "plates_of_rectangles")
			b.ReportMetric(float64(nests), "plates_of_libnest2d")
			b.ReportMetric(seconds, "s_of_libnest2d")
		})
	}
}

// against runs another packer and reads the numbers that it says.
func against(b *testing.B, in, name string, args ...string) func(to ...any) {
	if name == "" {
		return func(...any) {}
	}
	c := exec.Command(name, args...)
	c.Stdin = strings.NewReader(in)
	out, err := c.Output()
	if err != nil {
		b.Fatal(err)
	}
	return func(to ...any) {
		if _, err := fmt.Fscan(bytes.NewReader(out), to...); err != nil {
			b.Fatal(err)
		}
	}
}

// BenchmarkCheck measures 10,000 checks of one part among 60 others, as while it is dragged.
func BenchmarkCheck(b *testing.B) {
	job := Job{Bed: benchBeds[1], SpacingMM: 3, StepDeg: 90, Parts: shapes(60)}
	on := laid(job.Parts, NewSearch(job).Best().Plates[0].Placed)
	around, o, near := NewAround(job.SpacingMM, on[1:]), on[0].Part.Outline, 0
	for b.Loop() {
		near = 0
		for k := range 10_000 {
			if around.Near(o, solid.Point{X: float64(2 * (k % 100)), Y: float64(2 * (k / 100))}, on[0].SkirtMM) {
				near++
			}
		}
	}
	b.ReportMetric(float64(len(on)), "parts")
	b.ReportMetric(float64(near), "near_of_10000")
}
