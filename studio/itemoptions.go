package studio

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"sakuji/core/finish"
	"sakuji/core/process"
	"sakuji/core/quote"
	"sakuji/core/rates"
	"sakuji/core/route"
)

// ItemOptions is what is asked of an item beside its parts: how it is smoothed, what is counted
// on it, what it takes besides prints.
type ItemOptions struct {
	FinishRoute  string          `json:"school,omitempty"` // finish route; empty: the studio’s
	Features     finish.Features `json:"features"`
	DetailFactor float64         `json:"detail_factor,omitempty"` // in place of what the mesh says; 0: the mesh says it
	DetailWhy    string          `json:"detail_why,omitempty"`
	Standard     string          `json:"standard,omitempty"`  // of painting: finish.Display or Fast
	Care         finish.Care     `json:"care,omitzero"`       // where its hours go
	Scheme       string          `json:"scheme,omitempty"`    // of its colours: finish.SchemeLight and others
	PersonID     int64           `json:"person_id,omitempty"` // who smooths and paints it; 0: not said
	Paints       finish.Paints   `json:"paints,omitzero"`     // what its coats are made of
	Apart        bool            `json:"apart,omitempty"`     // its parts are handed over as they are
	Adhesive     string          `json:"adhesive,omitempty"`  // its joints are glued with; empty: chosen by need
	SeamMM       float64         `json:"seam_mm,omitempty"`   // all around one seam; 0: as the parts are wide
	Cast         bool            `json:"cast,omitempty"`      // copies are cast from one print
	Option       bool            `json:"option,omitempty"`    // the client may take it or leave it
	Weapon       string          `json:"weapon,omitempty"`    // does it look like one: "", no, yes
	Extras       []quote.Extra   `json:"extras,omitempty"`
}

// MostExtras is how many extras an item holds.
const MostExtras = 40

// Check says what is wrong with the options.
func (m ItemOptions) Check() (v rates.Invalid) {
	v.Need(m.FinishRoute == "" || finish.RouteName(m.FinishRoute) != "", "finish_route", "there is no finish route %s", m.FinishRoute)
	count := func(field, what string, n int) {
		v.Need(n >= 0 && n <= 10_000, field, "%s: between 0 and 10,000", what)
	}
	f := m.Features
	count("eyes", "eyes", f.Eyes)
	count("faces", "faces", f.Faces)
	count("letters", "letters", f.Letters)
	count("small", "small things", f.Small)
	count("colours", "colours", f.Colours)
	v.Need(f.MaskMM >= 0 && f.MaskMM <= 1e6, "mask", "edge to mask: between 0 and 1,000 m")
	v.Need(f.RaisedMM >= 0 && f.RaisedMM <= 1e6, "raised_cm", "raised lines: between 0 and 1,000 m")
	v.Need(OneOf(f.Raised, finish.RaisedWaysKnown()...), "raised", "raised lines are brushed, masked or rolled")
	v.Need(m.SeamMM >= 0 && m.SeamMM <= 1e6, "seam", "seam: between 0 and 1,000 m")
	v.Need(f.FitHours >= 0 && f.FitHours <= 1000, "fit", "fitting out: between 0 and 1,000 h")
	v.Need(OneOf(m.Standard, finish.Display, finish.Fast), "standard", "painting is for display or fast")
	_, glue := finish.AdhesiveOf(m.Adhesive)
	v.Need(m.Adhesive == "" || glue, "adhesive", "there is no adhesive %s", m.Adhesive)
	for _, c := range []route.Coat{m.Paints.Base, m.Paints.Shade, m.Paints.Clear} {
		v.Need(OneOf(c, route.Coats()...), "paints", "there is no coat %s", c)
	}
	v.Need(OneOf(m.Scheme, finish.Schemes()...), "scheme", "there is no scheme %s", m.Scheme)
	share := func(p float64) bool { return p >= 0 && p <= 100 }
	v.Need(share(m.Care.FocalPercent), "focal", "a focal region is between 0 and 100 %% of what is seen")
	v.Need(share(m.Care.TonedPercent) && !(m.Care.FocalPercent+m.Care.TonedPercent > 100), "toned", "focal and toned down are 100 %% of what is seen at most")
	if m.DetailFactor != 0 {
		v.Need(m.DetailFactor >= 0.2 && m.DetailFactor <= 10, "detail", "detail: between 0.2 and 10 times, or nothing to let the mesh say it")
		v.Need(strings.TrimSpace(m.DetailWhy) != "", "detail_why", "detail set by hand wants a reason")
	}
	v.Need(OneOf(m.Weapon, "", "no", "yes"), "weapon", "weapon-like: yes or no")
	v.Need(len(m.Extras) <= MostExtras, "what", "an item holds %d extras", MostExtras)
	for _, e := range m.Extras {
		if err := e.Check(); err != nil {
			v.Need(false, "what", "%s: %s", e.What, err)
		}
	}
	return v
}

