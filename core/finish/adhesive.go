package finish

import (
	"strings"

	"sakuji/core/rates"
	"sakuji/core/route"
)

// Adhesive is what holds a joint, and when it holds: the waits are figures of the rate book.
type Adhesive struct {
	Key     string
	Name    string
	Suits   string
	Handle  rates.Key // the figure of the wait until it may be handled
	Full    rates.Key // and until it is fully hard
	Caution string
}

// The adhesives. Source: common practice.
const (
	Cyanoacrylate = "ca"
	Epoxy         = "epoxy"
	Contact       = "contact"
	UVResin       = "uv"
	Weld          = "weld"
)

var adhesives = []Adhesive{
	{Cyanoacrylate, "gel cyanoacrylate with activator", "small joints: fast, brittle", "glue.ca", "glue.ca.full", "Cyanoacrylate and its activator: gloves, eye protection, air; it bonds skin at once."},
	{Epoxy, "two-part epoxy, 5 min", "large or unlike joints: strong, fills gaps, gives a little", "glue.epoxy", "glue.epoxy.full", "Epoxy: gloves, eye protection, air; what is mixed in depth heats up."},
	{Contact, "flexible contact adhesive", "worn or handled pieces: survives drops, can be taken apart", "glue.contact", "glue.contact.full", "Contact adhesive: air, no flame, no spark."},
	{UVResin, "resin from the vat, cured with a lamp", "resin to resin, where light reaches the joint", "glue.uv", "glue.uv.full", "Uncured resin: nitrile gloves, eye protection, air. Do not look into the light."},
	{Weld, "heat welding on the inside", "shells printed in filament: strong", "glue.weld", "glue.weld.full", "Welding fumes: air or extraction; the iron burns."},
}

// Adhesives lists them.
func Adhesives() []Adhesive { return adhesives }

// AdhesiveOf returns the adhesive of a key.
func AdhesiveOf(key string) (Adhesive, bool) {
	for _, a := range adhesives {
		if a.Key == key {
			return a, true
		}
	}
	return Adhesive{}, false
}

// Joint is what an adhesive is chosen by.
type Joint struct {
	Bond     string  // that makes all its parts one, where they are of one process
	Worn     bool    // it is worn or handled roughly
	LengthMM float64 // of a seam, all around
}

// From how long a seam on a joint is large, and up to where it is small. Source: from memory.
const largeSeamMM, smallSeamMM = 200, 60

// Choose picks the adhesive for a joint by need, and says why.
func (j Joint) Choose() (a Adhesive, why string) {
	key, why := Epoxy, "unlike parts: it fills what does not meet"
	switch {
	case j.Worn:
		key, why = Contact, "it is worn: the joint must give and survive a drop"
	case j.Bond == Weld && j.LengthMM >= largeSeamMM:
		key, why = Weld, "long seams of a filament shell, reached from the inside"
	case j.LengthMM >= largeSeamMM:
		key, why = Epoxy, "a long seam: strong, and it fills gaps"
	case j.LengthMM <= smallSeamMM:
		key, why = Cyanoacrylate, "a small joint: it holds at once"
	case j.Bond == UVResin:
		key, why = UVResin, "resin to resin: the seam is of one material"
	}
	a, _ = AdhesiveOf(key)
	return a, why
}

// text says what a joint is glued with, when it may be handled, when it is fully hard, and what to
// mind.
func (a Adhesive) text(b rates.Book, why string) string {
	wait := func(key rates.Key) string { return rates.Number(b.V(key)) + " " + b.Get(key).Unit }
	return a.Name + ": " + why + ". Handle after " + wait(a.Handle) + ", fully hard after " + wait(a.Full) + ". " + strings.TrimSuffix(a.Caution, ".")
}

// glueStep is the step of gluing with an adhesive.
func (a Adhesive) glueStep(kind route.StageKind) Step { return Step{Kind: kind, Wait: a.Handle} }
