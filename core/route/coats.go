package route

import "time"

// Coat is what a layer of paint is made of, as far as it matters to the one over it.
type Coat string

// Coats.
const (
	Acrylic Coat = ""        // thinned with water
	Enamel  Coat = "enamel"  // thinned with spirits, brushed
	Spirit  Coat = "spirit"  // a wash of oil or enamel in spirits
	Lacquer Coat = "lacquer" // from a can, or car paint
	Mirror  Coat = "mirror"  // mirror metal in strong solvent
)

// Coats lists them.
func Coats() []Coat { return []Coat{Acrylic, Enamel, Spirit, Lacquer, Mirror} }

// Name is the coat in words.
func (c Coat) Name() string {
	return map[Coat]string{Acrylic: "acrylic", Enamel: "enamel", Spirit: "wash in spirits", Lacquer: "lacquer or car paint", Mirror: "mirror metal"}[c]
}

// strength is how strong a coat's thinner is.
func (c Coat) strength() int {
	return map[Coat]int{Enamel: 1, Spirit: 1, Lacquer: 2, Mirror: 2}[c]
}

// Attacks says what a coat does to the one under it, and what to put between; empty where they get
// on: a coat lifts or crazes what a weaker thinner laid, until that is cured. Source: common
// practice.
func Attacks(under, over Coat) string {
	if over.strength() <= under.strength() {
		return ""
	}
	does := "lifts"
	if over.strength() == 2 {
		does = "crazes"
	}
	return over.Name() + " over " + under.Name() + " " + does + " it: let it cure for a day, or lay a clear coat between, and try it on an offcut"
}

// Window is within what time after a coat the next one may follow, and from when on again: in between, it
// would lift or wrinkle. Zero: whenever it is dry. Source: common practice for enamel and lacquer from a can.
func (c Coat) Window() (within, again time.Duration) {
	if c == Enamel || c == Lacquer {
		return time.Hour, 24 * time.Hour
	}
	return 0, 0
}

// Medium is what a coat is as something that dries.
func (c Coat) Medium() Medium {
	return map[Coat]Medium{Acrylic: AcrylicPaint, Enamel: CanPaint, Lacquer: CanPaint, Mirror: MirrorMetal, Spirit: SandOrWash}[c]
}
