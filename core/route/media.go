package route

import "slices"

// Medium is what a stage leaves on a piece that has to dry or set.
type Medium string

// Media.
const (
	Primer       Medium = "primer"
	FillerPrimer Medium = "filler"
	AcrylicPaint Medium = "acrylic"
	CanPaint     Medium = "can" // enamel, or lacquer from a can
	MirrorMetal  Medium = "mirror"
	StainColour  Medium = "stain"
	ClearCoat    Medium = "clear"
	SpotPutty    Medium = "putty"
	TwoPartPutty Medium = "twopart"
	AirDryClay   Medium = "clay"
	CastingResin Medium = "casting"
	SandOrWash   Medium = "wash" // glued sand, a heavy wash
	MouldRubber  Medium = "rubber"
	NothingToDry Medium = ""
)

// Media lists them.
func Media() []Medium {
	return []Medium{Primer, FillerPrimer, AcrylicPaint, CanPaint, MirrorMetal, StainColour, ClearCoat, SpotPutty, TwoPartPutty,
		AirDryClay, CastingResin, SandOrWash, MouldRubber}
}

// Name is the medium in words.
func (m Medium) Name() string {
	return map[Medium]string{Primer: "primer", FillerPrimer: "filler primer", AcrylicPaint: "acrylic", CanPaint: "enamel or lacquer",
		MirrorMetal: "mirror metal", StainColour: "stain", ClearCoat: "clear coat",
		SpotPutty: "putty", TwoPartPutty: "two-part putty", AirDryClay: "clay", CastingResin: "casting resin", SandOrWash: "glued sand or wash", MouldRubber: "rubber"}[m]
}

// IsCoat reports whether another coat over it is a coat on a coat.
func (m Medium) IsCoat() bool {
	return slices.Contains([]Medium{Primer, FillerPrimer, AcrylicPaint, CanPaint, MirrorMetal, StainColour, ClearCoat}, m)
}