// weaponWords in a name make us ask. Source: from memory.
var weaponWords = []string{"sword", "blade", "dagger", "knife", "gun", "pistol", "rifle", "blaster", "axe", "spear", "crossbow", "grenade", "halberd", "sabre"}

// AskWeapon reports whether an item's name sounds like something that looks like a weapon,
// and nobody has said yet.
func (i Item) AskWeapon() bool {
	if i.Weapon != "" {
		return false
	}
	names := strings.ToLower(i.Title)
	for _, p := range i.Parts {
		names += " " + strings.ToLower(p.Name)
	}
	return slices.ContainsFunc(strings.FieldsFunc(names, func(r rune) bool { return r < 'a' || r > 'z' }), func(w string) bool {
		return slices.Contains(weaponWords, w) || slices.Contains(weaponWords, strings.TrimSuffix(w, "s"))
	})
}

// Terms are what an order's price has of its own; what is not said is the studio’s.
type Terms struct {
	MarginPercent  *float64 `json:"margin_percent,omitempty"`
	DepositPercent *float64 `json:"deposit_percent,omitempty"`
	RushPercent    float64  `json:"rush_percent,omitempty"`
	Discount       float64  `json:"discount_percent,omitempty"`
	DiscountWhy    string   `json:"discount_why,omitempty"`
	BeforeTax      bool     `json:"before_tax,omitempty"`  // prices are told without tax
	AskedMinor     int64    `json:"asked_minor,omitempty"` // a price named by hand; 0: none
	WageMinor      int64    `json:"wage_minor,omitempty"`  // an hour of anybody's hands; 0: as book and persons have it
}

// At is the studio with the wage that the terms name.
func (h Shop) At(t Terms) Shop {
	if t.WageMinor <= 0 {
		return h
	}
	wage := h.Studio.Money(t.WageMinor).Units()
	h.Book = h.Book.With(map[rates.Key]float64{"wage": wage, "wage.paint": wage, "wage.sculpt": wage})
	h.History.Wages = nil
	return h
}

// Check says what is wrong with the terms.
func (t Terms) Check() error {
	if t.Discount > 0 && strings.TrimSpace(t.DiscountWhy) == "" {
		return rates.Amiss("why", "a discount wants a reason or a code")
	}
	return t.with(quote.Terms{}).Check()
}

func (t Terms) with(q quote.Terms) quote.Terms {
	if t.MarginPercent != nil {
		q.MarginPercent = *t.MarginPercent
	}
	if t.DepositPercent != nil {
		q.DepositPercent = *t.DepositPercent
	}
	q.RushPercent, q.DiscountPercent, q.DiscountReason = t.RushPercent, t.Discount, t.DiscountWhy
	q.BeforeTax, q.AskedMinor = t.BeforeTax, t.AskedMinor
	return q
}

