package plates

import (
	"bytes"
	"cmp"
	"fmt"
	"net/http"
	"strings"

	"sakuji/app/change"
	"sakuji/app/plates"
	"sakuji/core/mesh"
	"sakuji/core/process"
	"sakuji/core/rates"
	"sakuji/core/solid"
	"sakuji/store"
	"sakuji/studio"
	"sakuji/web/kit"
)

// machineView is a machine's sheet with what its forms need.
type machineView struct {
	plates.MachineSheet
	People map[int64]string // initials
}

// Missing is the plate whose run the machine does not show; nil: none.
func (v machineView) Missing() *studio.Plate {
	for k, pl := range v.Open {
		if pl.Run != nil && pl.Run.Asks() != "" {
			return &v.Open[k]
		}
	}
	return nil
}

// Per100 is how many of a hundred hours' failures a rate means.
func (v machineView) Per100(perHour float64) string { return fmt.Sprintf("%.1f", 100*perHour) }

// BookFailures is how often runs of its process fail by the rate book, in an hour.
func (v machineView) BookFailures() float64 {
	return v.Shop.Book.V(process.Of(v.Machine.Process).Failure)
}

// Tries are the rows of an exposure test's form, with exposures around the one that is set.
func (v machineView) Tries() (out []string) {
	now := v.Machine.For(v.Material, studio.PrintProfile{}).Figures.V("exposure")
	for _, share := range []float64{0.7, 0.85, 1, 1.2, 1.4} {
		out = append(out, fmt.Sprintf("%.2f", now*share))
	}
	return out
}

// Widths are those of the posts and slots of the test piece.
func (v machineView) Widths() []float64 { return solid.TestWidthsMM }

// Materials are those of the machine’s process.
func (v machineView) Materials() (out []studio.Material) {
	for _, m := range v.Shop.Materials {
		if m.Active && m.Process == v.Machine.Process {
			out = append(out, m)
		}
	}
	return out
}

func (s *Room) machine(w http.ResponseWriter, r *http.Request) {
	f, err := kit.DecodeQuery[struct {
		Material int64 `form:"material"`
	}](r)
	v := machineView{People: map[int64]string{}}
	if err == nil {
		v.MachineSheet, err = s.App.Plates.MachineSheet(r.Context(), kit.PathID(r, "id"), f.Material)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	people, err := s.App.Setup.People(r.Context())
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	for _, p := range people {
		v.People[p.ID] = p.Initials
	}
	s.Show(w, r, "machine", kit.Page{Title: v.Machine.Name, Sheet: "Machine", Active: "/plates", D: v,
		Block: kit.Block("Process", v.Machine.Process, "Runs", fmt.Sprint(v.Failures.Runs)), Keys: kit.Keys("↑ ↓", "move", "F", "find")})
}

// testPiece sends the print by which a machine is set.
func (s *Room) testPiece(w http.ResponseWriter, r *http.Request) {
	v, err := s.App.Plates.MachineSheet(r.Context(), kit.PathID(r, "id"), 0)
	var out bytes.Buffer
	name := string(v.Trial.Sets) + "-test.stl"
	if err == nil && v.Trial.Soup == nil {
		err = store.ErrNotFound
	}
	if err == nil {
		err = mesh.Write(&out, name, v.Trial.Soup)
	}
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	kit.Write(w, exports["stl"], name, out.Bytes())
}

// machineDone ends a change on a machine's sheet.
func (s *Room) machineDone(w http.ResponseWriter, r *http.Request, material int64, err error, told string) {
	if err != nil {
		s.Fail(w, r, err)
		return
	}
	s.Done(w, r, fmt.Sprintf("/plates/machines/%d?material=%d", kit.PathID(r, "id"), material), told)
}

// tookForm is what something on a machine took.
type tookForm struct {
	Material int64   `form:"material"`
	HandsMin float64 `form:"hands" label:"Minutes"`
	Grams    float64 `form:"grams" label:"Grams"`
}

func (s *Room) noteTuning(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		tookForm
		Did string `form:"did"`
	}](r)
	if err == nil {
		err = s.App.Plates.NoteTuning(r.Context(), s.Hand(r), studio.Tuning{MachineID: kit.PathID(r, "id"), MaterialID: f.Material, Did: f.Did, HandsMin: f.HandsMin, Grams: f.Grams})
	}
	s.machineDone(w, r, f.Material, err, "Noted in its log.")
}

func (s *Room) tune(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		Material int64 `form:"material"`
	}](r)
	values := map[rates.FigureKey]float64{}
	if err == nil {
		values, err = kit.DecodeNumbers(r, "figure.", func(key rates.FigureKey) string { return strings.ReplaceAll(string(key), "_", " ") })
	}
	if err == nil {
		err = s.App.Plates.Tune(r.Context(), s.Hand(r), kit.PathID(r, "id"), f.Material, values)
	}
	s.machineDone(w, r, f.Material, err, "Kept: runs in that material go by it.")
}

func (s *Room) tried(w http.ResponseWriter, r *http.Request) {
	f, err := kit.Decode[struct {
		tookForm
		Exposure []float64 `form:"exposure" label:"Exposure"`
		Pin      []float64 `form:"pin" label:"Thinnest post"`
		Slot     []float64 `form:"slot" label:"Narrowest slot"`
		Wall     string    `form:"wall"`
	}](r)
	t := plates.Tried{MaterialID: f.Material, HandsMin: f.HandsMin, Grams: f.Grams}
	for i, e := range f.Exposure {
		if i < len(f.Pin) && i < len(f.Slot) && cmp.Or(f.Pin[i], f.Slot[i]) != 0 { // rows that were not tried stay empty
			t.Exposed = append(t.Exposed, process.Exposed{ExposureS: e, PinMM: f.Pin[i], SlotMM: f.Slot[i]})
		}
	}
	for _, word := range strings.FieldsFunc(f.Wall, func(c rune) bool { return c == ' ' || c == ';' }) {
		mm, bad := studio.ParseNumber(word)
		if bad != nil && err == nil {
			err = change.RefuseField("wall", "The wall: %s.", bad)
		}
		t.WallMM = append(t.WallMM, mm)
	}
	told := ""
	if err == nil {
		told, err = s.App.Plates.Calibrated(r.Context(), s.Hand(r), kit.PathID(r, "id"), t)
	}
	s.machineDone(w, r, f.Material, err, told)
}
