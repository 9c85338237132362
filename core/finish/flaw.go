package finish

import (
	"slices"

	"sakuji/core/process"
	"sakuji/core/route"
)

// Flaw is a thing that goes wrong under hands, as prints do on machines: what it comes from, how it is put right, and what
// still to come would hide it. Source of the list, the causes and the remedies: common practice.
type Flaw struct {
	Key      string
	Name     string
	Found    []route.StageKind // where it shows; none: anywhere
	Causes   []Cause           // the likeliest first
	Back     []route.StageKind // where it is put right from, the first of them that the piece has been through: of coats, the one on top
	HiddenBy []route.StageKind // what still to come hides it
	OfCoats  bool              // it comes of what lies on what: the pair is remembered
}

// Cause is why, what to do about it now, and what to do otherwise the next time.
type Cause struct {
	Text   string
	Remedy string
	Next   string
}

// OtherFlaw is the key of one that is not in the list.
const OtherFlaw = "other"

var (
	ofSmoothing = []route.StageKind{route.RemoveSupports, route.Skin, route.Clay, route.Fill, route.Sand, route.Prime, route.Look, route.DryFit}
	ofPainting  = []route.StageKind{route.Prime, route.Base, route.Mask, route.Spray, route.Pull, route.Shade, route.Light, route.Detail, route.Weather, route.Clear, route.Look, route.JoinAfter, route.Fit, route.Pack}
	covers      = []route.StageKind{route.Texture, route.Clay}
	wears       = []route.StageKind{route.Weather}
)

var flaws = []Flaw{
	{"lines", "layer lines show", ofSmoothing, []Cause{
		{"too little filler or skin", "Filler primer, and sand again.", "a second round of filler primer on flats"},
		{"the skin ran off", "Brush it on again, thinly, lying flat.", "coat flats lying"},
	}, []route.StageKind{route.Prime, route.Fill, route.Sand}, append(slices.Clone(covers), route.Weather), false},
	{"seam", "a seam or step shows", ofSmoothing, []Cause{
		{"not lined up when it was glued", "Putty over the step, feathered out; sand, prime again.", "hold it against the light before the glue grips"},
		{"putty sank", "Fill once more; let it harden through.", "two thin fillings, the second after the first is hard"},
	}, []route.StageKind{route.Fill, route.Sand}, covers, false},
	{"pits", "pits or pinholes", ofSmoothing, []Cause{
		{"bubbles in resin or putty", "Spot putty into each, sand, prime again.", "stir slowly, press putty in"},
		{"supports torn out", "Spot putty, sand.", "cut tips, do not tear; strip before the cure"},
	}, []route.StageKind{route.Fill, route.Sand}, append(slices.Clone(covers), route.Weather), false},
	{"scratch", "scratches of a coarse paper", ofSmoothing, []Cause{
		{"a paper was left out", "Sand with the paper between, no more than double the P number.", "go up in steps of double at most"},
		{"dust of the coarse paper", "Wipe, wet-sand with the fine one.", "wipe between papers"},
	}, []route.StageKind{route.Sand}, append(slices.Clone(wears), route.Texture), false},
	{"detail", "detail is filled or sanded off", ofSmoothing, []Cause{
		{"too much primer or resin", "Scrape it clean with a needle while soft; else strip it.", "keep skin and primer off detail"},
		{"paper on sharp detail", "Build it up with putty and cut it again.", "tape over detail before sanding"},
	}, []route.StageKind{route.Sand, route.Prime}, nil, false},
	{"crack", "a crack, or something broke off", nil, []Cause{
		{"dropped when it was set down", "Glue and fill; touch up.", "a holder that stands by itself"},
		{"forced when it was fitted", "Epoxy, putty, sand; ease the fit.", "warm tight slots, never force"},
		{"brittle from the cure", "Glue and fill; look whether the rest holds.", "cure for shorter"},
	}, []route.StageKind{route.Fill, route.Sand, route.Base}, nil, false},
	{"run", "a run", ofPainting, []Cause{
		{"too much at once, or too near", "Let it dry through, sand it flat, coat again.", "light coats, begun and ended off the piece"},
		{"thinned too much", "Let it dry through, sand, coat again.", "less thinner; try on scrap"},
	}, []route.StageKind{route.Clear, route.Spray, route.Base, route.Prime}, wears, false},
	{"spatter", "spatter, or a clog let go", ofPainting, []Cause{
		{"paint too thick, or a dirty needle", "Lift drops while wet; else sand, and coat again.", "thin it, clean the needle, a test burst beside the piece"},
		{"the can was cold or nearly empty", "Let it dry, sand, coat again.", "warm the can in the hand; change it early"},
	}, []route.StageKind{route.Clear, route.Spray, route.Base, route.Prime}, wears, false},
	{"empty", "the airbrush ran empty in mid-coat", []route.StageKind{route.Base, route.Spray, route.Shade, route.Look}, []Cause{
		{"too little was mixed", "Coat the whole face again, not the gap alone.", "mix by area and coats, with what stays in the pot"},
	}, []route.StageKind{route.Spray, route.Base}, wears, false},
	{"dark", "too dark", ofPainting, []Cause{
		{"one pass too many", "Wash it off while it can be; else mask, and lay the base again.", "count passes, keep a picture of where to stop"},
		{"it dried darker", "Lay the base again, a tone lighter.", "judge the swatch dry"},
		{"no swatch was signed off", "Agree on a swatch, then lay the base again.", "sign off first"},
	}, []route.StageKind{route.Base}, nil, false},
	{"cover", "it does not cover evenly", ofPainting, []Cause{
		{"a coat too few for this pair", "One more coat.", "note how many the pair took"},
		{"thinned too much", "One more coat, thicker.", "less thinner"},
	}, []route.StageKind{route.Light, route.Base}, append(slices.Clone(wears), route.Shade), true},
	{"bleed", "it bled under the tape", []route.StageKind{route.Pull, route.Spray, route.Shade, route.Look}, []Cause{
		{"tape not rubbed down", "Scrape it off with a blade, touch up.", "rub the edge down with a nail"},
		{"sprayed at the edge of the tape", "Scrape, touch up.", "from the tape inward, the first coat nearly dry"},
		{"rough ground", "Scrape, touch up by hand.", "brush such edges"},
	}, []route.StageKind{route.Base, route.Mask}, wears, false},
	{"lifted", "tape lifted or clouded the paint", []route.StageKind{route.Pull, route.Mask, route.Spray, route.Look}, []Cause{
		{"the coat was not cured", "Sand the edge of the hole, prime and coat it again.", "wait until it is safe to tape"},
		{"pulled fast or upward", "Sand the edge, touch up.", "pull slowly and flat"},
		{"no grip on what is under it", "Take off what is loose, prime again.", "degrease before the primer"},
	}, []route.StageKind{route.Base, route.Prime}, wears, true},
	{"crazed", "a coat crazed, wrinkled or lifted", ofPainting, []Cause{
		{"its solvent attacks what is under it", "Let it harden, sand it off, a clear coat between.", "let it cure, or a clear coat between; try it on an offcut"},
		{"coated again in the shut window", "Let it harden, sand, coat again.", "inside the first hour, or after a day"},
	}, []route.StageKind{route.Base, route.Prime}, nil, true},
	{"dust", "dust, hair or sand in the coat", ofPainting, []Cause{
		{"not wiped, or sanding beside it", "Let it dry, wet-sand, coat again.", "wipe before each coat; keep dust and wet coats apart"},
		{"loose sand or flock", "Let it dry, brush it off, touch up.", "blow off what is loose before you paint"},
	}, []route.StageKind{route.Clear, route.Base, route.Prime}, wears, false},
	{"print", "a fingerprint", ofPainting, []Cause{
		{"handled before it was dry", "Let it dry, polish it out or coat again.", "a stick or a line; cold and damp take a day longer"},
	}, []route.StageKind{route.Clear, route.Base}, wears, false},
	{"soft", "a coat stays soft or sticky", ofPainting, []Cause{
		{"cold or damp", "Wait a day longer, warmer and drier.", "note the air of the day"},
		{"laid too thick", "Wait; if it stays so, take it off.", "thin coats"},
	}, []route.StageKind{route.Clear, route.Base}, nil, true},
	{"cloud", "the clear coat clouds", []route.StageKind{route.Clear, route.JoinAfter, route.Fit, route.Look, route.Pack}, []Cause{
		{"damp air", "Warm and dry it; another thin coat takes the cloud out.", "not above 65 % damp"},
		{"activator or glue fumes", "Polish, or another thin coat.", "no activator beside clear coats"},
		{"not shaken", "Another thin coat.", "shake for two minutes"},
	}, []route.StageKind{route.Clear}, wears, true},
	{OtherFlaw, "something else", nil, []Cause{{"nobody knows yet", "", "change one thing only, and note it"}}, nil, nil, false},
}