// Terms are the studio’s with an order's own.
func (h Shop) Terms(t Terms) quote.Terms {
	digits := Digits(h.Studio.Currency)
	return t.with(quote.Terms{MarginPercent: h.Book.V("margin"), TaxPercent: h.Studio.TaxPercent, DepositPercent: h.Book.V("deposit"),
		LeastMinor: quote.Minor(h.Book.V("least"), digits), RoundMinor: quote.Minor(h.Book.V("round.to"), digits)})
}

// Defaults are choices of the studio that are not figures.
type Defaults struct {
	FinishRoutes  map[string]string  `json:"schools,omitempty"` // finish route by process and tier, "resin primed"
	DiscountCodes map[string]float64 `json:"codes,omitempty"`   // discount in %, by code

	Agreed  time.Time           `json:"agreed,omitzero"`   // when the plan was agreed on last
	Keep    bool                `json:"keep,omitempty"`    // the agreed plan is kept as it is
	Scale   string              `json:"scale,omitempty"`   // where a scale answers; empty: nowhere
	Sensor  string              `json:"sensor,omitempty"`  // where a sensor of the air answers; empty: nowhere
	Labels  string              `json:"labels,omitempty"`  // where a label printer answers; empty: nowhere
	Routes  []rates.FinishRoute `json:"routes,omitempty"`  // its own
	Schools finish.Schools      `json:"painting,omitzero"` // where practitioners disagree
}

// FinishRoute is the studio’s finish route for a process and tier.
func (w Defaults) FinishRoute(processName, tier string) string {
	if key, ok := w.FinishRoutes[processName+" "+tier]; ok {
		if finish.RouteName(key) != "" {
			return key
		}
	}
	return finish.Usual(processName, tier)
}

// Variant is another way to make an order: what it says replaces what the items say.
type Variant struct {
	ID          int64   `json:"-"`
	OrderID     int64   `json:"-"`
	Position    int     `json:"-"`
	Name        string  `json:"name"`
	Tier        string  `json:"tier,omitempty"`
	Process     string  `json:"process,omitempty"`
	FinishRoute string  `json:"school,omitempty"`
	Factor      float64 `json:"factor,omitempty"`   // times as large; 0: as it is
	CutInto     int     `json:"cut_into,omitempty"` // 1: in one; 0: as it is
	Hollow      bool    `json:"hollow,omitempty"`   // what is usually hollowed is
	Offered     bool    `json:"offered,omitempty"`  // the client may choose it
}

// MostVariants is how many variants of an order stand beside it: four in all.
const MostVariants = 3

// Check says what is wrong with a variant.
func (v Variant) Check() error {
	var wrong rates.Invalid
	wrong.Need(strings.TrimSpace(v.Name) != "", "name", "a variant needs a name")
	wrong.Need(v.Tier == "" || route.TierName(v.Tier) != "", "tier", "%s is no stopping point", v.Tier)
	wrong.Need(v.Process == "" || process.Known(v.Process), "process", "a variant is printed in %s", process.OrOf())
	wrong.Need(v.Factor == 0 || v.Factor >= MinScale && v.Factor <= MaxScale, "factor", "size: between %v and %v times", MinScale, MaxScale)
	wrong.Need(v.CutInto >= 0 && v.CutInto <= process.MostParts, "cut", "cut into %d at most", process.MostParts)
	wrong.Need(v.FinishRoute == "" || finish.RouteName(v.FinishRoute) != "", "finish_route", "there is no finish route %s", v.FinishRoute)
	return wrong.Err()
}

// Of is an item made so. stood gives a model as it stands for another process.
func (v Variant) Of(h Shop, it Item, stood func(p Part, processName string) (Model, int64)) Item {
	it.Parts = slices.Clone(it.Parts)
	if v.Tier != "" {
		it.Tier = v.Tier
	}
	if v.FinishRoute != "" {
		it.FinishRoute = v.FinishRoute
	}
	if v.Factor != 0 {
		it.Scale *= v.Factor
		it.Rule = SizeRule{}
	}
	for k := range it.Parts {
		p := &it.Parts[k]
		if v.CutInto != 0 {
			p.CutInto = v.CutInto
		}
		if v.Hollow && process.Of(p.Process).Hollow && p.WallMM == 0 {
			p.WallMM = p.Model.UsualWallMM()
		}
		if v.Process == "" || v.Process == p.Process {
			continue
		}
		p.Process, p.WallMM, p.Profile = v.Process, 0, PrintProfile{}
		if process.Of(v.Process).Hollow {
			p.WallMM = p.Model.UsualWallMM()
		}
		m, _ := h.Material(0, v.Process)
		p.MaterialID = m.ID
		p.Model, p.OrientationID = stood(*p, v.Process)
	}
	return it
}

