package route

import "sakuji/core/rates"

// Traits are what the studio knows of a kind of stage: a line of the table below, which all others ask.
// A new stage is a constant, its line here, and a place in the route of what passes it.
type Traits struct {
	Kind    StageKind
	Mark    string // two letters on the strip
	Name    string
	Do      string   // what to do, said at the bench
	Dry     string   // what is waited for afterwards; empty: nothing is
	Caution string   // empty: nothing to mind
	Checks  []string // what to look at before it is stamped

	Craft  Craft
	Wage   rates.Key // the rate that pays an hour of it
	Spread string    // the rates that tell how it may turn out: spread.….low and .high
	Shared Sharing   // whose pieces share one setting up
	Answer rates.Key // the rate of the days that others take for it: it is not ours to hurry

	Surface Surface   // what it goes over
	Area    rates.Key // the rate of minutes on a dm²; empty: none, or the finish route says
	Wait    rates.Key // the rate of the clock time after it, likewise
	Coats   string    // what its rates of coats and the waits between them begin with
	Piece   rates.Key // the rate of minutes a piece
	SetUp   rates.Key // the rate of minutes a session
	Mixed   bool      // its setting up is mixing, or filling a gun: it serves all that follows in time
	Paint   Paint     // which paint of a scheme it lays
	Leaves  Medium    // what has to dry or set after it, whatever the scheme
	Colour  bool      // it lays colour
	ByHand  bool      // quick painting shortens it, care lengthens it

	Station string // empty: at any bench
	Air     Air
	Whole   bool // it is done on the assembly: colours run over seams, and what is handed over is packed whole
	Gate    bool // it may wait for other pieces than its own: what goes inside, into or with a piece
}

// Craft is a sort of work that a person does or does not do.
type Craft string

// The crafts.
const (
	AtMachines Craft = "machines"
	Smoothing  Craft = "smoothing"
	Joining    Craft = "joining"
	Coating    Craft = "coating"
	Painting   Craft = "painting"
	Making     Craft = "making"
)

// Crafts lists them.
func Crafts() []Craft { return []Craft{AtMachines, Smoothing, Joining, Coating, Painting, Making} }

// Name is a craft in words.
func (c Craft) Name() string {
	return map[Craft]string{
		AtMachines: "plates, washing, stripping, curing", Smoothing: "filling and sanding", Joining: "joining, fitting, packing",
		Coating: "primer, coats and masks", Painting: "shades, light, details", Making: "sculpting, moulds, bases, sewing, mending",
	}[c]
}

// Sharing is whose pieces share one setting up of a stage.
type Sharing string

// Who shares.
const (
	ByPlate   Sharing = "plate"   // what one machine prints in one material
	ByProcess Sharing = "process" // what is printed alike
	ByRoute   Sharing = "route"   // what is finished alike
	ByItem    Sharing = "item"
	ByOrder   Sharing = "order"
)

// Surface is what of a part a stage goes over.
type Surface string

// Surfaces.
const (
	ToSmooth Surface = "" // the eye meets it, and the inside where that is worked
	AllOfIt  Surface = "all of it"
	Held     Surface = "what supports held"
	ToPaint  Surface = "what is painted"
)

// Paint is one of the paints that a scheme names.
type Paint string

// Paints of a scheme.
const (
	NoPaint    Paint = ""
	BasePaint  Paint = "base"
	ShadePaint Paint = "shade"
	ClearPaint Paint = "clear"
)

// The stations, where a stage is done that takes more than a bench.
const (
	WashingTank = "washing tank"
	CureStation = "cure station"
	SprayBooth  = "spray booth"
	Outside     = "outside" // what is too big for the booth
)

// Air is what a stage does to the air that it shares with others.
type Air string

// What it does.
const (
	Clean Air = ""
	Wet   Air = "wet"   // it is laid wet: dust spoils it
	Dusty Air = "dusty" // it raises dust
)

// Sheet ends a caution of stuff that has a data sheet.
const Sheet = " Follow the product’s safety data sheet, local rules and, where required, a licensed professional."

