package finish

import (
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"sync"

	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// Route is a finish route with its steps: how a print is made smooth. Practitioners disagree, so
// all of them can be priced for the same part, and a studio adds its own.
type Route struct {
	rates.FinishRoute
	Steps []Step
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
	Area   rates.Key // minutes on a dm²; empty: none by area
	Times  float64   // of it: a second round touches only what a look sent back; 0 counts as 1
	Wait   rates.Key // after it
	Coat   string    // what is sprayed, with its coats and the wait between them
	Use    rates.Key // what is used up on a dm², and of what
	Of     string
	Papers []int // P numbers, of a sanding
	Detail bool  // goes slower on what is finely worked
}

func (s Step) times() float64 {
	if s.Times == 0 {
		return 1
	}
	return s.Times
}

// steps are what a finish route is written in, by name.
var steps = map[string]Step{
	"putty all over":    {Kind: route.Fill, Area: "fill.filament", Wait: "fill.wait", Use: "putty.filament", Of: "putty", Detail: true},
	"spot putty":        {Kind: route.Fill, Area: "fill.resin", Wait: "fill.wait", Use: "putty.resin", Of: "putty", Detail: true},
	"putty in gaps":     {Kind: route.Fill, Area: "fill.gaps", Wait: "fill.wait", Use: "putty.gaps", Of: "putty", Detail: true},
	"filler brushed on": {Kind: route.Fill, Area: "fill.over", Wait: "fill.wait", Use: "putty.over", Of: "putty", Detail: true},
	"sand putty":        {Kind: route.Sand, Area: "sand.filament", Use: "paper.filament", Of: "paper", Detail: true},
	"sand resin":        {Kind: route.Sand, Area: "sand.resin", Use: "paper.resin", Of: "paper", Detail: true},
	"sand bare":         {Kind: route.Sand, Area: "sand.gaps", Use: "paper.gaps", Of: "paper", Detail: true},
	"sand skin":         {Kind: route.Sand, Area: "sand.skin", Use: "paper.skin", Of: "paper", Detail: true},
	"sand primer":       {Kind: route.Sand, Area: "sand.primer", Use: "paper.primer", Of: "paper", Detail: true},
	"filler primer":     {Kind: route.Prime, Area: "filler.area", Wait: "filler.wait", Coat: "filler"},
	"primer":            {Kind: route.Prime, Area: "prime.area", Wait: "prime.wait", Coat: "primer"},
	"look":              {Kind: route.Look},
	"resin skin":        {Kind: route.Skin, Area: "skin.area", Wait: "skin.wait", Use: "skin.use", Of: "skin"},
	"texture":           {Kind: route.Texture, Area: "texture.area", Wait: "texture.wait", Use: "texture.use", Of: "texture"},
	"clay skin":         {Kind: route.Clay, Area: "clay.area", Wait: "clay.wait", Use: "clay.use", Of: "clay"},
}

// StepNames lists what a finish route can be written in.
func StepNames() (names []string) {
	for name := range steps {
		names = append(names, name)
	}
	slices.Sort(names)
	return names
}

// MostSteps is how many a finish route has at most.
const MostSteps = 40

// Read reads a finish route as the book writes it. Its error names the step and says what is wrong
// with it, or what may not follow what.
func Read(text rates.FinishRoute) (Route, error) {
	r := Route{FinishRoute: text}
	if text.Thick != "" && !rates.Starting().Has(text.Thick) {
		return r, fmt.Errorf("%s thickens by %q, and no rate is called that", text.Name, text.Thick)
	}
	if len(text.Steps) > MostSteps {
		return r, fmt.Errorf("%s has %d steps; %d at most", text.Name, len(text.Steps), MostSteps)
	}
	for i, line := range text.Steps {
		s, err := step(line)
		if err != nil {
			return r, fmt.Errorf("step %d, %q: %w", i+1, line, err)
		}
		r.Steps = append(r.Steps, s)
	}
	if at, err := route.MaySmooth(r.Smooth()); err != nil {
		return r, fmt.Errorf("step %d, %q: %w", at+1, text.Steps[at], err)
	}
	last := 0
	for i, s := range r.Steps {
		switch {
		case fills(s):
			last = 0 // the ladder begins again
		case s.Kind == route.Sand && len(s.Papers) > 0:
			if last > 0 && s.Papers[0] > 2*last {
				return r, fmt.Errorf("step %d, %q: from P%d to P%d is more than double; scratches stay", i+1, text.Steps[i], last, s.Papers[0])
			}
			last = s.Papers[len(s.Papers)-1]
		}
	}
	return r, nil
}

// fills reports whether a step fills what a finer paper left: the ladder begins again after it.
func fills(s Step) bool {
	return s.Kind == route.Fill || s.Kind == route.Skin || s.Kind == route.Clay || s.Kind == route.Prime
}

// step reads one: a name, its papers in the order of their numbers, a share.
func step(line string) (Step, error) {
	words := strings.Fields(strings.ReplaceAll(line, "%", " % "))
	name := 0
	for name < len(words) && !(words[name][0] >= '0' && words[name][0] <= '9') && !isPaper(words[name]) {
		name++
	}
	s, known := steps[strings.ToLower(strings.Join(words[:name], " "))]
	if !known {
		return s, fmt.Errorf("there is no such step; there are %s", strings.Join(StepNames(), ", "))
	}
	rest := words[name:]
	for len(rest) > 0 && isPaper(rest[0]) {
		p, _ := strconv.Atoi(rest[0][1:])
		switch _, made := grains[p]; {
		case s.Kind != route.Sand:
			return s, fmt.Errorf("only sanding takes papers")
		case !made:
			return s, fmt.Errorf("there is no P%d", p)
		case len(s.Papers) > 0 && p <= s.Papers[len(s.Papers)-1]:
			return s, fmt.Errorf("papers go from coarse to fine")
		case len(s.Papers) > 0 && p > 2*s.Papers[len(s.Papers)-1]:
			return s, fmt.Errorf("from P%d to P%d is more than double; scratches stay", s.Papers[len(s.Papers)-1], p)
		}
		s.Papers, rest = append(s.Papers, p), rest[1:]
	}
	if s.Kind == route.Sand && len(s.Papers) == 0 {
		return s, fmt.Errorf("say with which papers: P220 P320")
	}
	if len(rest) == 0 {
		return s, nil
	}
	share, err := strconv.ParseFloat(rest[0], 64)
	if err != nil || len(rest) != 2 || rest[1] != "%" || !(share > 0 && share <= 100) {
		return s, fmt.Errorf("%q is no share of the surface, such as 15 %%", strings.Join(rest, " "))
	}
	s.Times = share / 100
	return s, nil
}

func isPaper(word string) bool {
	_, err := strconv.Atoi(word[1:])
	return (word[0] == 'P' || word[0] == 'p') && len(word) > 1 && err == nil
}

// Routes returns the finish routes of a book, those that cannot be read left out.
func Routes(b rates.Book) (out []Route) {
	for _, text := range b.Routes {
		if r, err := Read(text); err == nil {
			out = append(out, r)
		}
	}
	return out
}

// starting are the finish routes of the starting book.
var starting = sync.OnceValue(func() []Route { return Routes(rates.Starting()) })

// RouteOf returns the finish route of a key in a book.
func RouteOf(b rates.Book, key string) (Route, bool) {
	at := slices.IndexFunc(b.Routes, func(r rates.FinishRoute) bool { return r.Key == key })
	if at < 0 {
		return Route{}, false
	}
	r, err := Read(b.Routes[at])
	return r, err == nil
}

// OwnRoute begins the keys of a studio's own finish routes; what follows is its name.
const OwnRoute = "own: "

// RouteName is what a finish route is called, by its key.
func RouteName(key string) string {
	if name, own := strings.CutPrefix(key, OwnRoute); own {
		return name
	}
	for _, r := range starting() {
		if r.Key == key {
			return r.Name
		}
	}
	return ""
}

// Usual is the finish route that a house begins with, for a process and tier.
func Usual(processName, tier string) string {
	switch {
	case tier == route.Raw || tier == route.FileOnly:
		return "printed"
	case tier == route.Coloured:
		return "scars"
	}
	return process.Of(processName).Smooth
}

// Smooth lists the kinds of the finish route's steps.
func (s Route) Smooth() (kinds []route.StageKind) {
	for _, st := range s.Steps {
		kinds = append(kinds, st.Kind)
	}
	return kinds
}