// UsualWallMM is the wall a resin print of the model is hollowed to, 0 for solid: what is
// thicker than about 15–20 mm in every direction. Source: common practice.
func (m Model) UsualWallMM() float64 {
	d := m.Measures
	if min(d.SizeMM[0], d.SizeMM[1], d.SizeMM[2]) > 18 && d.AreaMM2 > 0 && 3*d.VolumeMM3/d.AreaMM2 > 6 && d.Cavities == 0 {
		return 2
	}
	return 0
}

// Differences lists what is not the same between two lists of items, as one reads them side
// by side.
func Differences(before, after []Item) (out []Change) {
	old := map[int64]Item{}
	for _, it := range before {
		old[it.ID] = it
	}
	add := func(title, what, a, b string) {
		if a != b {
			out = append(out, Change{title + ", " + what, a, b})
		}
	}
	for _, it := range after {
		was, ok := old[it.ID]
		delete(old, it.ID)
		if !ok {
			out = append(out, Change{it.Title, "not on it", fmt.Sprintf("%d × %s", it.Copies, route.TierName(it.Tier))})
			continue
		}
		if was.Title != it.Title {
			out = append(out, Change{"name", was.Title, it.Title})
		}
		add(it.Title, "copies", fmt.Sprint(was.Copies), fmt.Sprint(it.Copies))
		add(it.Title, "finish", route.TierName(was.Tier), route.TierName(it.Tier))
		add(it.Title, "finish route", routeText(was.FinishRoute), routeText(it.FinishRoute))
		add(it.Title, "size", rates.Number(100*was.Scale)+" %", rates.Number(100*it.Scale)+" %")
		add(it.Title, "counted on it", was.countText(), it.countText())
		add(it.Title, "painting", standardText(was.Standard), standardText(it.Standard))
		add(it.Title, "care", careText(was.Care), careText(it.Care))
		add(it.Title, "scheme", finish.SchemeName(was.Scheme), finish.SchemeName(it.Scheme))
		add(it.Title, "paints", paintsText(was.Paints), paintsText(it.Paints))
		add(it.Title, "joined", map[bool]string{true: "no", false: "yes"}[was.Apart], map[bool]string{true: "no", false: "yes"}[it.Apart])
		add(it.Title, "adhesive", was.Adhesive, it.Adhesive)
		add(it.Title, "extras", was.extraText(), it.extraText())
		out = append(out, partDifferences(was, it)...)
	}
	for _, it := range before {
		if _, gone := old[it.ID]; gone {
			out = append(out, Change{it.Title, fmt.Sprintf("%d × %s", it.Copies, route.TierName(it.Tier)), "taken off"})
		}
	}
	return out
}