// Flaws lists them.
func Flaws() []Flaw { return flaws }

// FlawOf is the flaw of a key.
func FlawOf(key string) (Flaw, bool) {
	at := slices.IndexFunc(flaws, func(f Flaw) bool { return f.Key == key })
	if at < 0 {
		return Flaw{}, false
	}
	return flaws[at], true
}

// FlawsAt are those that show at a stage of a piece, by what comes next and what was done last; those that show
// elsewhere are behind them.
func FlawsAt(kinds ...route.StageKind) (likely, others []Flaw) {
	for _, f := range flaws {
		if slices.ContainsFunc(kinds, func(k route.StageKind) bool { return slices.Contains(f.Found, k) }) {
			likely = append(likely, f)
		} else {
			others = append(others, f)
		}
	}
	return likely, others
}

// Judge judges a flaw against what is still to come of a piece: hidden is the stage that hides it, empty: none does;
// back is where it goes to be put right, by what the piece has been through.
func (f Flaw) Judge(been, toCome []route.StageKind) (hidden, back route.StageKind) {
	for _, k := range toCome {
		if slices.Contains(f.HiddenBy, k) {
			hidden = k
			break
		}
	}
	for _, k := range f.Back {
		if slices.Contains(been, k) {
			return hidden, k
		}
	}
	return hidden, ""
}

// CheckList is what to look at before a stage is stamped that checks a piece: a look, by the coat or work before it; nil
// where nothing is to be checked. Source: common practice.
func CheckList(kind, before route.StageKind, by process.Kind) []string {
	switch kind {
	case route.RemoveSupports:
		return slices.Concat(kind.Traits().Checks, by.Stripped)
	case route.Look:
		if before == route.Prime {
			return []string{"raking light from four sides", "flats: no lines, no waves", "seams and plugs: nothing to see, nothing to feel", "pits and pinholes", "detail and edges sharp, nothing filled", "no runs, no dust"}
		}
		if before.Traits().Colour {
			return []string{"cover is even, by daylight", "left and right alike", "edges clean, nothing bled", "no runs, no dust, no prints", "nothing too dark beside the swatch"}
		}
	}
	return kind.Traits().Checks
}
