package studio

import (
	"cmp"
	"errors"
	"fmt"
	"math"

	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Rules by which a size is set.
const (
	ByRatio  = "ratio"  // so many times the file
	ByScale  = "scale"  // 1:n of something of a real height
	ByHeight = "height" // a finished height
	ByBase   = "base"   // a base's diameter
	ByHead   = "head"   // a wearer's head
	ByGirth  = "girth"  // round a forearm, a calf or a chest
)

// SizeRule says how an item's size was set. Lengths are millimetres; those a rule
// does not use are 0.
type SizeRule struct {
	By      string  `json:"by,omitempty"`
	Ratio   float64 `json:"ratio,omitempty"`
	OneTo   float64 `json:"one_to,omitempty"`  // the n of 1:n
	Real    float64 `json:"real,omitempty"`    // height of the real thing
	Height  float64 `json:"height,omitempty"`  // finished
	Base    float64 `json:"base,omitempty"`    // diameter
	Round   float64 `json:"round,omitempty"`   // circumference of head or limb
	Length  float64 `json:"length,omitempty"`  // of the head, front to back
	Breadth float64 `json:"breadth,omitempty"` // of the head, ear to ear
	Padding float64 `json:"padding,omitempty"` // on every side
	InsideL float64 `json:"inside_l,omitempty"`
	InsideB float64 `json:"inside_b,omitempty"` // the file's inside, length and breadth
}

// Worn reports whether the size was set for a wearer.
func (r SizeRule) Worn() bool { return r.By == ByHead || r.By == ByGirth }

// Inside proposes how wide a worn piece is inside: its plan less the wall on either
// side.
func Inside(m Model, wallMM float64) (lengthMM, breadthMM float64) {
	d := m.Measures.SizeMM
	return max(0, max(d[0], d[1])-2*wallMM), max(0, min(d[0], d[1])-2*wallMM)
}

// BaseMM is how wide the model stands: the circle of the area that lies on the plate,
// or the wider side of its plan where nothing lies flat.
func (m Model) BaseMM() float64 {
	if a := m.Shape.Overhang.FootprintMM2; a > 0 {
		return 2 * math.Sqrt(a/math.Pi)
	}
	return max(m.Measures.SizeMM[0], m.Measures.SizeMM[1])
}

// EllipseMM is the way round an oval [published: Ramanujan, Modular equations and
// approximations to π, 1914; within a ten-thousandth for the shape of a head].
func EllipseMM(length, breadth float64) float64 {
	a, b := length/2, breadth/2
	return math.Pi * (3*(a+b) - math.Sqrt((3*a+b)*(a+3*b)))
}

// Scale works out the ratio to the file, and how.
func (r SizeRule) Scale(m Model) (k float64, w rates.Working, err error) {
	fig := func(label string, mm float64, source string) rates.Figure { return rates.Of(label, mm, "mm", source) }
	var wrong rates.Invalid
	switch r.By {
	case ByRatio:
		wrong.Need(r.Ratio > 0, "ratio", "say how many times the file’s size")
		k = r.Ratio
		w = rates.Working{Formula: "as asked", Inputs: []rates.Figure{rates.Of("ratio", r.Ratio, "×", rates.Ours)}}
	case ByScale:
		wrong.Need(r.OneTo > 0, "one_to", "say the scale, as the n of 1:n")
		wrong.Need(r.Real > 0, "real", "say how tall the real thing is")
		h := m.Measures.SizeMM[2]
		k = r.Real / r.OneTo / h
		w = rates.Working{Formula: "real height ÷ n ÷ height of the file",
			Inputs: []rates.Figure{fig("real height", r.Real, rates.Ours), rates.Of("n of 1:n", r.OneTo, "", rates.Ours), fig("height of the file", h, rates.Mesh)}}
	case ByHeight:
		wrong.Need(r.Height > 0, "height", "say the finished height")
		h := m.Measures.SizeMM[2]
		k = r.Height / h
		w = rates.Working{Formula: "finished height ÷ height of the file", Inputs: []rates.Figure{fig("finished height", r.Height, rates.Ours), fig("height of the file", h, rates.Mesh)}}
	case ByBase:
		wrong.Need(r.Base > 0, "base", "say the base’s diameter")
		b := m.BaseMM()
		k = r.Base / b
		w = rates.Working{Formula: "base ÷ how wide the file stands", Inputs: []rates.Figure{fig("base", r.Base, rates.Ours), fig("how wide it stands, as a circle", b, rates.Mesh)}}
	case ByHead, ByGirth:
		return r.worn()
	default:
		wrong.Need(false, "by", "choose how the size is set")
	}
	if err = wrong.Err(); err == nil && !(k > 0 && !math.IsInf(k, 0)) {
		err = errors.New("the file is flat that way: nothing can be measured by it")
	}
	w.Result = rates.Of("times the file’s size", k, "×", rates.Derived)
	return k, w, err
}

// worn fits a wearer: the way round first, then length and breadth where they were
// taken, each with padding; the largest holds, for what is too wide can be lined.
func (r SizeRule) worn() (k float64, w rates.Working, err error) {
	var wrong rates.Invalid
	wrong.Need(r.Round > 0 || r.Length > 0 && r.Breadth > 0, "round", "measure the wearer: the circumference, or length and breadth")
	wrong.Need(r.InsideL > 0, "inside_l", "say how long the file is inside")
	wrong.Need(r.InsideB > 0, "inside_b", "say how broad the file is inside")
	if err := wrong.Err(); err != nil {
		return 0, w, err
	}
	round := EllipseMM(r.InsideL, r.InsideB)
	w.Formula = "(circumference + 2π × padding) ÷ circumference of the inside of the file"
	if r.Round > 0 {
		k = (r.Round + 2*math.Pi*r.Padding) / round
		w.Inputs = append(w.Inputs, rates.Of("circumference of the wearer", r.Round, "mm", rates.Ours))
	}
	if r.By == ByHead && r.Length > 0 && r.Breadth > 0 {
		w.Formula += "; (length + 2 × padding) ÷ inside length; the same for breadth; the largest holds"
		k = max(k, (r.Length+2*r.Padding)/r.InsideL, (r.Breadth+2*r.Padding)/r.InsideB)
		w.Inputs = append(w.Inputs, rates.Of("length of the head", r.Length, "mm", rates.Ours), rates.Of("breadth of the head", r.Breadth, "mm", rates.Ours))
	}
	w.Inputs = append(w.Inputs, rates.Of("padding on every side", r.Padding, "mm", rates.Ours), rates.Of("inside of the file, length", r.InsideL, "mm", rates.Mesh),
		rates.Of("inside of the file, breadth", r.InsideB, "mm", rates.Mesh), rates.Of("its circumference", round, "mm", rates.Derived))
	w.Result = rates.Of("times the file’s size", k, "×", rates.Derived)
	return k, w, nil
}

// Text says the rule in a few words.
func (r SizeRule) Text() string {
	n := rates.Number
	switch r.By {
	case ByScale:
		return "1:" + n(r.OneTo) + " of " + n(r.Real/1000) + " m"
	case ByHeight:
		return n(r.Height) + " mm tall"
	case ByBase:
		return "for a base of " + n(r.Base) + " mm"
	case ByHead:
		return "for a head of " + n(cmp.Or(r.Round, EllipseMM(r.Length, r.Breadth))/10) + " cm"
	case ByGirth:
		return "for a girth of " + n(r.Round/10) + " cm"
	}
	return ""
}

// Enlarged is the ratio to the file beyond which detail goes soft. Source: common
// practice.
const Enlarged = 3.0

// FinestMM is the least detail that can be painted. Source: from memory.
const FinestMM = 0.3

// SizeCautions says what a size asks of a model: soft detail, walls too thin for the
// process, clearances that went with the scale. Walls is nil until they are measured.
func (h Shop) SizeCautions(m Model, analysis *Analysis, k float64, processName string, joins bool) (out []string) {
	if k > Enlarged {
		out = append(out, fmt.Sprintf("%s times the file’s size: detail turns soft and walls turn solid. Resculpt it, hollow it again, or accept it.", rates.Number(k)))
	}
	kind := process.Of(processName)
	least := h.Book.V(kind.LeastWall)
	if analysis != nil && analysis.Walls.FacetsSeen > 0 {
		if t := analysis.Walls.ThinnestMM * k; t < least {
			text := fmt.Sprintf("Its thinnest wall comes to %.2g mm; %s wants %s mm.", t, processName, rates.Number(least))
			if share := analysis.Walls.Share1MM * k; share >= least {
				text += " Under a hundredth of its surface is that thin."
			} else if analysis.Walls.Share10MM*k < least {
				text += " So is more than a tenth of its surface."
			}
			out = append(out, text)
		}
		if t := analysis.Walls.Share1MM * k; t < FinestMM {
			out = append(out, fmt.Sprintf("A hundredth of its surface and more is detail of %.2g mm and less; under %s mm no brush paints it. Print it larger, or leave it in the colour of what it stands on.", t, rates.Number(FinestMM)))
		}
	}
	if joins && math.Abs(k-1) > 0.005 {
		low, high := kind.ClearanceMM[0], kind.ClearanceMM[1]
		out = append(out, fmt.Sprintf("Plugs and sockets scale, their clearance must not: %s–%s mm in the file becomes %s–%s mm. Cut or sand the fits again.",
			rates.Number(low), rates.Number(high), rates.Number(low*k), rates.Number(high*k)))
	}
	return out
}

// Thickens says what a skin adds to a part: to its envelope, and to what plugs together.
func (h Shop) Thickens(it Item, p Part, joins bool) []string {
	fp := h.finishPart(p.Model, p, it)
	r := fp.FinishRoute()
	if r.Thick == "" || !route.Smoothed(it.Tier) || p.Unseen() {
		return nil
	}
	mm, size := h.Book.V(r.Thick), p.Model.Measures.SizeMM
	for k := range size {
		size[k] = size[k]*it.Scale + 2*mm
	}
	s := fmt.Sprintf("The %s adds %s mm on every face: finished it is %.0f × %.0f × %.0f mm.", r.Name, rates.Number(mm), size[0], size[1], size[2])
	if joins {
		s += fmt.Sprintf(" Leave %s mm for it between what plugs together, or mask that.", rates.Number(2*mm))
	}
	return []string{s}
}

// ScaleOf works the rule out for an item: by the whole of it, or by its tallest part, and only to a
// size that is taken.
func (r SizeRule) ScaleOf(it Item) (k float64, w rates.Working, err error) {
	k, w, err = r.Scale(it.Sized())
	if err == nil && (k < MinScale || k > MaxScale) {
		err = fmt.Errorf("that comes to %s times the file’s size; between 0.01 and 100 times is taken", rates.Number(k))
	}
	return k, w, err
}

// Sized is the model that an item's size is measured by: its tallest part, as large as the whole
// where its parts lie in one file as they belong.
func (i Item) Sized() (m Model) {
	for k, p := range i.Parts {
		if k == 0 || p.Model.Measures.SizeMM[2] > m.Measures.SizeMM[2] {
			m = p.Model
		}
	}
	if whole, _, ok := i.Envelope(); ok {
		m.Measures.SizeMM = whole
	}
	return m
}

// Envelope is the box of an item's parts together, in millimetres of their file, and of those that
// do not come off again; ok is false where the parts do not lie in one file. Dowels lie within.
func (i Item) Envelope() (whole, fixed [3]float64, ok bool) {
	all, kept := mesh.EmptyBox(), mesh.EmptyBox()
	var first *Model
	for _, p := range i.Parts {
		if p.Unseen() {
			continue
		}
		box, known := fileBox(p.Model)
		if first == nil {
			first = &p.Model
		}
		if !known || len(i.Parts) < 2 || !sameFile(*first, p.Model) {
			return whole, fixed, false
		}
		all.Add(box.Min)
		all.Add(box.Max)
		if when, _ := i.JoinOf(p); when != JoinLoose {
			kept.Add(box.Min)
			kept.Add(box.Max)
		}
	}
	return sides(all), sides(kept), first != nil
}

// sides are the lengths of a box.
func sides(b mesh.Box) [3]float64 {
	d := b.Max.Sub(b.Min)
	return [3]float64{d.X, d.Y, d.Z}
}
