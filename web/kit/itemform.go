package kit

import (
	"net/http"
	"sakuji/app/orders"
	"sakuji/core/finish"
	"sakuji/core/route"
	"sakuji/studio"
)

// ItemForm reads what can be chosen of an item and its parts.
func ItemForm(r *http.Request) (orders.ItemForm, error) {
	f, err := Decode[itemForm](r)
	form := orders.ItemForm{Title: f.Title, Tier: f.Tier, Copies: f.Copies, Scale: f.ScalePercent / 100, Parts: map[int64]orders.PartForm{}}
	for id, p := range f.Parts {
		form.Parts[id] = orders.PartForm{Profile: p.profile(), Process: p.Process, MaterialID: p.Material, WallMM: p.WallMM, Copies: p.Copies, CutInto: p.CutInto, MachineID: p.Machine, Inside: p.Inside, Hidden: p.Hidden, Joins: p.Joins, FinishRoute: p.Route}
	}
	if f.WithOptions {
		form.Making = f.options()
	}
	return form, err
}

// itemForm is an item's form: the short one of the order's sheet, and the one of the quote
// sheet with all that is asked of it.
type itemForm struct {
	Title        string             `form:"title" validate:"max=200"`
	Tier         string             `form:"tier"`
	Copies       int                `form:"copies" label:"Copies"`
	ScalePercent float64            `form:"scale" label:"Scale" validate:"required"`
	Parts        map[int64]partForm `form:"parts"`

	WithOptions bool    `form:"with_options"`
	FinishRoute string  `form:"finish_route"`
	Detail      float64 `form:"detail" label:"Detail"`
	DetailWhy   string  `form:"detail_why"`
	Standard    string  `form:"standard"`
	Focal       float64 `form:"focal" label:"Focal region"`
	Toned       float64 `form:"toned" label:"Toned down"`
	Person      int64   `form:"person"`
	Apart       bool    `form:"apart"`
	SeamCM      float64 `form:"seam" label:"Seam"`
	Cast        bool    `form:"cast"`
	Option      bool    `form:"option"`
	Weapon      string  `form:"weapon"`
	Adhesive    string  `form:"adhesive"`
	Scheme      string  `form:"scheme"`
	BasePaint   string  `form:"paint_base"`
	ShadePaint  string  `form:"paint_shade"`
	ClearPaint  string  `form:"paint_clear"`
	Eyes        int     `form:"eyes" label:"Eyes"`
	Faces       int     `form:"faces" label:"Faces"`
	Letters     int     `form:"letters" label:"Letters"`
	Small       int     `form:"small" label:"Small things"`
	Colours     int     `form:"colours" label:"Colours"`
	MaskCM      float64 `form:"mask" label:"Edge to mask"`
	RaisedCM    float64 `form:"raised_cm" label:"Raised lines"`
	Raised      string  `form:"raised"`
	Weather     bool    `form:"weather"`
	FitHours    float64 `form:"fit" label:"Fitting out"`
}

type partForm struct {
	Process  string  `form:"process"`
	Material int64   `form:"material"`
	WallMM   float64 `form:"wall" label:"Wall"`
	Copies   int     `form:"copies" label:"Copies of the part"`
	CutInto  int     `form:"cut" label:"Printed in pieces"`
	Machine  int64   `form:"machine"`
	Inside   string  `form:"inside"`
	Hidden   bool    `form:"hidden"`
	Joins    string  `form:"joins"`
	Route    string  `form:"route"`

	WithProfile    bool    `form:"with_profile"`
	LayerMM        float64 `form:"layer" label:"Layer"`
	NozzleMM       float64 `form:"nozzle" label:"Nozzle"`
	Walls          int     `form:"walls" label:"Walls"`
	InfillPercent  float64 `form:"infill" label:"Infill"`
	WeightG        float64 `form:"weight" label:"Weight"`
	SupportDeg     float64 `form:"support_deg" label:"Support limit"`
	SupportPercent float64 `form:"support_percent" label:"Supports"`
	BrimMM         float64 `form:"brim" label:"Brim"`
}

// profile is how the part is printed; nil where the form does not ask.
func (f partForm) profile() *studio.PrintProfile {
	if !f.WithProfile {
		return nil
	}
	return &studio.PrintProfile{LayerMM: f.LayerMM, NozzleMM: f.NozzleMM, Walls: f.Walls, InfillPercent: f.InfillPercent, WeightG: f.WeightG, SupportDeg: f.SupportDeg, SupportPercent: f.SupportPercent, BrimMM: f.BrimMM}
}

// options is what is asked of an item beside its parts.
func (f itemForm) options() *studio.ItemOptions {
	return &studio.ItemOptions{
		FinishRoute: f.FinishRoute, DetailFactor: f.Detail, DetailWhy: f.DetailWhy, Standard: f.Standard, Care: finish.Care{FocalPercent: f.Focal, TonedPercent: f.Toned}, PersonID: f.Person, Apart: f.Apart, SeamMM: 10 * f.SeamCM, Cast: f.Cast, Option: f.Option, Weapon: f.Weapon, Adhesive: f.Adhesive, Scheme: f.Scheme, Paints: finish.Paints{Base: route.Coat(f.BasePaint), Shade: route.Coat(f.ShadePaint), Clear: route.Coat(f.ClearPaint)},
		Features: finish.Features{Eyes: f.Eyes, Faces: f.Faces, Letters: f.Letters, Small: f.Small, Colours: f.Colours, MaskMM: 10 * f.MaskCM, RaisedMM: 10 * f.RaisedCM, Raised: f.Raised, Weather: f.Weather, FitHours: f.FitHours},
	}
}

// finishRouteName is the studio’s finish route for an item.
func finishRouteName(h studio.Shop, it studio.PricedItem) string {
	if len(it.Parts) == 0 {
		return ""
	}
	return finish.RouteName(h.Studio.Defaults.FinishRoute(it.Parts[0].Process, it.Tier))
}
