package finish

import (
	"math"
	"slices"

	"sakuji/core/process"
	"sakuji/core/route"
)

// Route is a finish route: how a print is made smooth. Practitioners disagree, so all of
// them can be priced for the same part. Source of routes and what they suit: common
// practice.
type Route struct {
	Key    string
	Name   string
	How    string
	Suits  string
	Before string  // what it is not for, or wants
	Ladder [][]int // P numbers, each run after what fills
	Thick  string  // the figure by which it thickens the part, on every face; empty: no more than coats do
	Steps  []Step
}

// grains are the FEPA P-scale's median grain sizes in µm. [published: ISO 6344]
var grains = map[int]float64{60: 269, 80: 201, 100: 162, 120: 125, 150: 100, 180: 82, 220: 68, 240: 58.5, 280: 52.2, 320: 46.2,
	360: 40.5, 400: 35, 500: 30.2, 600: 25.8, 800: 21.8, 1000: 18.3, 1200: 15.3, 1500: 12.6, 2000: 10.3}

// GrainUM is the median grain of a paper in µm, not a number for a P that is not made.
func GrainUM(p int) float64 {
	if um, ok := grains[p]; ok {
		return um
	}
	return math.NaN()
}

// Step is one stage of a finish route, with the figures of the rate book that it goes by.
type Step struct {
	Kind   route.StageKind
	Area   string  // minutes on a dm²; empty: none by area
	Times  float64 // of it: a second round touches only what a look sent back; 0 counts as 1
	Wait   string  // after it
	Coat   string  // what is sprayed, with its coats and the wait between them
	Use    string  // what is used up on a dm², and of what
	Of     string
	Detail bool // goes slower on what is finely worked
}

func (s Step) times() float64 {
	if s.Times == 0 {
		return 1
	}
	return s.Times
}

var (
	look   = Step{Kind: route.Look}
	primer = Step{Kind: route.Prime, Area: "prime.area", Wait: "prime.wait", Coat: "primer", Detail: false}
	filler = Step{Kind: route.Prime, Area: "filler.area", Wait: "filler.wait", Coat: "filler"}
)

func sand(by, paper string, times float64) Step {
	return Step{Kind: route.Sand, Area: by, Use: paper, Of: "paper", Times: times, Detail: true}
}

func fill(by, putty string, times float64) Step {
	return Step{Kind: route.Fill, Area: by, Wait: "fill.wait", Use: putty, Of: "putty", Times: times, Detail: true}
}

// again is the share of a first round that the next one touches; spots, of one that was done
// lightly. Two or three looks are normal. Source: common practice; the shares from memory.
const (
	again = 0.35
	spots = 0.15
)

// of is the step over a share of what it goes over the first time.
func (s Step) of(share float64) Step {
	s.Times = share
	return s
}