// partDifferences lists what is not the same between the parts of an item before and after.
func partDifferences(was, it Item) (out []Change) {
	add := func(title, what, a, b string) {
		if a != b {
			out = append(out, Change{title + ", " + what, a, b})
		}
	}
	parts := map[int64]Part{}
	for _, p := range was.Parts {
		parts[p.ID] = p
	}
	for _, p := range it.Parts {
		q, ok := parts[p.ID]
		name := it.Title
		if len(it.Parts) > 1 {
			name = p.Name
		}
		if !ok {
			out = append(out, Change{name, "not on it", p.Process})
			continue
		}
		add(name, "process", q.Process, p.Process)
		if q.MachineID != p.MachineID {
			out = append(out, Change{name, "on one machine", "on another"})
		}
		add(name, "of each", fmt.Sprint(q.Copies), fmt.Sprint(p.Copies))
		add(name, "wall", wallText(q.WallMM), wallText(p.WallMM))
		add(name, "printed with", profileText(q.Profile), profileText(p.Profile))
		add(name, "inside", insideText(q.Inside), insideText(p.Inside))
		add(name, "finish route", routeText(q.FinishRoute), routeText(p.FinishRoute))
		a, _ := was.JoinOf(q)
		b, _ := it.JoinOf(p)
		add(name, "joined", joinText(a), joinText(b))
		add(name, "seen", seenText(q.Unseen()), seenText(p.Unseen()))
		add(name, "printed in pieces", fmt.Sprint(q.Pieces()), fmt.Sprint(p.Pieces()))
		if q.ModelID != p.ModelID {
			out = append(out, Change{name, "one version of its model", "another"})
		}
	}
	return out
}

func routeText(key string) string {
	if name := finish.RouteName(key); name != "" {
		return name
	}
	return "our default"
}

func standardText(standard string) string {
	if standard == finish.Fast {
		return "fast"
	}
	return "for display"
}

func careText(c finish.Care) string {
	if c == (finish.Care{}) {
		return "even"
	}
	return rates.Number(c.FocalPercent) + " % focal, " + rates.Number(c.TonedPercent) + " % toned down"
}

func insideText(inside string) string {
	if inside == finish.InsideRaw {
		return "left as printed"
	}
	return inside
}

// paintsText says what the coats of a scheme are made of.
func paintsText(p finish.Paints) string {
	return p.Base.Name() + ", shades " + p.Shade.Name() + ", clear coat " + p.Clear.Name()
}

// Attacks says which of its coats would lift or craze another.
func (i Item) Attacks() (out []string) {
	if i.Tier != route.Painted {
		return nil
	}
	for _, kind := range []route.StageKind{route.Shade, route.Clear} {
		if why := i.Paints.Attack(kind); why != "" {
			out = append(out, i.Title+": "+why+".")
		}
	}
	return out
}

// joinText says when a part is joined.
func joinText(when string) string {
	return map[string]string{JoinBefore: "before paint", JoinAfter: "after paint", JoinLoose: "comes off"}[when]
}

func seenText(unseen bool) string {
	if unseen {
		return "hidden, stays raw"
	}
	return "yes"
}

func wallText(mm float64) string {
	if mm == 0 {
		return "solid"
	}
	return rates.Number(mm) + " mm"
}

func profileText(p PrintProfile) string { return cmp.Or(p.Text(), "the machine’s figures") }

func (m ItemOptions) countText() string {
	var out []string
	f := m.Features
	for _, c := range []struct {
		n   int
		one string
	}{{f.Eyes, "eye"}, {f.Faces, "face"}, {f.Letters, "letter"}, {f.Small, "small thing"}} {
		switch {
		case c.n == 1:
			out = append(out, "1 "+c.one)
		case c.n > 1:
			out = append(out, fmt.Sprintf("%d %ss", c.n, c.one))
		}
	}
	if f.MaskMM > 0 {
		out = append(out, fmt.Sprintf("%.0f cm masked", math.Round(f.MaskMM/10)))
	}
	if f.RaisedMM > 0 {
		out = append(out, fmt.Sprintf("%.0f cm of raised lines", math.Round(f.RaisedMM/10)))
	}
	if f.Weather {
		out = append(out, "weathered")
	}
	if f.FitHours > 0 {
		out = append(out, rates.Number(f.FitHours)+" h of fitting out")
	}
	if len(out) == 0 {
		return "nothing"
	}
	return joinAnd(out)
}

func (m ItemOptions) extraText() string {
	var out []string
	for _, e := range m.Extras {
		out = append(out, e.What)
	}
	if len(out) == 0 {
		return "nothing"
	}
	return joinAnd(out)
}
