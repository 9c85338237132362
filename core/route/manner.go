package route

// Manner is how a kind of stage is shown and spoken of.
type Manner struct {
	Mark    string // two letters on the strip
	Name    string
	Do      string // what to do, said at the bench
	Dry     string // what is waited for afterwards
	Caution string
}

const sheet = " Follow the product’s safety data sheet, local rules and, where required, a licensed professional."

var manners = map[StageKind]Manner{
	Print:          {"pr", "print", "On a plate", "", "Uncured resin: nitrile gloves, eye protection, air. Nothing down the drain." + sheet},
	Wash:           {"wa", "wash", "Wash twice, brush the texture", "alcohol off", "Uncured resin and washing alcohol: nitrile gloves, eye protection, air; no flame, heater or spark near, closed waste container." + sheet},
	RemoveSupports: {"st", "strip", "Strip the supports", "", "Resin is not cured yet: nitrile gloves, eye protection still. A scraper or blade that slips cuts: push away from the hand, clamp small pieces." + sheet},
	Cure:           {"cu", "cure", "Cure in the station", "cured", "Only clean, dry pieces go in: alcohol vapour burns; no heater or hair-dryer near a wet one. Do not look into the light. Waste is cured before it is thrown away, as local rules say." + sheet},
	Skin:           {"sk", "resin skin", "Brush a thin skin of resin on, off the detail", "skin hard", "Uncured resin: nitrile gloves, eye protection, air. Do not look into the light." + sheet},
	Clay:           {"cy", "clay skin", "Lay the clay on and model it", "clay dry", "Dust of dried clay: particulate respirator when you sand it." + sheet},
	Texture:        {"tx", "texture", "Glue the texture on, then one coat over it", "glue hard", "Dust of sand and plaster: particulate respirator." + sheet},
	Sand:           {"sa", "sand", "Sand, then wipe", "", "Cured resin, putty and primer dust: particulate respirator, goggles, outside or under extraction, wet where you can. Power tools: eyes, clamp it, no gloves near a spinning bit." + sheet},
	Fill:           {"fi", "fill", "Fill spots and seams", "putty hard", "Putty and its thinner: gloves, air, no flame." + sheet},
	Prime:          {"pm", "prime", "Prime in light coats", "primer dry", "Spray: organic-vapour respirator, booth or outside, no flame; spatter: eye protection." + sheet},
	Look:           {"lo", "look", "Look under raking light", "", ""},
	DryFit:         {"df", "dry fit", "Put it together dry: nothing forced, no step, no gap", "", "Never force a fit: brittle resin cracks. Blades cut: away from yourself, the piece clamped."},
	Score:          {"sc", "score", "Score the mating faces with P180, keep keys and sockets clean", "", "Cured resin and primer dust: particulate respirator, goggles." + sheet},
	Glue:           {"gl", "glue", "Glue it, lined up exactly, and hold it", "glue hard", "Cyanoacrylate and its activator, epoxy: gloves, eye protection, air. Both bond skin at once." + sheet},
	Case:           {"ca", "case", "Build the case around the print, every corner sealed, tested with water", "", "Release spray and its solvent: air, no flame. Seal before you spray: it creeps under tape." + sheet},
	Rubber:         {"ru", "rubber", "Flood it with rubber", "rubber hard", "Moulding rubber and its hardener: gloves, eye protection, air." + sheet},
	Open:           {"op", "open", "Open the mould, take the print out, clean it", "", "Blades cut: away from yourself, the mould clamped."},
	Pour:           {"po", "casting", "Pour, take out and clean up", "casting hard", "Casting resin: gloves, eye protection, air; deep pours heat up. Watch the first hour for leaks." + sheet},
	Base:           {"ba", "base coats", "Lay the base coats", "base coat dry", "Thinners and sprays: air, no flame; respirator when you spray." + sheet},
	Spray:          {"sy", "spray", "Spray through the mask, lightly, from the tape inward", "safe to pull", "Spray: organic-vapour respirator, booth or outside, no flame; spatter: eye protection." + sheet},
	Pull:           {"pu", "pull", "Pull the masks, slowly and flat, and touch up what bled", "", "Tape lifts paint that is not fully cured, gloss worst. Blades cut: away from yourself."},
	Mask:           {"ma", "mask", "Mask the edges, rub the tape down", "safe to pull", "Tape lifts paint that is not fully cured, gloss worst. Blades cut: away from yourself."},
	Shade:          {"sh", "shades", "Shade the recesses", "wash dry", "Thinners and spirits: air, no flame." + sheet},
	Light:          {"li", "highlights", "Lights on the raised edges", "dry", "Thinners and spirits: air, no flame." + sheet},
	Detail:         {"de", "fine detail", "Eyes, faces, letters, small things", "dry", "Thinners and spirits: air, no flame." + sheet},
	Weather:        {"we", "weathering", "Weather it, more where hands and sun reach", "heavy wash dry", "Spirits and pigments: air, no flame, particulate respirator for dry pigments." + sheet},
	Clear:          {"cl", "clear coat", "Clear coat, thin and even", "clear coat dry", "Spray: organic-vapour respirator, booth or outside, no flame." + sheet},
	JoinAfter:      {"jo", "join", "Join what was painted apart, lined up exactly, nothing on the paint", "glue hard", "Cyanoacrylate and its activator, epoxy: gloves, eye protection, air. Both bond skin at once. Activator clouds clear coats." + sheet},
	Fit:            {"ft", "fit out", "Fit it out, dry fit first", "", "Hot glue, heat guns and blades: burns, fumes, cuts. Lithium cells: protected ones, charged watched; no mains without a qualified person. Magnets: swallowed or pinching, away from implants. What hangs overhead is fixed by somebody qualified." + sheet},
	Pack:           {"pk", "pack", "Photograph and pack", "", "Not a toy: small parts. Say so on the care note, and keep it from heat and sun. Cells: batteries out, by the carrier’s rules. Heavy pieces are lifted by two."},
	Insert:         {"in", "insert", "Put in what goes inside, test it, then close: nothing may be left over", "", "Lithium cells: protected ones, charged watched. Magnets: swallowed or pinching, away from implants. Try lights and motors before it is closed."},
	Sculpt:         {"su", "sculpt", "Sculpt it", "", ""},
	ClientYes:      {"ys", "client’s yes", "Show it to the client; stamp it on their yes, send it back on their no", "", ""},
	Revise:         {"rv", "revision", "Change what the client asked for", "", ""},
	Try:            {"tr", "trial", "Make the trial piece, as the job will be made", "hard enough to judge", "What the trial is of has its own dangers: gloves, eye protection, air." + sheet},
	Judge:          {"ju", "result", "Judge it, and note what came out", "", ""},
	Soak:           {"so", "strip paint", "Soak and brush the old paint off", "dry", "Strippers and ultrasonic baths: gloves, eye protection, air, by their data sheets. Paint of unknown age may hold lead: test it, work wet, no dry sanding; leave it to somebody licensed where the law says so." + sheet},
	Assess:         {"as", "assess", "Look for breaks, old glue and what is missing, and note it", "", "Paint of unknown age may hold lead: test it, work wet, wash your hands." + sheet},
	Ask:            {"ak", "stop and ask", "If it is worse than agreed, stop and ask the client; stamp it when that is settled", "", ""},
	Mend:           {"me", "mend", "Mend it: spares or prints in place of what is missing", "glue and putty hard", "Cyanoacrylate and its activator, epoxy: gloves, eye protection, air. Paint of unknown age may hold lead: no dry sanding." + sheet},
	Order:          {"or", "order", "Order it", "", ""},
	Here:           {"he", "arrived", "Count and check it, give it its place", "", ""},
	Ground:         {"gr", "ground", "Cut and shape the ground", "", "Foam and hot wire: fumes, air. Blades cut: away from yourself. Dust of plaster: particulate respirator." + sheet},
	Flock:          {"fk", "flock", "Flock in several tones, blow off what is loose", "glue hard", "Loose fibres: particulate respirator, no wet coats beside it."},
	Seal:           {"se", "seal", "Seal every corner before any release spray, then test with water", "", "Release spray and its solvent: air, no flame. Never leave a fresh pour where a leak runs unseen."},
	Water:          {"pw", "water pour", "Pour in layers no deeper than the resin allows; watch the first hour", "pour hard", "Casting resin: gloves, eye protection, air; deep layers heat up. A torch for bubbles is a flame: nothing that burns beside it." + sheet},
	Pattern:        {"pa", "pattern", "Draw the pattern, try it in paper", "", ""},
	CutOut:         {"ct", "cut out", "Cut it out", "", "Blades cut: away from yourself, a new blade, a mat."},
	Sew:            {"sw", "stitch or glue", "Stitch or glue it", "glue hard", "Contact adhesive: air, no flame. Hot glue burns." + sheet},
	Ready:          {"re", "file ready", "Make the file ready: hollow and drain it, cut it, check it layer by layer; then hand it over", "", ""},
	Work:           {"wk", "work", "Do it", "", ""},
}

// Manner returns how the kind is shown.
func (k StageKind) Manner() Manner {
	m, ok := manners[k]
	if !ok {
		return Manner{Mark: "··", Name: string(k), Do: string(k)}
	}
	return m
}
