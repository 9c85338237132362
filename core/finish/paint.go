package finish

import (
	"math"

	"sakuji/core/rates"
	"sakuji/core/route"
)

// What lays colour on.
const (
	Brush    = "brush"
	Airbrush = "airbrush"
	Can      = "can"
)

// sprayed are the rates of laying colour with tools that spray; a tool that is not in it does not lay that.
var sprayed = map[route.StageKind]map[string]rates.Key{
	route.Base:  {Airbrush: "base.airbrush", Can: "base.can"},
	route.Shade: {Airbrush: "shade.airbrush"},
}

// colour adds laying base coats, or shades, with the tool that is quickest for the part:
// area prices spraying, and what is brushed goes the quicker the more even area a brush has
// before it. Sprayed colours are masked where they meet, and the tool is cleaned between
// them. Source: common practice; the minutes are the book's.
func (s *sum) colour(p Part, kind route.StageKind) {
	b, area := s.book, p.faces(kind)
	colours := p.Features.colours(b)
	even := rates.Of("even area of a colour", area.Value/colours, "dm²", rates.Derived)
	detail, w := p.Detail(b)
	wide := math.Pow(b.V("brush.wider")/100, math.Log2(max(0.01, even.Value)/b.V("brush.even")))
	key := string(kind)
	best := sum{minutes: area.Value * b.V(rates.K(key, "area")) * wide * detail, tool: Brush,
		formula: "area × speed × breadth of the brush × detail",
		inputs: []rates.Figure{area, even, b.Get(rates.K(key, "area")), b.Get("brush.even"), b.Get("brush.wider"),
			rates.Of("breadth of the brush", wide, "×", rates.Derived), w.Result}}
	for _, tool := range []string{Airbrush, Can} {
		speed := sprayed[kind][tool]
		if speed == "" || even.Value < b.V(rates.K(tool, "least")) {
			continue
		}
		seam := 2 * math.Sqrt(math.Pi*even.Value) * (colours - 1) // dm, around all colours but the last
		one := sum{tool: tool, minutes: area.Value * b.V(speed), session: colours * b.V(rates.K(tool, "colour")),
			formula: "area × speed of the " + tool,
			inputs: []rates.Figure{area, even, b.Get(rates.K(tool, "least")), b.Get(speed),
				rates.Of("colours", colours, "colours", rates.Ours), b.Get(rates.K(tool, "colour"))}}
		if kind == route.Base {
			one.minutes += seam * b.V("mask.edge")
			one.formula += " + edges between colours × masking"
			one.inputs = append(one.inputs, rates.Of("edges between colours", seam, "dm", rates.Derived), b.Get("mask.edge"))
		}
		if one.minutes+one.session < best.minutes {
			best = one
		}
	}
	s.add(best.formula, best.minutes, best.inputs...)
	s.session, s.tool = best.session, best.tool
}

// colours are those of the part's scheme.
func (f Features) colours(b rates.Book) float64 {
	if f.Colours > 0 {
		return float64(f.Colours)
	}
	return b.V("paint.colours")
}