var finishRoutes = []Route{
	{Key: "putty", Name: "putty all over", How: "Thin putty rubbed over everything, P120 by power and by hand, filler primer, P180–P220, a second round, P320.",
		Suits:  "filament; hard edges, helmets and housings",
		Ladder: [][]int{{120}, {180, 220, 320}},
		Steps: []Step{fill("fill.filament", "putty.filament", 1), sand("sand.filament", "paper.filament", 1), filler, look,
			fill("fill.filament", "putty.filament", again), sand("sand.primer", "paper.primer", 1), primer, look}},
	{Key: "skin", Name: "brushed resin skin", How: "UV resin brushed over everything and cured, P60–P80 by power, filler primer, spot putty, P180, filler primer, P320.",
		Suits: "large plain surfaces", Before: "It runs into fine detail and fills it, and sets very hard.", Thick: "skin.thick",
		Ladder: [][]int{{60, 80}, {180, 320}},
		Steps: []Step{{Kind: route.Skin, Area: "skin.area", Wait: "skin.wait", Use: "skin.use", Of: "skin"}, sand("sand.skin", "paper.skin", 1), filler,
			look, fill("fill.resin", "putty.resin", 1), sand("sand.primer", "paper.primer", 1), filler, look}},
	{Key: "primer", Name: "filler primer only", How: "A light sanding, filler primer in light coats, sanded, once more.",
		Suits:  "shallow lines, hidden sides",
		Ladder: [][]int{{220}, {180, 320}},
		Steps:  []Step{sand("sand.primer", "paper.primer", 1), filler, look, sand("sand.primer", "paper.primer", 1), filler, look}},
	{Key: "light", Name: "light sand", How: "Spots filled; P220, P320, P400; primer; what the look finds is filled and sanded once more.",
		Suits:  "resin prints",
		Ladder: [][]int{{220, 320, 400}},
		Steps: []Step{fill("fill.resin", "putty.resin", 1), sand("sand.resin", "paper.resin", 1), primer, look,
			fill("fill.resin", "putty.resin", spots), sand("sand.resin", "paper.resin", spots), primer.of(spots), look}},
	{Key: "gaps", Name: "gaps only", How: "Bare print sanded dry, then wet; putty in gaps and spots; sanded; grey primer.",
		Suits:  "filament that printed well",
		Ladder: [][]int{{180, 240}, {320}},
		Steps: []Step{sand("sand.gaps", "paper.gaps", 1), fill("fill.gaps", "putty.gaps", 1), sand("sand.primer", "paper.primer", again), primer, look,
			fill("fill.gaps", "putty.gaps", spots), sand("sand.primer", "paper.primer", spots), primer.of(spots), look}},
	{Key: "texture", Name: "texture hides it", How: "Glued sand, plaster or paint over joints and lines, one coat to tone it together again.",
		Suits: "bases, terrain, rough props",
		Steps: []Step{{Kind: route.Texture, Area: "texture.area", Wait: "texture.wait", Use: "texture.use", Of: "texture"}, primer, look}},
	{Key: "over", Name: "paint over filler", How: "Filler brushed on; no sanding, no primer.",
		Suits: "terrain seen from afar",
		Steps: []Step{fill("fill.over", "putty.over", 1)}},
	{Key: "printed", Name: "as printed", How: "Nothing.",
		Suits: "small resin parts, terrain, textures"},
	{Key: "scars", Name: "scars only", How: "Support scars and edges dressed with a blade and P220, P320, P400; nothing else is touched.",
		Suits:  "prints in a coloured material that are left unpainted",
		Ladder: [][]int{{220, 320, 400}},
		Steps:  []Step{sand("sand.resin", "paper.resin", spots), look}},
	{Key: "clay", Name: "clay skin", How: "Covered with air-dry clay; texture, cracks and bone modelled; sealed.",
		Suits: "organic creatures; layer lines left as grip", Thick: "clay.thick",
		Steps: []Step{{Kind: route.Clay, Area: "clay.area", Wait: "clay.wait", Use: "clay.use", Of: "clay"}, primer, look}},
}

// Routes returns all finish routes.
func Routes() []Route { return slices.Clone(finishRoutes) }

// RouteOf returns the finish route of a key.
func RouteOf(key string) (Route, bool) {
	at := slices.IndexFunc(finishRoutes, func(s Route) bool { return s.Key == key })
	if at < 0 {
		return Route{}, false
	}
	return finishRoutes[at], true
}

// Usual is the finish route that a house begins with, for a process and tier.
func Usual(processName, tier string) string {
	switch {
	case tier == route.Raw || tier == route.FileOnly:
		return "printed"
	case tier == route.Coloured:
		return "scars"
	case processName == process.Resin:
		return "light"
	}
	return "putty"
}

// Smooth lists the kinds of the finish route's steps.
func (s Route) Smooth() (kinds []route.StageKind) {
	for _, st := range s.Steps {
		kinds = append(kinds, st.Kind)
	}
	return kinds
}