// table is every kind of stage, in the order of work.
var table = []Traits{
	{
		Kind: Order, Mark: "or", Name: "order", Do: "Order it",
		Craft: Making, Wage: "wage", Spread: "other", Shared: ByRoute,
	},
	{
		Kind: Here, Mark: "he", Name: "arrived", Do: "Count and check it, give it its place",
		Craft: Making, Wage: "wage", Spread: "other", Shared: ByRoute,
		Answer: "goods.days",
	},
	{
		Kind: Sculpt, Mark: "su", Name: "sculpt", Do: "Sculpt it",
		Craft: Making, Wage: "wage", Spread: "sculpt", Shared: ByRoute,
	},
	{
		Kind: ClientYes, Mark: "ys", Name: "client’s yes", Do: "Show it to the client; stamp it on their yes, send it back on their no",
		Craft: Making, Wage: "wage", Spread: "sculpt", Shared: ByRoute,
		Answer: "answer.days",
	},
	{
		Kind: Revise, Mark: "rv", Name: "revision", Do: "Change what the client asked for",
		Craft: Making, Wage: "wage", Spread: "sculpt", Shared: ByRoute,
	},
	{
		Kind: Try, Mark: "tr", Name: "trial", Do: "Make the trial piece, as the job will be made", Dry: "hard enough to judge",
		Caution: "What the trial is of has its own dangers: gloves, eye protection, air." + Sheet,
		Craft:   Making, Wage: "wage", Spread: "other", Shared: ByRoute,
	},
	{
		Kind: Judge, Mark: "ju", Name: "result", Do: "Judge it, and note what came out",
		Craft: Making, Wage: "wage", Spread: "other", Shared: ByRoute,
	},
	{
		Kind: Soak, Mark: "so", Name: "strip paint", Do: "Soak and brush the old paint off", Dry: "dry",
		Caution: "Strippers and ultrasonic baths: gloves, eye protection, air, by their data sheets. Paint of unknown age may hold " +
			"lead: test it, work wet, no dry sanding; leave it to somebody licensed where the law says so." + Sheet,
		Craft: Making, Wage: "wage", Spread: "other", Shared: ByRoute,
	},
	{
		Kind: Assess, Mark: "as", Name: "assess", Do: "Look for breaks, old glue and what is missing, and note it",
		Caution: "Paint of unknown age may hold lead: test it, work wet, wash your hands." + Sheet,
		Craft:   Making, Wage: "wage", Spread: "other", Shared: ByRoute,
	},
	{
		Kind: Ask, Mark: "ak", Name: "stop and ask",
		Do:    "If it is worse than agreed, stop and ask the client; stamp it when that is settled",
		Craft: Making, Wage: "wage", Spread: "other", Shared: ByRoute,
		Answer: "answer.days",
	},
	{
		Kind: Mend, Mark: "me", Name: "mend", Do: "Mend it: spares or prints in place of what is missing", Dry: "glue and putty hard",
		Caution: "Cyanoacrylate and its activator, epoxy: gloves, eye protection, air. Paint of unknown age may hold lead: no dry " +
			"sanding." + Sheet,
		Craft: Making, Wage: "wage", Spread: "other", Shared: ByRoute,
		Leaves: TwoPartPutty, Gate: true,
	},
	{
		Kind: Ground, Mark: "gr", Name: "ground", Do: "Cut and shape the ground",
		Caution: "Foam and hot wire: fumes, air. Blades cut: away from yourself. Dust of plaster: particulate respirator." + Sheet,
		Craft:   Making, Wage: "wage", Spread: "other", Shared: ByRoute,
		Leaves: SandOrWash,
	},
	{
		Kind: Flock, Mark: "fk", Name: "flock", Do: "Flock in several tones, blow off what is loose", Dry: "glue hard",
		Caution: "Loose fibres: particulate respirator, no wet coats beside it.",
		Craft:   Making, Wage: "wage", Spread: "other", Shared: ByRoute,
		Leaves: SandOrWash, Air: Dusty,
	},
	{
		Kind: Seal, Mark: "se", Name: "seal", Do: "Seal every corner before any release spray, then test with water",
		Caution: "Release spray and its solvent: air, no flame. Never leave a fresh pour where a leak runs unseen.",
		Craft:   Making, Wage: "wage", Spread: "other", Shared: ByRoute,
	},
	{
		Kind: Water, Mark: "pw", Name: "water pour", Do: "Pour in layers no deeper than the resin allows; watch the first hour",
		Dry: "pour hard",
		Caution: "Casting resin: gloves, eye protection, air; deep layers heat up. A torch for bubbles is a flame: nothing that " +
			"burns beside it." + Sheet,
		Craft: Making, Wage: "wage", Spread: "other", Shared: ByRoute,
	},
	{
		Kind: Pattern, Mark: "pa", Name: "pattern", Do: "Draw the pattern, try it in paper",
		Craft: Making, Wage: "wage", Spread: "other", Shared: ByRoute,
	},
	{
		Kind: CutOut, Mark: "ct", Name: "cut out", Do: "Cut it out",
		Caution: "Blades cut: away from yourself, a new blade, a mat.",
		Craft:   Making, Wage: "wage", Spread: "other", Shared: ByRoute,
	},
	{
		Kind: Sew, Mark: "sw", Name: "stitch or glue", Do: "Stitch or glue it", Dry: "glue hard",
		Caution: "Contact adhesive: air, no flame. Hot glue burns." + Sheet,
		Craft:   Making, Wage: "wage", Spread: "other", Shared: ByRoute,
	},
	{
		Kind: Ready, Mark: "re", Name: "file ready",
		Do:    "Make the file ready: hollow and drain it, cut it, check it layer by layer; then hand it over",
		Craft: Making, Wage: "wage", Spread: "other", Shared: ByRoute,
	},
	{
		Kind: Work, Mark: "wk", Name: "work", Do: "Do it",
		Craft: Making, Wage: "wage", Spread: "other", Shared: ByRoute,
	},
	{
		Kind: Print, Mark: "pr", Name: "print", Do: "On a plate",
		Caution: "Uncured resin: nitrile gloves, eye protection, air. Nothing down the drain." + Sheet,
		Craft:   AtMachines, Wage: "wage", Spread: "plate", Shared: ByPlate,
	},
	{
		Kind: Wash, Mark: "wa", Name: "wash", Do: "Wash twice, brush the texture", Dry: "alcohol off",
		Caution: "Uncured resin and washing alcohol: nitrile gloves, eye protection, air; no flame, heater or spark near, closed " +
			"waste container." + Sheet,
		Craft: AtMachines, Wage: "wage", Spread: "wash", Shared: ByProcess,
		Surface: AllOfIt, Area: "wash.area", Wait: "wash.dry", Piece: "wash.piece", SetUp: "wash.batch", Station: WashingTank,
	},
	{
		Kind: RemoveSupports, Mark: "st", Name: "strip", Do: "Strip the supports",
		Caution: "Resin is not cured yet: nitrile gloves, eye protection still. A scraper or blade that slips cuts: push away from " +
			"the hand, clamp small pieces." + Sheet,
		Craft: AtMachines, Wage: "wage", Spread: "strip", Shared: ByProcess,
		Surface: Held, Piece: "strip.piece",
		Checks: []string{
			"complete: nothing came off with the supports", "holes and slots open",
			"no crack, no torn layer", "mating faces true",
		},
	},
	{
		Kind: Cure, Mark: "cu", Name: "cure", Do: "Cure in the station", Dry: "cured",
		Caution: "Only clean, dry pieces go in: alcohol vapour burns; no heater or hair-dryer near a wet one. Do not look into the " +
			"light. Waste is cured before it is thrown away, as local rules say." + Sheet,
		Craft: AtMachines, Wage: "wage", Spread: "cure", Shared: ByProcess,
		Wait: "cure.wait", Piece: "cure.piece", SetUp: "cure.batch", Station: CureStation,
	},
	{
		Kind: Skin, Mark: "sk", Name: "resin skin", Do: "Brush a thin skin of resin on, off the detail", Dry: "skin hard",
		Caution: "Uncured resin: nitrile gloves, eye protection, air. Do not look into the light." + Sheet,
		Craft:   Smoothing, Wage: "wage", Spread: "skin", Shared: ByRoute,
		Piece: "skin.piece", SetUp: "skin.batch",
	},
	{
		Kind: Clay, Mark: "cy", Name: "clay skin", Do: "Lay the clay on and model it", Dry: "clay dry",
		Caution: "Dust of dried clay: particulate respirator when you sand it." + Sheet,
		Craft:   Smoothing, Wage: "wage.sculpt", Spread: "clay", Shared: ByRoute,
		Piece: "clay.piece", SetUp: "clay.batch", Leaves: AirDryClay,
	},
	{
		Kind: Texture, Mark: "tx", Name: "texture", Do: "Glue the texture on, then one coat over it", Dry: "glue hard",
		Caution: "Dust of sand and plaster: particulate respirator." + Sheet,
		Craft:   Smoothing, Wage: "wage", Spread: "texture", Shared: ByRoute,
		Piece: "texture.piece", SetUp: "texture.batch", Leaves: SandOrWash, Air: Dusty,
	},
	{
		Kind: Fill, Mark: "fi", Name: "fill", Do: "Fill spots and seams", Dry: "putty hard",
		Caution: "Putty and its thinner: gloves, air, no flame." + Sheet,
		Craft:   Smoothing, Wage: "wage", Spread: "fill", Shared: ByRoute,
		Piece: "fill.piece", SetUp: "fill.batch", Leaves: SpotPutty,
	},
	{
		Kind: Sand, Mark: "sa", Name: "sand", Do: "Sand, then wipe",
		Caution: "Cured resin, putty and primer dust: particulate respirator, goggles, outside or under extraction, wet where you " +
			"can. Power tools: eyes, clamp it, no gloves near a spinning bit." + Sheet,
		Craft: Smoothing, Wage: "wage", Spread: "sand", Shared: ByRoute,
		Piece: "sand.piece", SetUp: "sand.batch", Air: Dusty,
	},
	{
		Kind: Prime, Mark: "pm", Name: "prime", Do: "Prime in light coats", Dry: "primer dry",
		Caution: "Spray: organic-vapour respirator, booth or outside, no flame; spatter: eye protection." + Sheet,
		Craft:   Coating, Wage: "wage", Spread: "prime", Shared: ByOrder,
		Piece: "prime.piece", SetUp: "prime.batch", Leaves: Primer, Mixed: true, Station: SprayBooth, Air: Wet,
	},
	{
		Kind: Look, Mark: "lo", Name: "look", Do: "Look under raking light",
		Craft: Smoothing, Wage: "wage", Spread: "look", Shared: ByOrder,
		Piece:  "look.piece",
		Checks: []string{"raking light from four sides", "seams and plugs", "scratches", "edges and detail sharp"},
	},
	{
		Kind: DryFit, Mark: "df", Name: "dry fit", Do: "Put it together dry: nothing forced, no step, no gap",
		Caution: "Never force a fit: brittle resin cracks. Blades cut: away from yourself, the piece clamped.",
		Craft:   Joining, Wage: "wage", Spread: "join", Shared: ByRoute,
		Checks: []string{"all parts there, none left over", "keys and sockets clean", "no step along any seam", "nothing forced"},
	},
	{
		Kind: Score, Mark: "sc", Name: "score", Do: "Score the mating faces with P180, keep keys and sockets clean",
		Caution: "Cured resin and primer dust: particulate respirator, goggles." + Sheet,
		Craft:   Joining, Wage: "wage", Spread: "join", Shared: ByRoute,
	},
	{
		Kind: Insert, Mark: "in", Name: "insert", Do: "Put in what goes inside, test it, then close: nothing may be left over",
		Caution: "Lithium cells: protected ones, charged watched. Magnets: swallowed or pinching, away from implants. Try lights " +
			"and motors before it is closed.",
		Craft: Joining, Wage: "wage", Spread: "other", Shared: ByRoute,
		Gate:   true,
		Checks: []string{"everything inside that goes inside", "lights and motors tried", "wires clear of the seam", "nothing left over"},
	},
	{
		Kind: Glue, Mark: "gl", Name: "glue", Do: "Glue it, lined up exactly, and hold it", Dry: "glue hard",
		Caution: "Cyanoacrylate and its activator, epoxy: gloves, eye protection, air. Both bond skin at once." + Sheet,
		Craft:   Joining, Wage: "wage", Spread: "join", Shared: ByRoute,
		Checks: []string{"mating faces scored and clean", "dry fit once more", "no paint and no glue in keys"},
	},
	{
		Kind: Case, Mark: "ca", Name: "case", Do: "Build the case around the print, every corner sealed, tested with water",
		Caution: "Release spray and its solvent: air, no flame. Seal before you spray: it creeps under tape." + Sheet,
		Craft:   Making, Wage: "wage", Spread: "other", Shared: ByRoute,
	},
	{
		Kind: Rubber, Mark: "ru", Name: "rubber", Do: "Flood it with rubber", Dry: "rubber hard",
		Caution: "Moulding rubber and its hardener: gloves, eye protection, air." + Sheet,
		Craft:   Making, Wage: "wage", Spread: "other", Shared: ByRoute,
		Leaves: MouldRubber,
	},
	{
		Kind: Open, Mark: "op", Name: "open", Do: "Open the mould, take the print out, clean it",
		Caution: "Blades cut: away from yourself, the mould clamped.",
		Craft:   Making, Wage: "wage", Spread: "other", Shared: ByRoute,
	},
	{
		Kind: Pour, Mark: "po", Name: "casting", Do: "Pour, take out and clean up", Dry: "casting hard",
		Caution: "Casting resin: gloves, eye protection, air; deep pours heat up. Watch the first hour for leaks." + Sheet,
		Craft:   Making, Wage: "wage", Spread: "other", Shared: ByRoute,
		Leaves: CastingResin,
	},
	{
		Kind: Base, Mark: "ba", Name: "base coats", Do: "Lay the base coats", Dry: "base coat dry",
		Caution: "Thinners and sprays: air, no flame; respirator when you spray." + Sheet,
		Craft:   Coating, Wage: "wage.paint", Spread: "base", Shared: ByItem,
		Surface: ToPaint, Wait: "base.wait", Coats: "paint", Piece: "base.piece", SetUp: "base.batch", Paint: BasePaint,
		Mixed: true, Colour: true, ByHand: true, Station: SprayBooth, Air: Wet, Whole: true,
	},
	{
		Kind: Mask, Mark: "ma", Name: "mask", Do: "Mask the edges, rub the tape down", Dry: "safe to pull",
		Caution: "Tape lifts paint that is not fully cured, gloss worst. Blades cut: away from yourself.",
		Craft:   Coating, Wage: "wage.paint", Spread: "mask", Shared: ByItem,
		Surface: ToPaint, Wait: "mask.wait", Piece: "mask.piece", Whole: true,
	},
	{
		Kind: Spray, Mark: "sy", Name: "spray", Do: "Spray through the mask, lightly, from the tape inward", Dry: "safe to pull",
		Caution: "Spray: organic-vapour respirator, booth or outside, no flame; spatter: eye protection." + Sheet,
		Craft:   Coating, Wage: "wage", Spread: "mask", Shared: ByItem,
		Paint: BasePaint, Colour: true, Station: SprayBooth, Air: Wet, Whole: true,
	},
	{
		Kind: Pull, Mark: "pu", Name: "pull", Do: "Pull the masks, slowly and flat, and touch up what bled",
		Caution: "Tape lifts paint that is not fully cured, gloss worst. Blades cut: away from yourself.",
		Craft:   Coating, Wage: "wage", Spread: "mask", Shared: ByItem,
		Whole:  true,
		Checks: []string{"edges clean, nothing bled", "nothing lifted", "left and right alike"},
	},
	{
		Kind: Shade, Mark: "sh", Name: "shades", Do: "Shade the recesses", Dry: "wash dry",
		Caution: "Thinners and spirits: air, no flame." + Sheet,
		Craft:   Painting, Wage: "wage.paint", Spread: "shade", Shared: ByItem,
		Surface: ToPaint, Wait: "shade.wait", Coats: "shade", Piece: "shade.piece", SetUp: "shade.batch", Paint: ShadePaint,
		Mixed: true, Colour: true, ByHand: true, Whole: true,
	},
	{
		Kind: Light, Mark: "li", Name: "highlights", Do: "Lights on the raised edges", Dry: "dry",
		Caution: "Thinners and spirits: air, no flame." + Sheet,
		Craft:   Painting, Wage: "wage.paint", Spread: "light", Shared: ByItem,
		Surface: ToPaint, Wait: "light.wait", Piece: "light.piece", SetUp: "light.batch", Leaves: AcrylicPaint, Mixed: true,
		Colour: true, ByHand: true, Whole: true,
	},
	{
		Kind: Detail, Mark: "de", Name: "fine detail", Do: "Eyes, faces, letters, small things", Dry: "dry",
		Caution: "Thinners and spirits: air, no flame." + Sheet,
		Craft:   Painting, Wage: "wage.paint", Spread: "detail", Shared: ByItem,
		Surface: ToPaint, Wait: "detail.wait", SetUp: "detail.batch", Leaves: AcrylicPaint, Colour: true, ByHand: true,
		Whole: true,
	},
	{
		Kind: Weather, Mark: "we", Name: "weathering", Do: "Weather it, more where hands and sun reach", Dry: "heavy wash dry",
		Caution: "Spirits and pigments: air, no flame, particulate respirator for dry pigments." + Sheet,
		Craft:   Painting, Wage: "wage.paint", Spread: "weather", Shared: ByItem,
		Surface: ToPaint, Area: "weather.area", Wait: "weather.wait", Piece: "weather.piece", SetUp: "weather.batch",
		Leaves: SandOrWash, Mixed: true, Colour: true, ByHand: true, Whole: true,
	},
	{
		Kind: Clear, Mark: "cl", Name: "clear coat", Do: "Clear coat, thin and even", Dry: "clear coat dry",
		Caution: "Spray: organic-vapour respirator, booth or outside, no flame." + Sheet,
		Craft:   Coating, Wage: "wage.paint", Spread: "clear", Shared: ByOrder,
		Surface: ToPaint, Area: "clear.area", Wait: "clear.wait", Coats: "clear", Piece: "clear.piece", SetUp: "clear.batch",
		Paint: ClearPaint, Leaves: ClearCoat, Mixed: true, Colour: true, Station: SprayBooth, Air: Wet, Whole: true,
	},
	{
		Kind: JoinAfter, Mark: "jo", Name: "join", Do: "Join what was painted apart, lined up exactly, nothing on the paint",
		Dry: "glue hard",
		Caution: "Cyanoacrylate and its activator, epoxy: gloves, eye protection, air. Both bond skin at once. Activator clouds " +
			"clear coats." + Sheet,
		Craft: Joining, Wage: "wage", Spread: "join", Shared: ByRoute,
		Gate:   true,
		Checks: []string{"mating faces scored and clean", "dry fit once more", "no paint and no glue in keys"},
	},
	{
		Kind: Fit, Mark: "ft", Name: "fit out", Do: "Fit it out, dry fit first",
		Caution: "Hot glue, heat guns and blades: burns, fumes, cuts. Lithium cells: protected ones, charged watched; no mains " +
			"without a qualified person. Magnets: swallowed or pinching, away from implants. What hangs overhead is fixed by " +
			"somebody qualified." + Sheet,
		Craft: Joining, Wage: "wage", Spread: "other", Shared: ByItem,
		Whole: true, Gate: true,
	},
	{
		Kind: Pack, Mark: "pk", Name: "pack", Do: "Photograph and pack",
		Caution: "Not a toy: small parts. Say so on the care note, and keep it from heat and sun. Cells: batteries out, by the " +
			"carrier’s rules. Heavy pieces are lifted by two.",
		Craft: Joining, Wage: "wage", Spread: "pack", Shared: ByOrder,
		Piece: "pack.piece", SetUp: "pack.batch", Whole: true, Gate: true,
		Checks: []string{
			"photographed: front, back, sides, detail, with a scale", "countable marks counted",
			"what breaks lies apart, bags numbered", "care note and packing list in",
		},
	},
}

var byKind = func() map[StageKind]Traits {
	lines := map[StageKind]Traits{}
	for _, t := range table {
		lines[t.Kind] = t
	}
	return lines
}()

// Traits returns the line of a kind. A kind that this program has no line of is work by hand, called by its name.
func (k StageKind) Traits() Traits {
	if t, ok := byKind[k]; ok {
		return t
	}
	return Traits{Kind: k, Mark: "··", Name: string(k), Do: string(k), Craft: Making, Wage: "wage", Spread: "other", Shared: ByRoute}
}

// All returns every kind, in the order of work.
func All() []StageKind { return Those(func(Traits) bool { return true }) }

// Those returns the kinds of which something is so, in the order of work.
func Those(are func(Traits) bool) (kinds []StageKind) {
	for _, t := range table {
		if are(t) {
			kinds = append(kinds, t.Kind)
		}
	}
	return kinds
}
